"""How long strokes ring, against decays that are known."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from nubrak.core.find.band_envelope import band_envelope_of
from nubrak.core.spill.ring_out import LONGEST_S, ring_out_s

RATE_HZ = 44100
NONE = np.zeros(0)


def ringing(
    times_s: list[float], t60_s: list[float], length_s: float, hz: float = 180.0, noise_db: float = -90.0
) -> NDArray[np.float32]:
    """Strokes that decay by 60 dB in so long each, each ending the one before, over a little noise."""
    t = np.arange(round(length_s * RATE_HZ)) / RATE_HZ
    out = 10 ** (noise_db / 20) * np.random.default_rng(4).standard_normal(len(t))
    for k, (at, t60) in enumerate(zip(times_s, t60_s, strict=True)):
        until = times_s[k + 1] if k + 1 < len(times_s) else length_s
        here = (t >= at) & (t < until)
        out[here] += 0.5 * np.sin(2 * np.pi * hz * (t[here] - at)) * 10 ** (-3 * (t[here] - at) / t60)
    return out.astype(np.float32)


@pytest.mark.parametrize("t60_s", [0.3, 0.8, 2.0, 4.0])
def test_a_stroke_that_rings_alone_falls_as_it_was_made_to(t60_s: float) -> None:
    times = [1.0, 7.0, 13.0]
    envelope = band_envelope_of(ringing(times, [t60_s] * 3, 20.0), RATE_HZ)
    found = ring_out_s(envelope, np.array(times), NONE, 40.0)
    # Never sooner, and later by the window it is measured through.
    assert np.all(found >= 2 / 3 * t60_s - 0.005) and np.all(found < 2 / 3 * t60_s + 0.04)


def test_what_the_next_stroke_covers_is_as_long_as_the_others_are() -> None:
    times = [1.0, 1.25, 1.5, 1.75, 2.0, 6.0, 10.0, 14.0]
    envelope = band_envelope_of(ringing(times, [1.2] * 8, 18.0), RATE_HZ)
    found = ring_out_s(envelope, np.array(times), NONE, 40.0)
    assert np.allclose(found, 0.8, atol=0.06)


def test_under_the_noise_a_ring_goes_on_as_steeply_as_before() -> None:
    times = [1.0, 6.0, 11.0]
    envelope = band_envelope_of(ringing(times, [1.8] * 3, 16.0, noise_db=-46.0), RATE_HZ)
    assert np.allclose(ring_out_s(envelope, np.array(times), NONE, 60.0), 1.8, atol=0.3)


def test_short_and_long_ways_of_striking_one_piece_are_told_apart() -> None:
    times = [1.0, 2.0, 3.0, 6.0, 7.0, 8.0, 11.0]
    t60 = [0.2, 0.2, 2.4, 0.2, 0.2, 2.4, 0.2]
    found = ring_out_s(
        band_envelope_of(ringing(times, t60, 14.0, hz=4000.0), RATE_HZ), np.array(times), NONE, 40.0
    )
    assert np.all(found[[0, 1, 3, 4, 6]] < 0.2) and np.all(found[[2, 5]] > 1.5)


def test_a_stroke_of_another_piece_does_not_lengthen_a_ring() -> None:
    times, other_s = [1.0, 5.0, 9.0], [1.3, 5.3, 9.3]
    sound = ringing(times, [0.6] * 3, 12.0)
    t = np.arange(len(sound)) / RATE_HZ
    for at in other_s:
        here = t >= at
        sound[here] += (
            0.05 * np.sin(2 * np.pi * 900 * (t[here] - at)) * 10 ** (-3 * (t[here] - at) / 2)
        ).astype(np.float32)
    envelope = band_envelope_of(sound, RATE_HZ)
    assert np.allclose(ring_out_s(envelope, np.array(times), np.array(other_s), 40.0), 0.4, atol=0.08)


@settings(max_examples=40, deadline=None)
@given(
    st.lists(st.floats(0, 5), min_size=1, max_size=12),
    st.integers(0, 600),
    st.floats(12, 60),
    st.integers(0, 1 << 16),
)
def test_whatever_is_heard_every_ring_has_a_length(
    times: list[float], steps: int, fallen_db: float, seed: int
) -> None:
    envelope = np.random.default_rng(seed).uniform(-120, 0, (steps, 6)).astype(np.float16)
    found = ring_out_s(envelope, np.sort(np.array(times)), NONE, fallen_db)
    assert found.shape == (len(times),) and np.all((found > 0) & (found <= LONGEST_S))


@pytest.mark.parametrize("noise_db", [-42.0, -34.0])
def test_where_only_the_room_is_heard_any_more_the_drum_is_not(noise_db: float) -> None:
    """Noise 25 to 35 dB under the strokes: the level stands still there, and the drum has gone on falling."""
    times = [1.0 + 1.5 * k for k in range(10)]
    envelope = band_envelope_of(ringing(times, [0.5] * 10, 17.0, noise_db=noise_db), RATE_HZ)
    assert np.allclose(ring_out_s(envelope, np.array(times), NONE, 40.0), 1 / 3, atol=0.08)


def test_a_wash_under_a_ping_is_the_cymbals_own() -> None:
    """A ping that falls by 14 dB at once, and a wash that takes six seconds: nothing of it is a floor."""
    times = [1.0 + 4.0 * k for k in range(6)]
    t = np.arange(26 * RATE_HZ) / RATE_HZ
    sound = 1e-5 * np.random.default_rng(4).standard_normal(len(t))
    for at in times:
        here = t >= at
        since = t[here] - at
        fall = np.where(
            since < 0.1, 10 ** (-14 * since / 0.1 / 20), 10 ** (-14 / 20) * 10 ** (-3 * since / 6)
        )
        sound[here] = 0.5 * fall * np.sin(2 * np.pi * 5000 * since)
    envelope = band_envelope_of(sound.astype(np.float32), RATE_HZ)
    assert ring_out_s(envelope, np.array(times), NONE, 40.0).min() > 2.3


def test_a_soft_stroke_is_over_when_it_is_as_far_down_as_loud_ones_are() -> None:
    times = [1.0 + 2.0 * k for k in range(8)]
    sound = ringing(times, [1.2] * 8, 17.0)
    soft = slice(round(5.0 * RATE_HZ), round(7.0 * RATE_HZ))
    sound[soft] *= np.float32(0.1)
    found = ring_out_s(band_envelope_of(sound, RATE_HZ), np.array(times), NONE, 40.0)
    assert found[2] == pytest.approx(24 / 60 * 1.2, abs=0.06), "24 dB, for it is 20 dB softer"
    assert np.allclose(np.delete(found, 2), 0.8, atol=0.06)
