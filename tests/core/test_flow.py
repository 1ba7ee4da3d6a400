"""Several microphones decided together, on a made kit whose strokes are known, and what must not depend on
how it is recorded.
"""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache

import mir_eval
import numpy as np
import pytest

from nubrak.core.decide.reason import reason
from nubrak.core.decide.second_look import places
from nubrak.core.decide.settings import FindSettings, Mark
from nubrak.core.decide.states import State
from nubrak.core.find.candidates import Candidates
from nubrak.core.find.search import find_candidates
from nubrak.core.flow import PartInput, decide_all, weigh_all
from nubrak.core.pieces.catalogue import PIECES
from nubrak.core.shape.notes import ShapeSettings, shape
from nubrak.core.spill.found_together import find_together
from nubrak.demo.room import record
from nubrak.demo.score import BPM, LEAD_S, act_one
from tests.conftest import decaying_strokes
from tests.plain_strokes import STROKES

RATE_HZ = 44100
SOUNDS = {"kick": ("kick",), "snare": ("snare",), "hi-hat": ("hat-closed", "hat-open")}


@lru_cache(maxsize=1)
def kit() -> tuple[list, dict[str, np.ndarray]]:
    strokes = act_one(bars=7)  # up to the first fill: no piece without a microphone of its own
    return strokes, record(strokes, RATE_HZ, LEAD_S + 7 * 4 * 60 / BPM + 2, drums=STROKES)


@lru_cache(maxsize=1)
def found() -> dict[str, Candidates]:
    return {piece: find_candidates(kit()[1][piece], RATE_HZ) for piece in SOUNDS}


def parts(**changes: FindSettings) -> dict[str, PartInput]:
    return {
        piece: PartInput(piece, piece, candidates, changes.get(piece.replace("-", "_"), FindSettings()), [])
        for piece, candidates in found().items()
    }


def score(piece: str, decided: dict) -> float:
    truth = np.unique([stroke.time_s + 0.002 for stroke in kit()[0] if stroke.sound in SOUNDS[piece]])
    return float(
        mir_eval.onset.f_measure(truth, decided[piece].time_s[decided[piece].counts], window=0.010)[0]
    )


@pytest.mark.parametrize(("piece", "least"), [("kick", 0.97), ("snare", 0.88), ("hi-hat", 0.97)])
def test_default_settings_find_the_strokes_through_the_spill(piece: str, least: float) -> None:
    assert score(piece, decide_all(parts())) >= least


def test_without_the_spill_model_the_snare_counts_what_others_played() -> None:
    low = FindSettings(threshold_db=-45)
    lines = low.model_copy(update={"surety_percent": 0.0})
    together = decide_all(parts(snare=lines))["snare"]
    alone = decide_all(parts(snare=lines.model_copy(update={"spill_margin_db": None})))["snare"]
    assert np.count_nonzero(together.state == State.SPILL) > 10 and not np.any(alone.state == State.SPILL)
    assert np.count_nonzero(alone.counts) > np.count_nonzero(together.counts) + 10


def test_a_quieter_recording_gives_the_same_hits_and_velocities() -> None:
    quiet = {piece: find_candidates(kit()[1][piece] * np.float32(0.1), RATE_HZ) for piece in SOUNDS}
    softly = decide_all(
        {
            piece: PartInput(piece, piece, candidates, FindSettings(), [])
            for piece, candidates in quiet.items()
        }
    )
    loudly = decide_all(parts())
    for piece in ("kick", "hi-hat"):
        assert np.allclose(
            softly[piece].time_s[softly[piece].counts],
            loudly[piece].time_s[loudly[piece].counts],
            atol=0.0005,
        )
        velocity = [shape(d[piece], ShapeSettings(), [], PIECES[piece]).velocity for d in (softly, loudly)]
        assert np.abs(velocity[0] - velocity[1]).max() <= 2


def test_odd_company_changes_nothing() -> None:
    usual = decide_all(parts())
    company = parts() | {
        "silent": PartInput(
            "silent", "rack-tom", find_candidates(np.zeros(RATE_HZ, np.float32), RATE_HZ), FindSettings(), []
        ),
        "short": PartInput(
            "short",
            "crash",
            find_candidates(kit()[1]["kick"][: 2 * RATE_HZ] * np.float32(0.02), RATE_HZ),
            FindSettings(),
            [],
        ),
        "loop": PartInput("loop", "loop", found()["snare"], FindSettings(), []),
    }
    decided = decide_all(company)
    assert not decided["silent"].counts.any()
    for piece in ("kick", "hi-hat"):
        assert np.array_equal(
            decided[piece].time_s[decided[piece].counts], usual[piece].time_s[usual[piece].counts]
        )


