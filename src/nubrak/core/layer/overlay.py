"""Overlay: all hits of a part laid over each other at their attack, and a layer over them; why a lock is what
it is.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nubrak.core.signal import windows_at

BEFORE_S, AFTER_S = 0.006, 0.045  # what is shown round the attack
_MOST_HITS = 400  # more change no quartile that could be seen


@dataclass(frozen=True)
class Overlay:
    """Aligned strokes, each brought to one level: ``time_s`` (m,) from the attack, the ``median`` (m,) and
    the ``low`` and ``high`` quartile (m,), and the ``layer`` (m,) as it lies over them now.
    """

    time_s: NDArray[np.float64]
    median: NDArray[np.float32]
    low: NDArray[np.float32]
    high: NDArray[np.float32]
    layer: NDArray[np.float32]


def overlay(
    recording: NDArray[np.float32],
    hits: NDArray[np.int64],
    sample: NDArray[np.float32],
    begins: int,
    rate_hz: int,
) -> Overlay:
    """The strokes of ``recording`` (frames,) at ``hits`` (n,), and a ``sample`` (length,) whose first frame
    lies ``begins`` after a hit.
    """
    before, after = round(BEFORE_S * rate_hz), round(AFTER_S * rate_hz)
    time_s = np.arange(-before, after) / rate_hz
    chosen = (
        hits if len(hits) <= _MOST_HITS else hits[np.linspace(0, len(hits) - 1, _MOST_HITS).astype(np.int64)]
    )
    rows = windows_at(recording, chosen - before, before + after)
    peak = np.abs(rows).max(axis=1, keepdims=True) if len(rows) else np.zeros((0, 1), np.float32)
    rows = rows[peak[:, 0] > 0] / peak[peak[:, 0] > 0]
    quartiles = np.quantile(rows, [0.25, 0.5, 0.75], axis=0) if len(rows) else np.zeros((3, before + after))
    aligned = windows_at(sample, np.array([-before - begins]), before + after)[0]
    loudest = float(np.abs(aligned).max()) if np.any(aligned) else 1.0
    low, median, high = (row.astype(np.float32) for row in quartiles)
    return Overlay(time_s, median, low, high, (aligned / loudest).astype(np.float32))
