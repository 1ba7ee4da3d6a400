"""Where a source is cut: slices give it back, and what a hand decided outlives every setting."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nubrak.core.problem import Problem
from nubrak.core.samples.cutting import (
    MOST_SLICES,
    NEAREST_S,
    CutMark,
    CutSettings,
    cut,
    grid_cuts_s,
    slice_audio,
    snapped,
)
from nubrak.core.tempo import Tempo

RATE_HZ = 44100
NONE = np.zeros(0)


def loop(frames: int = RATE_HZ, channels: int = 2, seed: int = 3) -> np.ndarray:
    return np.random.default_rng(seed).uniform(-1, 1, (frames, channels)).astype(np.float32)


def joined(audio: np.ndarray, slices: list) -> np.ndarray:
    out = np.zeros_like(audio)
    for one in slices:
        sound = slice_audio(audio, one)
        out[one.start : one.start + len(sound)] += sound
    return out


@settings(max_examples=80, deadline=None)
@given(
    frames=st.integers(1, 20_000),
    hits=st.lists(st.floats(0, 0.6), max_size=25),
    steps=st.lists(st.floats(0, 0.6), max_size=25),
    by=st.sampled_from(["hits", "grid", "both"]),
    lead_ms=st.floats(0, 50),
    fade_in_ms=st.floats(0, 50),
    drop=st.booleans(),
)
def test_slices_give_the_source_back_bit_for_bit(
    frames: int, hits: list[float], steps: list[float], by: str, lead_ms: float, fade_in_ms: float, drop: bool
) -> None:
    audio = loop(frames)
    chosen = CutSettings.model_validate({"by": by, "lead_ms": lead_ms, "fade_in_ms": fade_in_ms})
    marks = [CutMark(found_s=hits[0], kind="drop")] if drop and hits else []
    marks += [CutMark(found_s=0.01, kind="add"), CutMark(found_s=0.2, time_s=0.11)]
    slices = cut(frames, RATE_HZ, np.array(hits, float), np.array(steps, float), chosen, marks)
    assert slices[0].start == 0 and slices[-1].end == frames
    assert all(one.end == other.start for one, other in pairwise(slices))
    assert all(one.start < one.end for one in slices)
    # A fade that reaches into the slice after the next is cut short there; all others overlap by two.
    if all(one.beyond <= other.end - other.start for one, other in pairwise(slices)):
        assert np.array_equal(joined(audio, slices), audio)


def test_cut_at_hits_it_begins_before_each_attack_and_fades_in() -> None:
    slices = cut(RATE_HZ, RATE_HZ, np.array([0.25, 0.5]), NONE, CutSettings(lead_ms=1.0, fade_in_ms=0.5))
    assert [one.start for one in slices] == [0, 11025 - 44, 22050 - 44]
    assert [one.attack for one in slices] == [0, 11025, 22050] and slices[1].fade_in == 22
    sound = slice_audio(loop(), slices[1])
    assert not sound[0].any() and np.array_equal(sound[22:100], loop()[11025 - 22 : 11025 - 44 + 100])


def test_a_hit_at_the_very_beginning_begins_the_first_slice_whole() -> None:
    slices = cut(RATE_HZ, RATE_HZ, np.array([0.002, 0.5]), NONE, CutSettings())
    assert len(slices) == 2 and slices[0].start == 0 and slices[0].fade_in == 0
    assert slices[0].attack == round(0.002 * RATE_HZ)


def test_a_moment_before_the_first_stroke_belongs_to_it_unless_a_hand_cuts_there() -> None:
    slices = cut(RATE_HZ, RATE_HZ, np.array([0.025, 0.5]), NONE, CutSettings())
    assert len(slices) == 2 and (slices[0].start, slices[0].attack) == (0, round(0.025 * RATE_HZ))
    by_hand = [CutMark(found_s=0.02, kind="add")]
    assert len(cut(RATE_HZ, RATE_HZ, np.array([0.5]), NONE, CutSettings(), by_hand)) == 3


def test_a_source_without_a_hit_is_one_slice() -> None:
    [only] = cut(RATE_HZ, RATE_HZ, NONE, NONE, CutSettings())
    assert (only.start, only.end) == (0, RATE_HZ)


def test_cuts_nearer_than_five_ms_are_one_and_the_hand_comes_first() -> None:
    hits, grid = np.array([0.3, 0.3031, 0.6]), np.array([0.2985, 0.6049, 0.9])
    grid = np.append(grid, [0.585, 0.64])  # a step that a hit was played a little late of, and one of its own
    slices = cut(RATE_HZ, RATE_HZ, hits, grid, CutSettings(by="both", lead_ms=0))
    assert [round(one.attack / RATE_HZ, 4) for one in slices] == [0, 0.3, 0.6, 0.64, 0.9]
    mark = CutMark(found_s=0.602, kind="add")
    slices = cut(RATE_HZ, RATE_HZ, hits, grid, CutSettings(by="both", lead_ms=0), [mark])
    assert round(0.602 * RATE_HZ) in [one.start for one in slices]
    starts = np.array([one.start for one in slices]) / RATE_HZ
    assert np.diff(starts).min() >= NEAREST_S - 1 / RATE_HZ


@pytest.mark.parametrize("by", ["hits", "grid", "both"])
@pytest.mark.parametrize("lead_ms", [0.0, 10.0])
def test_what_a_hand_did_outlives_every_setting(by: str, lead_ms: float) -> None:
    hits, grid = np.array([0.1, 0.4, 0.7]), np.arange(8) / 8
    marks = [
        CutMark(found_s=0.4, kind="drop"),
        CutMark(found_s=0.7, time_s=0.69),
        CutMark(found_s=0.3, kind="add", fade_out_ms=20),
    ]
    chosen = CutSettings.model_validate({"by": by, "lead_ms": lead_ms})
    slices = {one.start: one for one in cut(RATE_HZ, RATE_HZ, hits, grid, chosen, marks)}
    assert round(0.69 * RATE_HZ) in slices and slices[round(0.3 * RATE_HZ)].fade_out == 882
    assert not any(abs(one.attack / RATE_HZ - 0.4) < 1e-3 for one in slices.values())


def test_a_fade_set_by_hand_ends_inside_the_slice() -> None:
    chosen = CutSettings(fade_out_ms=10, fade_in_ms=0)
    first, second = cut(RATE_HZ, RATE_HZ, np.array([0.5]), NONE, chosen)
    sound = slice_audio(loop(), first)
    assert len(sound) == first.end - first.start and abs(sound[-1]).max() < 0.01
    assert np.array_equal(sound[:-441], loop()[: first.end - 441])
    assert second.beyond == 0


@pytest.mark.parametrize(
    ("step", "triplets", "expected"),
    [("bar", False, [0.5, 2.0]), ("1/4", False, [0.0, 0.5, 1.0, 1.5, 2.0]), ("1/8", True, np.arange(13) / 6)],
)
def test_the_grid_is_that_of_the_tempo(step: str, triplets: bool, expected: list[float]) -> None:
    tempo = Tempo(bpm=120, beats_per_bar=3, bar_one_s=0.5)
    chosen = CutSettings.model_validate({"by": "grid", "step": step, "triplets": triplets})
    np.testing.assert_allclose(grid_cuts_s(tempo, chosen, 2.1), expected, atol=1e-9)


def test_too_many_slices_are_refused_with_what_fits() -> None:
    with pytest.raises(Problem, match="2000 is the most"):
        grid_cuts_s(Tempo(bpm=120), CutSettings(by="grid", step="1/32"), 3600.0)
    hits = np.arange(MOST_SLICES + 5) * 0.01
    with pytest.raises(Problem, match="2000 is the most"):
        cut(60 * RATE_HZ, RATE_HZ, hits, NONE, CutSettings())
    assert len(cut(60 * RATE_HZ, RATE_HZ, hits[: MOST_SLICES - 1], NONE, CutSettings())) == MOST_SLICES - 1


def test_an_edge_goes_to_an_attack_else_to_where_the_signal_crosses_zero() -> None:
    tone = np.sin(2 * np.pi * 100 * (np.arange(RATE_HZ) + 0.5) / RATE_HZ).astype(np.float32)
    attacks = np.array([0.5])
    assert snapped(tone, RATE_HZ, 0.495, attacks, 1.0) == pytest.approx(0.499)
    at = snapped(tone, RATE_HZ, 0.2512, attacks, 1.0)
    assert at == pytest.approx(0.25, abs=2 / RATE_HZ) and abs(tone[round(at * RATE_HZ)]) < 0.01
    assert snapped(np.ones(1000, np.float32), RATE_HZ, 0.01, NONE, 1.0) == 0.01, "nothing to snap to"