def test_the_same_microphone_twice_is_not_taken_for_spill() -> None:
    twins = {name: PartInput(name, "kick", found()["kick"], FindSettings(), []) for name in ("a", "b")}
    decided = decide_all(twins)
    assert np.array_equal(decided["a"].counts, decided["b"].counts) and decided["a"].counts.sum() > 15
    assert not np.any(decided["a"].state == State.SPILL)


def test_what_was_recorded_at_another_time_neither_gives_spill_nor_takes_it() -> None:
    usual, low = decide_all(parts()), FindSettings(threshold_db=-45, surety_percent=0.0)
    elsewhere = parts() | {"snare": replace(parts(snare=low)["snare"], room="another")}
    decided = decide_all(elsewhere)
    assert not np.any(decided["snare"].state == State.SPILL)
    alone = decide_all({"snare": replace(parts(snare=low)["snare"], room="another")})["snare"]
    assert np.array_equal(decided["snare"].counts, alone.counts)
    without = decide_all({piece: one for piece, one in parts().items() if piece != "snare"})
    for piece in ("kick", "hi-hat"):
        assert np.array_equal(decided[piece].counts, without[piece].counts)
    assert np.any(usual["snare"].state == State.SPILL)


def test_one_part_alone_has_no_spill_and_none_is_no_error() -> None:
    assert weigh_all({"kick": parts()["kick"]}).kit.leaks == {} and decide_all({}) == {}


def test_marks_hold_in_company() -> None:
    first = parts()["snare"]
    low = FindSettings(threshold_db=-45)
    times = decide_all(parts(snare=low))["snare"]
    hit, spilt = float(times.time_s[times.counts][0]), float(times.time_s[times.state == State.SPILL][0])
    marks = [Mark(kind="drop", time_s=hit), Mark(kind="keep", time_s=spilt), Mark(kind="add", time_s=0.2)]
    decided = decide_all(
        parts() | {"snare": PartInput(first.name, first.piece, first.candidates, low, marks)}
    )["snare"]
    assert State(int(decided.state[np.argmin(np.abs(decided.time_s - hit))])) is State.DROPPED
    assert State(int(decided.state[np.argmin(np.abs(decided.time_s - spilt))])) is State.KEPT
    assert State(int(decided.state[np.argmin(np.abs(decided.time_s - 0.2))])) is State.ADDED


def test_every_reason_names_its_numbers() -> None:
    for decided in decide_all(parts()).values():
        for index in range(len(decided.time_s)):
            said = reason(decided, index)
            assert (any(letter.isdigit() for letter in said) and "dB" in said) or "by hand" in said


def test_doubt_is_highest_on_the_line_and_none_where_a_person_decided() -> None:
    decided = decide_all(parts())["snare"]
    clear = (
        decided.counts
        & (decided.level_db > decided.threshold_db + 15)
        & (decided.level_db > decided.spill_db + 20)
    )
    assert decided.doubt[clear].max() < 0.1
    looks = places({"snare": decided})
    assert len(looks) < len(decided.time_s) / 4 and [p.doubt for p in looks] == sorted(
        (p.doubt for p in looks), reverse=True
    )


def test_spill_that_sounds_like_no_other_drum_is_no_stroke() -> None:
    """What a microphone hears of its neighbour need not be what the neighbour's own microphone heard."""
    times = {"kick": [0.5, 1.5, 2.5], "snare": [1.0, 2.0, 3.0]}
    signals = {}
    for name, spill, hz in (("kick", "snare", 60), ("snare", "kick", 190)):
        signals[name] = decaying_strokes(times[name], [0.8, 0.7, 0.75], 3.5, hz=hz) + 0.06 * decaying_strokes(
            [t + 0.002 for t in times[spill]], [0.8] * 3, 3.5, hz=150, seed=8
        )
    parts = {
        name: PartInput(name, name, found, FindSettings(), [], frozenset([name]))
        for name, found in find_together(signals, RATE_HZ).items()
    }
    for name, decided in decide_all(parts).items():
        assert decided.counts.sum() == 3, name
        assert np.allclose(decided.time_s[decided.counts], times[name], atol=0.001)
