"""Chains: windows joined equal the whole, neutral stages null, and nothing leaves that cannot be heard."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import TypeAdapter

from nubrak.core.mix.attack_body import AttackBodyStage
from nubrak.core.mix.chain import AnyStage, Played, Stage, WidthStage, through
from nubrak.core.mix.character import RecutStage, SweepStage
from nubrak.core.mix.drive import DriveStage
from nubrak.core.mix.dynamics import DynamicsStage
from nubrak.core.mix.equaliser import CutsStage, EqBand, EqualiserStage
from nubrak.core.tempo import Tempo
from tests.core.mix.made import stretch_of

RATE_HZ = 48000
FRAMES = 200_000
HITS = np.arange(4000, FRAMES, 12_000)
SOUND = (0.2 * np.random.default_rng(8).standard_normal((FRAMES, 2))).astype(np.float32)
EVERYTHING: list[Stage] = [
    CutsStage(low_cut_hz=40, high_cut_hz=16000),
    EqualiserStage(bands=[EqBand(at_hz=60, by_db=4), EqBand(shape="high shelf", at_hz=5000, by_db=3)]),
    DynamicsStage(threshold_db=-24, blend_percent=70, apart=True),
    AttackBodyStage(attack_db=4, body_db=-6),
    DriveStage(drive_db=9),
    WidthStage(width_percent=140),
    RecutStage(step=8, steps=["as played", "reverse", "repeat", "stutter 3", "silent", "as played"]),
    SweepStage(from_hz=300, to_hz=6000, every_beats=4, ring=2),
]
PLAYED = Played(RATE_HZ, HITS, Tempo(known="set", bpm=96))
NEUTRAL: list[Stage] = [
    CutsStage(),
    EqualiserStage(bands=[EqBand(by_db=0)]),
    DynamicsStage(ratio=1.0),
    AttackBodyStage(),
    DriveStage(drive_db=0),
    WidthStage(),
    RecutStage(steps=["as played", "as played"]),
    SweepStage(blend_percent=0),
]


plain = stretch_of(SOUND)


def window(chain: list[Stage], start: int, frames: int) -> np.ndarray:
    return through(chain, plain, PLAYED, start, frames)


@pytest.mark.parametrize("stage", [*EVERYTHING, None], ids=lambda one: one.kind if one else "all")
def test_windows_join_to_the_whole(stage: Stage | None) -> None:
    chain = EVERYTHING if stage is None else [stage]
    whole = window(chain, 0, FRAMES)
    edges = [0, 1, 40_000, 65_536, 65_537, 131_000, FRAMES]
    joined = np.concatenate([window(chain, a, b - a) for a, b in pairwise(edges)])
    assert np.array_equal(joined, whole) and not np.array_equal(whole, SOUND)


@pytest.mark.parametrize("stage", EVERYTHING, ids=lambda one: one.kind)
def test_blocks_meet_as_if_there_were_none(stage: Stage) -> None:
    """What a block begins with is what the whole would have there, 100 dB down."""
    from nubrak.core.mix.chain import _all

    before = np.zeros((70_000, 2), np.float32)
    joined = window([stage], 0, FRAMES)
    at_once = _all([stage], np.concatenate([before, SOUND]), PLAYED, -70_000, 70_000, FRAMES)
    difference = np.abs(joined[:-1000] - at_once[:-1000]).max()
    assert 20 * np.log10(difference / np.abs(joined).max() + 1e-12) < -100


@pytest.mark.parametrize("stage", NEUTRAL, ids=lambda one: one.kind)
def test_a_neutral_stage_and_one_that_is_off_null(stage: Stage) -> None:
    assert np.array_equal(window([stage], 0, 50_000), SOUND[:50_000])
    index = [one.kind for one in EVERYTHING].index(stage.kind)
    off = EVERYTHING[index].model_copy(update={"on": False})
    assert np.array_equal(window([off], 0, 50_000), SOUND[:50_000])


@pytest.mark.parametrize("stage", EVERYTHING, ids=lambda one: one.kind)
def test_silence_stays_silence_and_what_cannot_be_heard_does_not_leave(stage: Stage) -> None:
    silent = through([stage], lambda _, n: np.zeros((n, 2), np.float32), PLAYED, 0, 9000)
    assert not silent.any()
    broken = SOUND[:9000].copy()
    broken[100], broken[200], broken[300] = np.nan, np.inf, -np.inf

    def given_broken(start: int, frames: int) -> np.ndarray:
        out = np.zeros((frames, 2), np.float32)
        low, high = max(start, 0), min(start + frames, 9000)
        out[low - start : high - start] = broken[low:high]
        return out

    assert np.all(np.isfinite(through([stage], given_broken, PLAYED, 0, 9000)))


STAGES: TypeAdapter[Stage] = TypeAdapter(AnyStage)


def extreme(kind: str) -> st.SearchStrategy[dict[str, object]]:
    """Any settings of a stage, its bounds first of all."""
    model = {one.kind: type(one) for one in EVERYTHING}[kind]
    schema = model.model_json_schema()
    fields: dict[str, st.SearchStrategy[object]] = {"kind": st.just(kind)}
    for name, about in schema["properties"].items():
        about = next((one for one in about.get("anyOf", []) if one.get("type") == "number"), about)
        if about.get("type") == "number":
            low, high = about["minimum"], about["maximum"]
            fields[name] = st.one_of(st.sampled_from([low, high]), st.floats(low, high))
    if kind == "equaliser":
        band = st.fixed_dictionaries(
            {
                "shape": st.sampled_from(["bell", "low shelf", "high shelf"]),
                "at_hz": st.sampled_from([20.0, 1000.0, 20000.0]),
                "by_db": st.sampled_from([-24.0, 24.0]),
                "octaves": st.sampled_from([0.1, 4.0]),
            }
        )
        fields["bands"] = st.lists(band, max_size=8)
    return st.fixed_dictionaries(fields)


@settings(max_examples=40, deadline=None)
@given(st.lists(st.sampled_from([one.kind for one in EVERYTHING]).flatmap(extreme), min_size=1, max_size=5))
def test_extreme_settings_stay_finite_and_bounded(said: list[dict[str, object]]) -> None:
    chain = [STAGES.validate_python(one) for one in said]
    loud = lambda start, n: np.clip(5 * plain(start, n), -1, 1)  # noqa: E731
    out = through(chain, loud, PLAYED, 1000, 4000)
    assert np.all(np.isfinite(out)) and np.abs(out).max() <= 1e3
