"""The envelope of the level between candidates, what leaks by it, and what of a swelling ring it explains."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nubrak.core.find.band_envelope import (
    EDGES_HZ,
    REGIONS,
    STEP_S,
    band_envelope_of,
    joined_envelope,
    no_band_envelope,
    onset_power_at,
    power_at,
)
from nubrak.core.find.bands import BAND_EDGES_HZ
from nubrak.core.find.combine import combine_microphones
from nubrak.core.spill.leaks import learn_by_envelope
from nubrak.core.spill.onsets import part_onsets
from nubrak.core.spill.ringing import NOT_DUE_DB, over_past, over_ringing, sustain_ratio
from tests.core.spill.heard import candidates

EVERYTHING = np.ones(len(BAND_EDGES_HZ) - 1, bool)


@pytest.mark.parametrize("rate_hz", [22050, 44100, 48000, 96000])
@pytest.mark.parametrize(
    ("hz", "region"), [(60.0, 0), (160.0, 1), (440.0, 2), (1000.0, 3), (4000.0, 4), (8000.0, 5)]
)
def test_a_full_scale_sine_reads_nought_in_its_region_at_any_rate(
    rate_hz: int, hz: float, region: int
) -> None:
    # AES17: a full-scale sine is 0 dBFS.
    t = np.arange(rate_hz) / rate_hz
    band_envelope = band_envelope_of(np.sin(2 * np.pi * hz * t).astype(np.float32), rate_hz)
    assert len(band_envelope) == 100
    middle = band_envelope[20:80].astype(float)
    assert middle[:, region].mean() == pytest.approx(0.0, abs=1.5)
    assert (
        np.delete(middle, [max(region - 1, 0), region, min(region + 1, REGIONS - 1)], axis=1).max() < -15
    )  # through a window this short and steep


def test_regions_are_whole_third_octaves() -> None:
    assert np.isin(np.round(EDGES_HZ, 3), np.round(BAND_EDGES_HZ, 3)).all()


def test_clips_lie_where_they_start_and_silence_between() -> None:
    one = np.full((10, REGIONS), -20, np.float16)
    out = joined_envelope([one, one + np.float16(6), one], [0.0, 0.05, 0.5])
    assert len(out) == 60
    assert (
        np.all(out[:5] == -20)
        and np.all(out[5:15] == -14)
        and np.all(out[15:50] == -120)
        and np.all(out[50:] == -20)
    )
    assert len(joined_envelope([], [])) == 0 and len(joined_envelope([no_band_envelope()], [3.0])) == 300


@settings(max_examples=30, deadline=None)
@given(at_s=st.floats(0.2, 0.7), gain_db=st.floats(-40, 0))
def test_what_is_added_at_a_time_is_read_wherever_the_grid_lies(at_s: float, gain_db: float) -> None:
    rate = 44100
    t = np.arange(rate) / rate
    burst = np.where(
        t >= at_s, np.exp(-(t - at_s) / 0.08) * np.sin(2 * np.pi * 1000 * (t - at_s)), 0
    ) * 10 ** (gain_db / 20)
    steady = 0.002 * np.sin(2 * np.pi * 330 * t)
    band_envelope = band_envelope_of((burst + steady).astype(np.float32), rate)
    alone = band_envelope_of(burst.astype(np.float32), rate)
    read = 10 * np.log10(onset_power_at(band_envelope, np.array([at_s]), 2)[0, 3])
    assert read == pytest.approx(10 * np.log10(power_at(alone, np.array([at_s]), 2)[0, 3]), abs=1.0)


def test_nothing_is_read_where_there_is_no_course() -> None:
    assert power_at(no_band_envelope(), np.array([0.0, 3.0])).tolist() == [[0.0] * REGIONS] * 2
    short = np.zeros((5, REGIONS), np.float16)
    assert power_at(short, np.array([9.0])).max() < 1e-10


def _with_band_envelope(
    time_s: np.ndarray, level_db: np.ndarray, shapes: list[tuple[float, float]], length_s: float
) -> object:
    """Candidates whose band envelope, in every region, is at each of them the level and then falls 60 dB in a
    second, but at each (lag in s, dB) of ``shapes`` swells again to that level.
    """
    band_envelope = np.full((round(length_s / STEP_S), REGIONS), -100.0)
    for at, level in zip(time_s, level_db, strict=True):
        first = round(at / STEP_S)
        lags = np.arange(min(100, len(band_envelope) - first))
        after = level - 0.6 * lags
        for lag_s, swell_db in shapes:
            near = np.abs(lags - round(lag_s / STEP_S)) <= 1
            after[near] = np.maximum(after[near], level + swell_db)
        band_envelope[first : first + len(lags)] = np.maximum(
            band_envelope[first : first + len(lags)], after[:, None]
        )
    return band_envelope.astype(np.float16)


def test_a_ring_that_swells_after_every_stroke_is_explained_and_a_new_stroke_is_not() -> None:
    strokes = np.arange(20) * 0.7 + 0.1
    level = np.random.default_rng(2).normal(-10, 2, 20)
    band_envelope = _with_band_envelope(strokes, level, [(0.15, -5.0)], 16.0)
    swells, new = strokes + 0.15, strokes[10] + 0.15
    first = round(new / STEP_S)
    with_new = band_envelope.copy()
    with_new[first : first + 10] = np.float16(
        level[10]
    )  # as loud as the stroke before, where only a swelling is due
    time_s = np.sort(np.concatenate([strokes, swells]))
    own = np.isin(time_s, strokes).astype(float)
    over = over_ringing(with_new, time_s, own)
    is_new = np.abs(time_s - new) < 1e-6
    swelling = ~own.astype(bool) & ~is_new
    assert np.abs(over[swelling]).max() < 1.5
    assert over[is_new].min() == pytest.approx(5.0, abs=1.5)
    assert np.all(over[own.astype(bool)] == NOT_DUE_DB)  # 0.7 s later nothing is due any more


def test_without_strokes_nothing_is_due() -> None:
    band_envelope = np.full((100, REGIONS), -30, np.float16)
    assert np.all(over_ringing(band_envelope, np.array([0.2, 0.4]), np.zeros(2)) == NOT_DUE_DB)
    assert np.all(over_ringing(no_band_envelope(), np.array([0.2, 0.4]), np.ones(2)) == NOT_DUE_DB)
    assert np.all(over_past(no_band_envelope(), np.array([0.2])) == NOT_DUE_DB)


def test_what_comes_back_after_a_dip_does_not_stand_over_the_past() -> None:
    band_envelope = np.full((100, REGIONS), -20.0)
    band_envelope[40:46] = -50.0  # modes that beat
    band_envelope[70:] = -8.0  # a stroke
    over = over_past(band_envelope.astype(np.float16), np.array([0.46, 0.70]))
    assert over[0].max() <= 0.1 and over[1].min() == pytest.approx(12.0, abs=0.2)


def test_a_leak_under_everything_else_is_read_off_the_course() -> None:
    rng = np.random.default_rng(5)
    times, level = np.arange(60) * 0.4 + 0.2, rng.normal(-8, 2, 60)
    there = part_onsets(candidates(times, level, band=20), EVERYTHING, frozenset(["a"]), "drum")
    band_envelope = np.full((round(26 / STEP_S), REGIONS), -95.0)
    for at, one in zip(times, level, strict=True):
        first = round((at + 0.003) / STEP_S)
        band_envelope[first : first + 20, 4] = (
            one - 31.0 + rng.normal(0, 0.5)
        )  # third octave 20 lies in region 4
    own_s = np.array([0.21, 5.01])
    silent = part_onsets(
        replace(candidates(own_s, np.full(2, -10.0)), band_envelope=band_envelope.astype(np.float16)),
        EVERYTHING,
        frozenset(["b"]),
        "drum",
    )
    leak = learn_by_envelope(there, silent, np.ones(60, bool), np.ones(2, bool), 0.003)
    assert leak is not None and leak.delay_s - leak.reach_s < 0.003 < leak.delay_s + leak.reach_s
    assert leak.own_level_db == pytest.approx(-31, abs=1.5)
    assert 10 * np.log10(leak.colour[5]) < -31 + 1.5  # elsewhere at most as much
    # Where it plays itself every time, nothing can be said.
    always = part_onsets(
        replace(
            candidates(times + 0.002, np.full(60, -10.0)), band_envelope=band_envelope.astype(np.float16)
        ),
        EVERYTHING,
        frozenset(["b"]),
        "drum",
    )
    assert learn_by_envelope(there, always, np.ones(60, bool), np.ones(60, bool), 0.003) is None
    assert (
        learn_by_envelope(
            there,
            part_onsets(candidates(own_s, np.full(2, -10.0)), EVERYTHING, frozenset(["b"]), "drum"),
            np.ones(60, bool),
            np.zeros(2, bool),
            0.003,
        )
        is None
    )


def test_two_microphones_on_one_piece_have_one_course() -> None:
    times = np.arange(10) * 0.5 + 0.1
    loud = replace(
        candidates(times, np.full(10, -6.0)), band_envelope=np.full((600, REGIONS), -6.0, np.float16)
    )
    soft = replace(
        candidates(times, np.full(10, -18.0)), band_envelope=np.full((500, REGIONS), -18.0, np.float16)
    )
    both = combine_microphones([loud, soft])
    # Brought to one level, each half of the whole.
    assert len(both.band_envelope) == 600 and np.abs(both.band_envelope.astype(float) + 9.0).max() < 0.1


def test_only_what_lasts_blooms() -> None:
    rng, rate = np.random.default_rng(4), 44100
    audio = rng.standard_normal(12 * rate) * 1e-4
    for time_s, decay_s, level in (
        (1.0, 1.2, 0.2),
        (4.0, 0.04, 0.2),
        (6.0, 1.2, 0.2),
        (6.2, 0.05, 0.3),
        (9.0, 0.3, 0.2),
    ):
        t = np.arange(3 * rate) / rate
        begin = round(time_s * rate)
        audio[begin : begin + len(t)] += level * rng.standard_normal(len(t)) * np.exp(-t / decay_s)
    over, holds = sustain_ratio(
        band_envelope_of(audio.astype(np.float32), rate), np.array([1.0, 4.0, 6.0, 6.2, 9.0])
    )
    # Decays are of amplitude: after 350 ms a crash of 1.2 s is 2.5 dB down, a stroke of 40 ms is gone, one of
    # 0.3 s is 10 dB down.
    assert over[[0, 2]].min() > 30 and holds[[0, 2]].min() > -4
    assert over[1] < 20 and holds[1] < -30
    assert over[3] < 1, "what rang before is not new"
    assert holds[4] == pytest.approx(-20 * np.log10(np.e) * 0.33 / 0.3, abs=2.0)
