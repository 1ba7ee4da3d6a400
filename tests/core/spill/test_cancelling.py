"""Microphones without what the others explain of them: spill goes, a drum's own strokes stay."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray
from scipy.signal import butter, sosfilt

from nubrak.core.spill import cancelling
from nubrak.core.spill.cancelling import without_spill
from tests.conftest import RATE_HZ, decaying_strokes

LENGTH_S = 12.0


def struck(rng: np.random.Generator, hz: float, level: float = 0.5) -> NDArray[np.float32]:
    times = np.sort(rng.uniform(0.3, LENGTH_S - 0.5, 30))
    return decaying_strokes(
        times.tolist(),
        (level * rng.uniform(0.3, 1, 30)).tolist(),
        LENGTH_S,
        hz=hz,
        seed=int(rng.integers(1 << 30)),
    )


def from_afar(signal: NDArray[np.float32], delay_s: float, gain_db: float) -> NDArray[np.float32]:
    """What another microphone hears of it: later, softer and darker."""
    late = round(delay_s * RATE_HZ)
    dark = sosfilt(butter(1, 3000.0, fs=RATE_HZ, output="sos"), signal)
    out = np.zeros_like(signal)
    out[late:] = (10 ** (gain_db / 20) * dark)[: len(signal) - late]
    return out


def power(signal: NDArray[np.float32]) -> float:
    return float(np.mean(signal.astype(np.float64) ** 2))


@settings(max_examples=8, deadline=None)
@given(seed=st.integers(0, 10_000), delay_s=st.floats(0.0007, 0.003), gain_db=st.floats(-30, -12))
def test_spill_goes_and_own_strokes_stay(seed: int, delay_s: float, gain_db: float) -> None:
    rng = np.random.default_rng(seed)
    snare, tom = struck(rng, 190.0), struck(rng, 110.0)
    spilt = from_afar(tom, delay_s, gain_db)
    left = without_spill({"snare": snare + spilt, "tom": tom + from_afar(snare, delay_s, gain_db)}, RATE_HZ)
    changed = power(left["snare"] - snare)
    # Most of it, and the wanted one may suffer 30 dB under it.
    assert changed < 0.35 * power(spilt) + 1e-3 * power(snare)


def test_what_nobody_else_hears_is_left_as_it_was() -> None:
    rng = np.random.default_rng(5)
    snare, tom = struck(rng, 190.0), struck(rng, 110.0)
    left = without_spill({"snare": snare, "tom": tom}, RATE_HZ)
    assert power(left["snare"] - snare) < 1e-3 * power(snare)


@pytest.mark.parametrize("gain_db", [-4.0, 0.0, 4.0])
def test_two_microphones_at_one_drum_do_not_take_it_from_each_other(gain_db: float) -> None:
    rng = np.random.default_rng(6)
    snare, kick = struck(rng, 190.0), struck(rng, 60.0)
    below = from_afar(snare, 0.0005, gain_db) + from_afar(kick, 0.002, -25)
    left = without_spill(
        {"above": snare + from_afar(kick, 0.003, -20), "below": below, "kick": kick}, RATE_HZ
    )
    for name, own in (("above", snare), ("below", from_afar(snare, 0.0005, gain_db))):
        assert power(left[name]) > 0.5 * power(own), name


def test_what_is_pointed_at_the_same_explains_nothing() -> None:
    rng = np.random.default_rng(7)
    signals = {"a": struck(rng, 190.0), "b": struck(rng, 110.0)}
    left = without_spill(signals, RATE_HZ, {"a": "snare", "b": "snare"})
    assert all(np.array_equal(left[name], signals[name]) for name in signals)


def test_blocks_join_without_a_seam(monkeypatch: pytest.MonkeyPatch) -> None:
    rng = np.random.default_rng(8)
    snare, tom = struck(rng, 190.0), struck(rng, 110.0)
    signals = {"snare": snare + from_afar(tom, 0.002, -12), "tom": tom}
    monkeypatch.setattr(cancelling, "_BLOCK_S", LENGTH_S / 3)
    left = without_spill(signals, RATE_HZ)["snare"]
    spilt = left - snare
    for seam_s in (LENGTH_S / 3, 2 * LENGTH_S / 3):
        at = round(seam_s * RATE_HZ)
        # Where two blocks meet the difference from one sample to the next is no larger than elsewhere.
        assert np.abs(np.diff(spilt[at - 50 : at + 50])).max() <= np.abs(np.diff(spilt)).max() / 2 + 1e-6
    assert power(spilt) < 0.15 * power(from_afar(tom, 0.002, -12))


@pytest.mark.parametrize("rate_hz", [8000, 22050, 96000])
@pytest.mark.parametrize("odd", [np.nan, np.inf, 1e30])
def test_odd_samples_and_rates_spoil_nothing(rate_hz: int, odd: float) -> None:
    rng = np.random.default_rng(11)
    signals = {name: rng.standard_normal(3 * rate_hz).astype(np.float32) for name in "abc"}
    signals["b"][1000] = odd
    left = without_spill(signals, rate_hz)
    assert all(np.isfinite(left[name]).all() for name in "ac")


@pytest.mark.parametrize("length", [0, 1, 100, 5000])
def test_short_and_silent_signals_come_back_as_they_are(length: int) -> None:
    signals = {
        "a": np.zeros(length, np.float32),
        "b": np.full(length, 0.1, np.float32),
        "c": np.zeros(0, np.float32),
    }
    left = without_spill(signals, RATE_HZ)
    assert all(np.array_equal(left[name], signals[name]) for name in signals)
