"""Made-up strokes with known sounds, for the tests of sorting."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tests.plain_strokes import STROKES

RATE_HZ = 44100


def mixture(strokes: list[tuple[float, str, float]], length_s: float, seed: int = 1) -> NDArray[np.float32]:
    """Strokes (time, sound of the demo, strength 0 to 1) as one signal, (frames,)."""
    rng = np.random.default_rng(seed)
    out = np.zeros(round(length_s * RATE_HZ), np.float32)
    for time_s, sound, strength in strokes:
        begin = round(time_s * RATE_HZ)
        one = STROKES[sound](rng, strength, RATE_HZ)[: len(out) - begin]
        out[begin : begin + len(one)] += 0.5 * one
    return out


def beat(bars: int = 2) -> list[tuple[float, str, float]]:
    """Kick on one and three, snare on two and four, closed hats on eighths, at 120 bpm."""
    out: list[tuple[float, str, float]] = []
    for bar in range(bars):
        for eighth in range(8):
            at = 2.0 * bar + 0.25 * eighth
            out.append((at, "hat-closed", 0.7))
            if eighth in (0, 4):
                out.append((at, "kick", 0.9))
            if eighth in (2, 6):
                out.append((at, "snare", 0.9))
    return out
