"""Two microphones on one drum: which way round, and by how much they lie apart."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.layer import between_microphones
from tests.conftest import RATE_HZ, decaying_strokes

TIMES_S = [0.3 + 0.5 * n for n in range(12)]
HITS = np.round(np.array(TIMES_S) * RATE_HZ).astype(np.int64)
TOP = decaying_strokes(TIMES_S, [0.7] * len(TIMES_S), 7.0, hz=150)


@pytest.mark.parametrize("polarity", [1, -1])
@pytest.mark.parametrize("late", [0, 37, 120, -25])
def test_a_second_microphone_is_turned_and_moved_to_where_the_first_is(polarity: int, late: int) -> None:
    rng = np.random.default_rng(8)
    bottom = polarity * 0.6 * np.roll(TOP, late) + rng.standard_normal(len(TOP)) * 1e-3
    found = between_microphones(TOP, bottom.astype(np.float32), HITS, RATE_HZ)
    assert (found.polarity, found.offset_samples) == (polarity, -late)
    # Half a wave of the drum is 147 samples: there, what is the wrong way round fits by itself.
    if (polarity == -1) == (abs(late) < 100):
        assert found.gain_db > 1.0
    again = between_microphones(TOP, (polarity * np.roll(bottom, -late)).astype(np.float32), HITS, RATE_HZ)
    assert again.polarity == 1 and again.offset_samples == 0 and again.gain_db == pytest.approx(0.0, abs=0.01)


def test_what_it_gains_is_what_the_sum_gains() -> None:
    """Against the plain sum of both, low-passed by an FFT of the whole."""
    bottom = (-0.8 * np.roll(TOP, 60)).astype(np.float32)
    found = between_microphones(TOP, bottom, HITS, RATE_HZ)
    put = found.polarity * np.roll(bottom, found.offset_samples)

    def low_db(sound: np.ndarray) -> float:
        power = np.abs(np.fft.rfft(sound)) ** 2
        hz = np.fft.rfftfreq(len(sound), 1 / RATE_HZ)
        return 10 * np.log10(power[(hz > 20) & (hz < 250)].sum())

    assert found.gain_db == pytest.approx(low_db(TOP + put) - low_db(TOP + bottom), abs=1.0)


def test_without_strokes_nothing_is_told() -> None:
    nothing = between_microphones(TOP, TOP, np.zeros(0, np.int64), RATE_HZ)
    assert (nothing.polarity, nothing.offset_samples, nothing.similarity) == (1, 0, 0.0)
