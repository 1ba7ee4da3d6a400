"""Print: a finished render to file, window by window, from the function that is also listened to."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Literal

import numpy as np
import soundfile
from numpy.typing import NDArray

Depth = Literal["16", "24", "float"]
_SUBTYPE = {"16": "PCM_16", "24": "PCM_24", "float": "FLOAT"}
WINDOW_FRAMES = 1 << 18


def print_wav(path: Path, window: Callable[[int, int], NDArray[np.float32]], frames: int, rate_hz: int, depth: Depth) -> float:
    """Write ``frames`` samples that ``window(start, frames)`` gives as (frames, 2) to a WAV file; returns the peak.

    The file starts where the session starts and is as long as it, so it lines up with the recording by itself.
    """
    peak = 0.0
    with soundfile.SoundFile(str(path), "w", samplerate=rate_hz, channels=2, format="WAV", subtype=_SUBTYPE[depth]) as file:
        for start in range(0, frames, WINDOW_FRAMES):
            block = window(start, min(WINDOW_FRAMES, frames - start))
            peak = max(peak, float(np.abs(block).max(initial=0.0)))
            file.write(block)
    return peak
