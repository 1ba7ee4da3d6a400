"""Which strokes stand most by themselves."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nubrak.core.samples.clearest import Clear, clearest, layered
from nubrak.core.samples.from_recording import cut_out, cutout

RATE_HZ = 44100


def tone(hz: float, fall_s: float, length_s: float = 0.6) -> np.ndarray:
    t = np.arange(round(length_s * RATE_HZ)) / RATE_HZ
    return np.sin(2 * np.pi * hz * t) * np.exp(-t / fall_s)


def line(times: list[float], sound: np.ndarray, gains: list[float], length_s: float = 12.0) -> np.ndarray:
    out = np.zeros(round(length_s * RATE_HZ))
    for at_s, gain in zip(times, gains, strict=True):
        begin = round(at_s * RATE_HZ)
        out[begin : begin + len(sound)] += gain * sound[: len(out) - begin]
    return out


def test_what_stands_alone_comes_first_and_says_why() -> None:
    snares = [0.5, 1.5, 2.5, 3.5, 4.5, 5.5]
    kicks, hats = [0.5, 1.5, 1.62, 3.48, 4.51], [5.6, 2.4, 2.48]
    own = line(snares, tone(190, 0.06), [0.5] * 6)
    own[round(4.5 * RATE_HZ) :][:2000] *= 0.5
    sound = own + line(kicks, tone(60, 0.2), [0.4] * 5) + line(hats, tone(7000, 0.02), [0.1] * 3)
    found = clearest(
        sound.astype(np.float32),
        RATE_HZ,
        np.array(snares),
        {"kick": np.array(kicks), "hi-hat": np.array(sorted(hats))},
    )
    assert len(found) == 6 and found[0].time_s in (2.5, 5.5)
    assert {found[0].time_s, found[1].time_s} == {2.5, 5.5}, "kicks are with all others"
    first = next(one for one in found if one.time_s == 5.5)
    assert "alone for 100 ms" in first.reason and "level as usual" in first.reason
    with_kick = next(one for one in found if one.time_s == 0.5)
    assert with_kick.with_piece == "kick" and "kick struck with it" in with_kick.reason
    assert abs(with_kick.with_db - 20 * np.log10(0.4 / 0.5)) < 6


def test_clipped_and_odd_strokes_stand_behind() -> None:
    times = [0.5, 1.5, 2.5, 3.5]
    sound = line(times, tone(190, 0.06), [0.5, 0.5, 0.5, 1.6])
    sound[round(1.5 * RATE_HZ) :][: len(tone(900, 0.06))] += 0.4 * tone(900, 0.06)
    sound = np.clip(sound, -0.95, 0.95).astype(np.float32)
    found = clearest(sound, RATE_HZ, np.array(times), {})
    assert [one.clipped for one in found] == [False, False, False, True]
    last = found[-1]
    assert last.time_s == 3.5 and "clipped" in last.reason and "louder than usual" in last.reason
    assert found[2].time_s == 1.5, "its tone is not the usual one"


def test_without_strokes_and_in_silence_nothing_breaks() -> None:
    silent = np.zeros(1000, np.float32)
    assert clearest(silent, RATE_HZ, np.zeros(0), {}) == []
    [only] = clearest(silent, RATE_HZ, np.array([0.5]), {"kick": np.zeros(0)})
    assert np.isfinite(only.spoilt_db)


def clear(row: int, spoilt_db: float) -> Clear:
    return Clear(row, row / 4, spoilt_db, 0.2, -40.0, -70.0, None, 0.0, 0.0, False)


@given(st.lists(st.integers(1, 127), min_size=1, max_size=60), st.integers(1, 8), st.integers(1, 6))
def test_layers_cover_every_velocity_once_and_take_the_clearest(
    hard: list[int], most_layers: int, most_turns: int
) -> None:
    found = [clear(row, float(row)) for row in range(len(hard))]
    chosen = layered(found, np.array(hard), most_layers, most_turns)
    ranges = sorted({(one.low, one.high) for one in chosen})
    assert len(ranges) <= most_layers and ranges[0][0] == 1 and ranges[-1][1] == 127
    assert all(high + 1 == low for (_, high), (low, _) in pairwise(ranges))
    for bounds in ranges:
        turns = [one for one in chosen if (one.low, one.high) == bounds]
        assert len(turns) <= most_turns
    assert any(one.clear.row == 0 for one in chosen), "the clearest of all is in it"
    assert all(one.velocity == hard[one.clear.row] for one in chosen)


def test_a_kit_has_much_less_spill_than_the_median_stroke() -> None:
    """A snare under kicks and hats whose truth is known: the spill in what is taken, against all strokes."""
    rng = np.random.default_rng(4)
    snares = np.arange(24) + 0.5
    hats = np.sort(np.concatenate([np.arange(0, 25, 0.25), snares[::2]])) + 0.001
    hats = hats[(np.abs(hats[:, None] - [3.5, 9.5, 15.5, 21.5]) > 0.3).all(axis=1)]
    kicks = np.sort(rng.choice(np.arange(0, 25, 0.5), 30, replace=False)) + 0.002
    kicks = kicks[(np.abs(kicks[:, None] - [3.5, 9.5, 15.5, 21.5]) > 0.3).all(axis=1)]
    own = line(snares.tolist(), tone(190, 0.07), [0.5] * len(snares), 26)
    spill = line(hats.tolist(), tone(6000, 0.05), [0.06] * len(hats), 26)
    spill += line(kicks.tolist(), tone(60, 0.2), [0.08] * len(kicks), 26)
    mono = (own + spill).astype(np.float32)
    chosen = layered(
        clearest(mono, RATE_HZ, snares, {"kick": kicks, "hi-hat": hats}), np.full(len(snares), 100), 5, 4
    )

    def spill_db(where: object) -> float:
        here = cut_out(spill.astype(np.float32)[:, None], where)  # type: ignore[arg-type]
        return float(10 * np.log10((here.astype(np.float64) ** 2).sum() + 1e-12))

    taken = [cutout(mono, RATE_HZ, one.clear.time_s, one.clear.alone_s) for one in chosen]
    plain = [cutout(mono, RATE_HZ, at_s, 0.5) for at_s in snares]
    assert len(taken) == 4
    assert max(map(spill_db, taken)) <= np.median([spill_db(one) for one in plain]) - 12.0


def test_a_sample_begins_a_moment_before_its_attack_and_ends_where_it_has_died() -> None:
    sound = (line([1.0], tone(200, 0.05), [0.8], 3.0) + 1e-4).astype(np.float32)
    where = cutout(sound, RATE_HZ, 1.0, 2.0)
    assert where.lead == round(0.002 * RATE_HZ) and where.begin == RATE_HZ - where.lead
    assert 0.2 < (where.end - RATE_HZ) / RATE_HZ < 0.6
    taken = cut_out(np.stack([sound, sound], axis=1), where)
    assert taken.shape == (where.end - where.begin, 2) and abs(taken[-1]).max() < 1e-4
    body = slice(where.fade_in, len(taken) - where.fade_out)
    assert np.array_equal(taken[body, 0], sound[where.begin : where.end][body])


@pytest.mark.parametrize("at_s", [0.0, 2.9999, 3.5])
def test_strokes_at_the_very_ends_can_be_cut_out(at_s: float) -> None:
    sound = np.random.default_rng(1).uniform(-1, 1, 3 * RATE_HZ).astype(np.float32)
    where = cutout(sound, RATE_HZ, at_s, 0.0)
    assert where.end > where.begin >= 0 and len(cut_out(sound[:, None], where)) == where.end - where.begin
