"""A trigger sound on every hit, to hear decisions over the recording before anything is made."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from nubrak.core.shape import Notes

_LENGTH_S = 0.045  # of a tick: short enough to stand apart in a roll
_LOUDEST = 0.35  # of full scale, so that ticks over a recording do not clip


def tick(rate_hz: int, cross: bool) -> NDArray[np.float32]:
    """A short wooden tick, (frames,); of cymbals a higher one."""
    t = np.arange(round(_LENGTH_S * rate_hz)) / rate_hz
    pitch = 2600.0 if cross else 1150.0
    body = np.sin(2 * np.pi * pitch * t) + 0.5 * np.sin(2 * np.pi * 2.76 * pitch * t)
    return (_LOUDEST * body * np.exp(-t / 0.007)).astype(np.float32)


def render_triggers(notes: Notes, rate_hz: int, cross: bool, start: int, frames: int) -> NDArray[np.float32]:
    """Samples ``start`` to ``start + frames`` of the ticks of a part's hits, (frames,) float32; softer hits
    tick softer.
    """
    out, sound = np.zeros(frames, np.float32), tick(rate_hz, cross)
    begins = np.round(notes.time_s * rate_hz).astype(np.int64)
    for row in range(
        int(np.searchsorted(begins, start - len(sound))), int(np.searchsorted(begins, start + frames))
    ):
        low, high = max(int(begins[row]), start), min(int(begins[row]) + len(sound), start + frames)
        if low < high:
            gain = np.float32(0.25 + 0.75 * notes.velocity[row] / 127)
            out[low - start : high - start] += gain * sound[low - begins[row] : high - begins[row]]
    return out
