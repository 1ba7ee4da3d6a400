"""Two microphones at two drums that hear each other, for tests."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from nubrak.core.live import LivePart, band_levels, inside_of, learn, strokes_played
from nubrak.core.live.learnt import Learnt
from tests.conftest import decaying_strokes

RATE_HZ = 44100
LATE = 90  # samples from one drum to the other's microphone: 70 cm
SPILL = 10 ** (-12 / 20)
PARTS = [LivePart("kick"), LivePart("snare")]
WITHIN = np.stack([inside_of(part) for part in PARTS])
CALIBRATION = ([0.5, 1.0, 1.5, 2.0], [0.2, 0.5, 0.8, 0.8]), ([3.0, 3.5, 4.0, 4.5], [0.2, 0.5, 0.8, 0.8])
PLAYED = (
    ([0.5, 1.5, 1.75, 2.5, 3.1], [0.7, 0.3, 0.6, 0.8, 0.2]),
    ([1.0, 2.0, 2.5, 3.0], [0.8, 0.6, 0.7, 0.25]),
)


def two_microphones(
    kick: tuple[list[float], list[float]], snare: tuple[list[float], list[float]], length_s: float
) -> NDArray[np.float32]:
    """Both microphones, (frames, 2): their own drum, the other's later and softer."""
    drums = [
        decaying_strokes(*played, length_s, hz=hz, seed=seed)
        for played, hz, seed in ((kick, 62.0, 3), (snare, 330.0, 4))
    ]
    late = [np.concatenate([np.zeros(LATE, np.float32), one[:-LATE]]) for one in drums]
    return np.stack([drums[0] + SPILL * late[1], drums[1] + SPILL * late[0]], axis=1).astype(np.float32)


def calibrated() -> Learnt:
    """What ten seconds of playing each drum teach."""
    audio = two_microphones(*CALIBRATION, 5.5)
    levels = band_levels(audio, RATE_HZ)
    return learn(audio, RATE_HZ, levels, WITHIN, strokes_played(levels, WITHIN))
