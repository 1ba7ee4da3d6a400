"""Ringing: what a part's own strokes make sound after them, and what stands over it."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.find.search import find_candidates
from nubrak.core.pieces.catalogue import PIECES
from nubrak.core.spill.ringing import NOT_DUE_DB, echo_share, over_past, over_ringing, rings_s, sustain_ratio
from tests.conftest import RATE_HZ

LENGTH_S = 12.0


def ringing(strokes_s: list[float], gain: float, decay_s: float, hz: float = 300.0) -> np.ndarray:
    out = np.zeros(round(LENGTH_S * RATE_HZ))
    seconds = np.arange(RATE_HZ) / RATE_HZ
    for time_s in strokes_s:
        begin = round(time_s * RATE_HZ)
        sound = gain * np.sin(2 * np.pi * hz * seconds) * np.exp(-seconds / decay_s)
        out[begin : begin + RATE_HZ] += sound[: len(out) - begin]
    return out


@pytest.mark.parametrize("decay_s", [0.05, 0.1, 0.2])
def test_a_ring_lasts_until_it_is_thirty_decibels_down(decay_s: float) -> None:
    mono = ringing([1.0], 0.5, decay_s) + 1e-5 * np.random.default_rng(1).standard_normal(
        round(LENGTH_S * RATE_HZ)
    )
    found = find_candidates(mono.astype(np.float32), RATE_HZ)
    lasts = rings_s(found.band_envelope, np.array([1.0]), PIECES["snare"])[0]
    # an exponential decay is 30 dB down after ln(10) * 1.5 time constants
    assert lasts == pytest.approx(1.5 * np.log(10) * decay_s, abs=0.03)


def test_a_new_stroke_stands_over_what_rings_and_the_ring_itself_does_not() -> None:
    strokes = [1.0 + n for n in range(10)]
    swells = [one + 0.25 for one in strokes]  # each stroke is answered by the room, 12 dB softer
    # and one stroke more
    mono = ringing(strokes, 0.5, 0.06) + ringing(swells, 0.12, 0.04) + ringing([5.4], 0.4, 0.06)
    mono += 1e-5 * np.random.default_rng(1).standard_normal(len(mono))
    found = find_candidates(mono.astype(np.float32), RATE_HZ)
    times = np.array([*strokes, *swells, 5.4])
    order = np.argsort(times)
    own = np.isin(times[order], [*strokes, 5.4]).astype(np.float64)
    over = over_ringing(found.band_envelope, times[order], own).max(axis=1)
    swelling = np.isin(times[order], swells[1:9])
    new = times[order] == 5.4
    assert np.median(over[swelling]) < 6 < 12 < over[new][0]


def test_a_wall_is_more_regular_than_a_hand() -> None:
    strokes = 1.0 + np.arange(20) * 0.5
    echo, hand = strokes + 0.12, strokes + 0.2 + np.random.default_rng(3).uniform(0, 0.1, 20)
    times = np.concatenate([strokes, echo, hand])
    level = np.concatenate([np.full(20, -10.0), np.full(20, -25.0), np.full(20, -25.0)])
    own = np.concatenate([np.ones(20), np.zeros(40)])
    order = np.argsort(times)
    share = np.empty(60)
    share[order] = echo_share(times[order], level[order], own[order])
    assert share[20:40].min() > 0.9 and np.median(share[40:]) < 0.3 and not share[:20].any()


def test_what_follows_sooner_than_a_foot_strikes_again_may_be_nearly_as_loud() -> None:
    rng = np.random.default_rng(4)
    strokes = 1.0 + np.cumsum(rng.uniform(0.2, 0.6, 20))
    swell, again = strokes + 0.042, strokes[:10] + 0.12 + rng.normal(0, 0.001, 10)
    times = np.concatenate([strokes, swell, again])
    level = np.concatenate([np.full(20, -10.0), np.full(20, -13.0), np.full(10, -13.0)])
    order = np.argsort(times)
    share = np.empty(50)
    # A first look takes all of them for strokes: what follows so regularly does not count among them.
    share[order] = echo_share(times[order], level[order], np.ones(50))
    assert share[20:40].min() > 0.6 and not share[:20].any() and not share[40:].any()


def test_over_the_past_is_how_far_it_steps_up() -> None:
    noise = np.random.default_rng(5).standard_normal(round(3 * RATE_HZ)) * 0.01
    noise[RATE_HZ:] *= 10
    found = find_candidates(noise.astype(np.float32), RATE_HZ)
    over = over_past(found.band_envelope, np.array([1.0, 2.0]))
    assert over[0, 1:] == pytest.approx([20, 20], abs=4) and np.abs(over[1, 1:]).max() < 4


def test_only_what_lasts_is_held() -> None:
    seconds = np.arange(round(3 * RATE_HZ)) / RATE_HZ
    noise = np.random.default_rng(5).standard_normal(len(seconds))
    wash = 0.2 * noise * np.where(seconds > 1, np.exp(-(seconds - 1) / 2.0), 1e-4)
    click = 0.2 * noise * np.where(seconds > 1, np.exp(-(seconds - 1) / 0.02), 1e-4)
    kept = []
    for sound in (wash, click):
        found = find_candidates(sound.astype(np.float32), RATE_HZ)
        over, holds = sustain_ratio(found.band_envelope, np.array([1.0]))
        kept.append((over[0], holds[0]))
    assert kept[0][0] > 40 and kept[0][1] > -4
    assert kept[1][0] < 15 and kept[1][1] < -30


def test_nothing_known_says_nothing() -> None:
    empty = np.zeros((0, 6), np.float16)
    assert (over_past(empty, np.zeros(2)) == NOT_DUE_DB).all()
    assert (over_ringing(empty, np.zeros(2), np.ones(2)) == NOT_DUE_DB).all()
    assert not echo_share(np.zeros(2), np.zeros(2), np.ones(2)).any()
