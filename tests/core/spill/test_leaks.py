"""The leak between microphones, learnt from what they hear together; several microphones on one piece;
alignment.
"""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.find.bands import BAND_EDGES_HZ
from nubrak.core.find.candidates import Candidates
from nubrak.core.find.combine import combine_microphones
from nubrak.core.find.search import find_candidates
from nubrak.core.signal.nearest import strongest_within
from nubrak.core.spill.leaks import learn_leak
from nubrak.core.spill.onsets import PartOnsets, loud_first, part_onsets
from nubrak.core.spill.prediction import predict

RATE_HZ = 44100
BANDS = len(BAND_EDGES_HZ) - 1
EVERYTHING = np.ones(BANDS, bool)


def candidates(time_s: np.ndarray, level_db: np.ndarray, band: int = 12, rise_db: float = 20.0) -> Candidates:
    """Strokes whose power lies in one third octave."""
    count = len(time_s)
    power = np.full((count, BANDS), 1e-12, np.float32)
    power[:, band] = 0.5 * 10 ** (level_db / 10)
    none = np.zeros((count, 0), np.float32)
    return Candidates(
        np.asarray(time_s, float),
        np.full(count, rise_db),
        level_db,
        power,
        power * 1e-4,
        none,
        none.astype(float),
        none,
        none.astype(float),
        none,
    )


def heard(time_s: np.ndarray, level_db: np.ndarray, name: str, band: int = 12) -> PartOnsets:
    return part_onsets(candidates(time_s, level_db, band), EVERYTHING, frozenset([name]), "drum")


def kick_and_snare() -> dict[str, PartOnsets]:
    """The kick is heard 19 dB quieter and 2.9 ms later at the snare: 1 m at 343 m/s (20 °C). Twice they are
    struck together.
    """
    rng = np.random.default_rng(3)
    times, level = np.arange(60) * 0.4 + 0.2, rng.normal(-8, 2, 60)
    there = level - 19 + rng.normal(0, 0.5, 60)
    own, own_level = np.arange(30) * 0.8 + 0.41, rng.normal(-9, 2, 30)
    order = np.argsort(np.concatenate([times + 0.0029, own]))
    snare = heard(
        np.concatenate([times + 0.0029, own])[order], np.concatenate([there, own_level])[order], "snare"
    )
    kick_times, kick_level = np.concatenate([times, own + 0.0029]), np.concatenate([level, own_level - 25])
    order = np.argsort(kick_times)
    return {"kick": heard(kick_times[order], kick_level[order], "kick"), "snare": snare}


def test_level_and_delay_of_a_leak_are_measured_from_what_is_heard_together() -> None:
    session = kick_and_snare()
    strokes = loud_first(session)
    leak = learn_leak(session["kick"], session["snare"], strokes["kick"], strokes["snare"])
    assert leak is not None
    assert leak.own_level_db == pytest.approx(-19, abs=1) and leak.delay_s == pytest.approx(
        0.0029, abs=0.0003
    )
    back = learn_leak(session["snare"], session["kick"], strokes["snare"], strokes["kick"])
    assert back is not None and back.own_level_db == pytest.approx(-25, abs=1.5)


def test_what_is_loud_and_first_is_a_piece_of_its_own_whatever_the_gains() -> None:
    session = kick_and_snare()
    own = loud_first(session)
    quiet = {
        "kick": session["kick"],
        "snare": part_onsets(
            _quieter(session["snare"].candidates, 26), EVERYTHING, frozenset(["snare"]), "drum"
        ),
    }
    assert own["kick"].sum() == 60 and own["snare"].sum() == 30
    again = loud_first(quiet)
    assert np.array_equal(again["kick"], own["kick"]) and np.array_equal(again["snare"], own["snare"])


def _quieter(found: Candidates, by_db: float) -> Candidates:
    values = {name: getattr(found, name) for name in Candidates.__dataclass_fields__}
    gain = np.float32(10 ** (-by_db / 10))
    return Candidates(
        **values
        | {
            "attack_power": found.attack_power * gain,
            "before_power": found.before_power * gain,
            "peak_db": found.peak_db - by_db,
        }
    )


def test_predicted_spill_is_what_arrives_and_speaks_of_who_sent_it() -> None:
    session = kick_and_snare()
    strokes = loud_first(session)
    leaks = {
        ("kick", "snare"): learn_leak(session["kick"], session["snare"], strokes["kick"], strokes["snare"])
    }
    assert leaks["kick", "snare"] is not None
    own = {key: rows.astype(float) for key, rows in strokes.items()}
    spilt = predict("snare", session, leaks, own)  # type: ignore[arg-type]
    is_spill = ~strokes["snare"]
    predicted = 10 * np.log10(2 * spilt.power.sum(axis=1)[is_spill])
    assert np.all(spilt.source[is_spill] == 0) and np.all(spilt.source[strokes["snare"]] == -1)
    assert np.abs(predicted - session["snare"].level_db[is_spill]).max() < 3
    assert np.abs(spilt.at_s[is_spill] + 0.0029 - session["snare"].candidates.time_s[is_spill]).max() < 0.0005


def test_a_microphone_moved_half_way_is_followed() -> None:
    rng = np.random.default_rng(8)
    times, level = np.arange(200) * 0.3 + 0.1, rng.normal(-8, 1, 200)
    there = level - np.where(times < 30, 24, 15)
    kick, snare = heard(times, level, "kick"), heard(times + 0.003, there, "snare")
    leak = learn_leak(kick, snare, np.ones(200, bool), np.zeros(200, bool))
    assert leak is not None
    followed = leak.own_level_db + leak.local_db
    assert followed[20] == pytest.approx(-24, abs=1.5) and followed[-20] == pytest.approx(-15, abs=1.5)


