"""Recording against layers: pan, cuts and the room a recording makes around its hits; every window equals
that stretch of the whole.
"""

from __future__ import annotations

import numpy as np
import pytest
from scipy.signal import butter, sosfilt

from nubrak.core.mix.blend import Blend, cut, ducking_gain, pan_gains

RATE = 44100
NOISE = (0.1 * np.random.default_rng(3).standard_normal((4 * RATE, 1))).astype(np.float32)
HITS = np.array([RATE // 2, RATE, RATE + 300, 3 * RATE])


def test_cuts_are_scipys_filters_over_the_whole() -> None:
    blend = Blend(low_cut_hz=20.0, low_cut_slope=24, high_cut_hz=2000.0)
    stereo = np.repeat(NOISE, 2, axis=1)

    def plain(start: int, frames: int) -> np.ndarray:
        out = np.zeros((frames, 2), np.float32)
        low, high = max(start, 0), min(start + frames, len(stereo))
        out[low - start : high - start] = stereo[low:high]
        return out

    sections = np.concatenate(
        [
            butter(4, 20.0, "highpass", fs=RATE, output="sos"),
            butter(2, 2000.0, "lowpass", fs=RATE, output="sos"),
        ]
    )
    assert (
        np.abs(
            cut(blend, plain, RATE, 0, len(stereo)) - sosfilt(sections, stereo.astype(float), axis=0)
        ).max()
        < 1e-7
    )


def test_room_is_made_around_hits_and_nowhere_else() -> None:
    blend = Blend(duck_db=-60.0, duck_in_ms=5.0, duck_hold_ms=50.0, duck_out_ms=30.0)
    room = ducking_gain(blend, HITS, RATE, 0, 4 * RATE)
    assert room is not None
    ms = RATE / 1000
    for hit in HITS.tolist():
        assert np.all(room[hit : hit + round(50 * ms)] == 0.0), (
            "silent from the hit on, as long as it is held"
        )
    first = HITS[0]
    assert room[first - round(5 * ms) - 1] == 1.0 and room[first + round(80 * ms) + 3] == 1.0
    assert np.abs(np.diff(room)).max() < np.pi / 2 / 220 + 1e-6, (
        "no step: the steepest is that of the raised cosine"
    )
    assert ducking_gain(Blend(), HITS, RATE, 0, RATE) is None
    shallow = ducking_gain(Blend(duck_db=-6.0), HITS, RATE, 0, RATE)
    assert shallow is not None and shallow.min() == pytest.approx(10 ** (-6 / 20))


def test_pan_keeps_the_power_and_the_middle_is_left_alone() -> None:
    for pan in np.linspace(-1, 1, 21):
        assert float(np.sum(pan_gains(float(pan)) ** 2)) == pytest.approx(2.0, rel=1e-6)
    assert pan_gains(0.0).tolist() == [1.0, 1.0] and pan_gains(-1.0)[1] == pytest.approx(0.0, abs=1e-6)