def test_too_few_or_scattered_arrivals_teach_nothing() -> None:
    rng = np.random.default_rng(9)
    times = np.arange(80) * 0.5
    kick = heard(times, np.full(80, -8.0), "kick")
    never = heard(times + 0.2, np.full(80, -30.0), "x")
    scattered = heard(np.sort(times + rng.uniform(-0.005, 0.014, 80)), np.full(80, -30.0), "y")
    few = heard(times[:3] + 0.003, np.full(3, -30.0), "z")
    for other in (never, scattered, few):
        assert learn_leak(kick, other, np.ones(80, bool), np.zeros(len(other.level_db), bool)) is None


def test_the_strongest_in_reach_is_the_nearest() -> None:
    found = strongest_within(
        np.array([0.1, 0.2, 0.5]), np.array([0.099, 0.101, 0.25]), np.array([-30.0, -10.0, -5.0]), 0.004
    )
    assert found.tolist() == [1, -1, -1]


def test_two_microphones_on_one_piece_find_it_once_on_the_earlier() -> None:
    times = np.arange(20) * 0.5 + 0.1
    inside, outside = (
        candidates(times, np.full(20, -6.0)),
        candidates(times + 0.0021, np.full(20, -18.0), band=4),
    )
    alone = candidates(np.array([7.33]), np.array([-18.0]), band=4)
    both = combine_microphones([inside, _joined(outside, alone)])
    assert len(both) == 21 and np.all(np.diff(both.time_s) > 0)
    assert np.abs(both.time_s[np.isin(np.round(both.time_s, 4), np.round(times, 4))] - times).max() < 1e-9
    swapped = combine_microphones([outside, inside])
    assert np.allclose(swapped.time_s, times, atol=1e-9)
    lone = int(np.argmin(np.abs(both.time_s - 7.33)))
    level = 10 * np.log10(both.attack_power.sum(axis=1))
    assert level[lone] == pytest.approx(np.median(level) - 3.0, abs=0.2)  # half of the evidence
    assert len(combine_microphones([])) == 0 and combine_microphones([inside]) is inside


def _joined(one: Candidates, other: Candidates) -> Candidates:
    order = np.argsort(np.concatenate([one.time_s, other.time_s]))
    return Candidates(
        **{
            name: np.concatenate([getattr(one, name), getattr(other, name)])[order]
            for name in Candidates.__dataclass_fields__
            if name != "band_envelope"
        }
    )


def _drum(seed: int) -> np.ndarray:
    t = np.arange(round(0.3 * RATE_HZ)) / RATE_HZ
    rng = np.random.default_rng(5)
    click = rng.standard_normal(200) * np.exp(-np.arange(200) / 40)
    body = np.sin(2 * np.pi * 180 * t) * np.exp(-t / 0.08)
    body[:200] += 1.5 * click
    return body * (1 + 0.02 * np.random.default_rng(seed).standard_normal())


def test_attacks_are_right_to_the_sample_under_a_forerunner_and_a_ringing() -> None:
    """Noise bursts of another piece run 4 ms ahead of some strokes and a tone rings through others; the true
    attacks are known.
    """
    rng = np.random.default_rng(11)
    audio = rng.standard_normal(20 * RATE_HZ) * 2e-5
    truth = []
    for number, at in enumerate(np.arange(0.5, 19, 0.45)):
        begin = round((at + rng.uniform(-0.01, 0.01)) * RATE_HZ)
        stroke = 0.5 * _drum(number)
        audio[begin : begin + len(stroke)] += stroke
        if number % 3 == 1:
            ahead = begin - round(0.004 * RATE_HZ)
            audio[ahead : ahead + 400] += 0.05 * rng.standard_normal(400) * np.exp(-np.arange(400) / 150)
        if number % 3 == 2:
            ring = np.arange(-6000, 12000)
            audio[begin - 6000 : begin + 12000] += (
                0.06 * np.sin(2 * np.pi * 94 * ring / RATE_HZ + number) * np.exp(-(ring + 6000) / 9000)
            )
        truth.append(begin / RATE_HZ)
    found = find_candidates(audio.astype(np.float32), RATE_HZ)
    errors = np.array([1000 * np.min(np.abs(found.time_s - t)) for t in truth])
    assert np.median(errors) < 0.1 and np.percentile(errors, 95) < 0.3


def test_strokes_of_one_drum_sound_alike_and_those_of_another_do_not() -> None:
    audio = np.random.default_rng(1).standard_normal(12 * RATE_HZ) * 1e-5
    for number in range(24):
        begin = round((0.3 + 0.45 * number) * RATE_HZ)
        t = np.arange(4000) / RATE_HZ
        stroke = (
            _drum(number)[:4000]
            if number % 2
            else np.random.default_rng(number % 4).standard_normal(4000) * np.exp(-t / 0.01)
        )
        audio[begin : begin + 4000] += 0.3 * stroke
    found = find_candidates(audio.astype(np.float32), RATE_HZ)
    drums = [int(np.argmin(np.abs(found.time_s - (0.3 + 0.45 * n)))) for n in range(1, 24, 2)]
    sounds = found.similarity[drums].argmax(axis=1)
    assert len(set(sounds.tolist())) == 1 and found.similarity[drums, sounds].min() > 0.9
    noises = [int(np.argmin(np.abs(found.time_s - (0.3 + 0.45 * n)))) for n in range(0, 24, 2)]
    assert found.similarity[noises, sounds[0]].max() < 0.6
