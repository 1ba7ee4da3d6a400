"""Decisions, suggested thresholds, marks and spill."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nubrak.core.decide.decision import decide as decide_weighed
from nubrak.core.decide.evidence import Evidence
from nubrak.core.decide.features import FEATURES
from nubrak.core.decide.reason import reason
from nubrak.core.decide.settings import CurvePoint, FindSettings, Mark
from nubrak.core.decide.states import COUNTS, Decisions, State
from nubrak.core.pieces.catalogue import PIECES, Piece
from nubrak.core.pieces.material import MATERIALS, Material
from nubrak.core.spill.onsets import NEVER_DB

SNARE = PIECES["snare"]
BY_LINES = MATERIALS["hand"]  # threshold, rise and margin decide alone


def evidence(
    times: list[float],
    levels: list[float],
    rises: list[float] | None = None,
    spill: list[float] | None = None,
    before: list[float] | None = None,
) -> Evidence:
    count, at = len(times), np.array(times)
    spill_db = np.array(spill or [NEVER_DB] * count)
    return Evidence(
        time_s=at,
        attack_s=at,
        level_db=np.array(levels),
        rise_db=np.array(rises or [20.0] * count),
        before_db=np.array(before or [-90.0] * count),
        spill_db=spill_db,
        spill_from=np.where(spill_db > NEVER_DB, 0, -1),
        spill_at_s=at - 0.003,
        features=np.zeros((count, len(FEATURES)), np.float32),
        names=("kick",),
    )


def decide(
    found: Evidence,
    settings: FindSettings,
    marks: list[Mark],
    piece: Piece,
    stroke_probability: list[float] | None = None,
    material: Material = BY_LINES,
    span_s: tuple[float, float] | None = None,
) -> Decisions:
    return decide_weighed(
        found,
        np.array(stroke_probability or [1.0] * len(found.time_s)),
        settings,
        marks,
        piece,
        material,
        span_s,
    )


def states(decisions: Decisions) -> list[State]:
    return [State(int(state)) for state in decisions.state]


def test_threshold_rise_and_hold_off_each_have_their_say() -> None:
    found = evidence([0.1, 0.5, 0.505, 1.0, 1.5], [-10, -12, -20, -50, -11], [30, 30, 30, 30, 2])
    decided = decide(found, FindSettings(threshold_db=-40, hold_off_ms=20), [], SNARE)
    assert states(decided) == [State.HIT, State.HIT, State.HELD_OFF, State.UNDER, State.SOFT_RISE]
    assert "5 ms after a stroke of −12.0 dBFS" in reason(decided, 2)
    assert "10.0 dB under the threshold" in reason(decided, 3)
    assert "rises 2.0 dB" in reason(decided, 4)


def test_of_two_in_the_hold_off_the_louder_stands_and_a_flam_survives_a_short_one() -> None:
    grace_and_stroke = evidence([0.5, 0.525], [-24, -8])
    assert states(decide(grace_and_stroke, FindSettings(threshold_db=-40, hold_off_ms=40), [], SNARE)) == [
        State.HELD_OFF,
        State.HIT,
    ]
    assert states(decide(grace_and_stroke, FindSettings(threshold_db=-40, hold_off_ms=15), [], SNARE)) == [
        State.HIT,
        State.HIT,
    ]


def test_marks_win_over_every_setting_and_find_their_candidate_again() -> None:
    marks = [
        Mark(kind="drop", time_s=0.1004),
        Mark(kind="keep", time_s=1.0),
        Mark(kind="add", time_s=2.0, velocity=90),
    ]
    for threshold in (-80.0, -40.0, -5.0):
        decided = decide(evidence([0.1, 1.0], [-10, -50]), FindSettings(threshold_db=threshold), marks, SNARE)
        assert states(decided) == [State.DROPPED, State.KEPT, State.ADDED]
        assert decided.row.tolist() == [0, 1, -1]
    assert "added by hand at 0:02.000" in reason(decided, 2)
    assert "dropped by hand" in reason(decided, 0)


def test_a_hit_kept_by_hand_is_never_held_off() -> None:
    decided = decide(
        evidence([0.5, 0.51], [-8, -20]),
        FindSettings(threshold_db=-40, hold_off_ms=50),
        [Mark(kind="keep", time_s=0.51)],
        SNARE,
    )
    assert State(int(decided.state[1])) is State.KEPT


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.tuples(st.floats(0, 30), st.floats(-70, 0), st.floats(3, 40)), min_size=1, max_size=80),
    st.floats(-60, -5),
    st.floats(5, 120),
)
def test_no_two_hits_stand_closer_than_the_hold_off_and_a_higher_threshold_lets_nothing_in(
    rows: list[tuple[float, float, float]], threshold: float, hold_ms: float
) -> None:
    rows = sorted(rows)
    found = evidence([r[0] for r in rows], [r[1] for r in rows], [r[2] for r in rows])
    decided = decide(found, FindSettings(threshold_db=threshold, hold_off_ms=hold_ms), [], SNARE)
    hits = decided.time_s[decided.counts]
    assert np.all(np.diff(hits) >= hold_ms / 1000)
    higher = decide(found, FindSettings(threshold_db=min(threshold + 6, 0), hold_off_ms=hold_ms), [], SNARE)
    assert set(higher.time_s[higher.counts]) <= set(found.time_s[found.level_db >= threshold])
    for index in range(len(decided.time_s)):
        said = reason(decided, index)
        assert said.startswith(
            "Counts" if decided.state[index] in COUNTS else "Does not count"
        ) and said.endswith(".")
    assert np.all((decided.doubt >= 0) & (decided.doubt <= 1))


def test_by_lines_a_candidate_must_stand_over_the_spill_by_the_margin() -> None:
    found = evidence([0.1, 0.6, 1.1], [-30, -12, -31], spill=[-31, -31, NEVER_DB])
    decided = decide(found, FindSettings(threshold_db=-60), [], SNARE)
    assert states(decided) == [State.SPILL, State.HIT, State.HIT]
    assert "1.0 dB over what the kick spills here" in reason(decided, 0)
    assert decide(found, FindSettings(threshold_db=-60, spill_margin_db=None), [], SNARE).counts.all()


def test_the_evidence_decides_by_default_and_margin_and_threshold_lean_on_it() -> None:
    close = MATERIALS["close"]
    found = evidence([0.1, 0.6, 1.1, 1.6], [-10, -30, -32, -33], spill=[-35, -31, NEVER_DB, NEVER_DB])
    stroke_probability = [0.99, 0.3, 0.3, 0.97]
    decided = decide(found, FindSettings(), [], SNARE, stroke_probability, close)
    assert states(decided) == [State.HIT, State.SPILL, State.UNLIKE, State.HIT]
    # Doubt is the chance of the other outcome.
    assert decided.doubt.tolist() == pytest.approx([0.01, 0.3, 0.3, 0.03])
    # a margin 8 dB smaller lets the spill pass, a stricter surety takes the least sure out, none leaves it to
    # the lines
    assert (
        states(decide(found, FindSettings(spill_margin_db=-4), [], SNARE, stroke_probability, close))[1]
        is State.HIT
    )
    assert not decide(found, FindSettings(surety_percent=95), [], SNARE, [0.99, 0.3, 0.3, 0.9], close).counts[
        3
    ]
    assert decide(
        found, FindSettings(surety_percent=0, threshold_db=-60), [], SNARE, stroke_probability, close
    ).counts.tolist() == [True, False, True, True]
    # a threshold far under the suggestion says that softer strokes count, but spill is still spill
    softer = evidence([0.1, 0.6, 1.1, 1.6], [-10, -45, -46, -33], spill=[-35, -46, NEVER_DB, NEVER_DB])
    assert states(decide(softer, FindSettings(), [], SNARE, stroke_probability, close)) == [
        State.HIT,
        State.UNDER,
        State.UNDER,
        State.HIT,
    ]
    assert states(decide(softer, FindSettings(threshold_db=-55), [], SNARE, stroke_probability, close)) == [
        State.HIT,
        State.SPILL,
        State.HIT,
        State.HIT,
    ]


def test_the_threshold_follows_its_curve() -> None:
    curve = [CurvePoint(time_s=10, offset_db=-30), CurvePoint(time_s=0, offset_db=0)]
    decided = decide(
        evidence([0.0, 5.0, 10.0, 20.0], [-25, -34, -49, -51]),
        FindSettings(threshold_db=-20, curve=curve),
        [],
        SNARE,
    )
    assert decided.line_db.tolist() == [-20, -35, -50, -50]
    assert states(decided) == [State.UNDER, State.HIT, State.HIT, State.UNDER]
    assert "5.0 dB under the threshold" in reason(decided, 0)


def test_a_wash_does_not_trigger_again_before_it_has_fallen() -> None:
    found = evidence([0.0, 0.2, 0.4, 0.6], [-10, -14, -13, -4], before=[-90, -12, -16, -12])
    decided = decide(found, FindSettings(threshold_db=-40, hold_off_ms=50, re_arm_db=3), [], PIECES["crash"])
    assert states(decided) == [State.HIT, State.NOT_ARMED, State.HIT, State.HIT]
    assert "re-arm asks for" in reason(decided, 1)


def test_outside_the_range_only_marks_count() -> None:
    found = evidence([0.5, 1.5, 2.5], [-10, -10, -10])
    decided = decide(
        found, FindSettings(threshold_db=-40), [Mark(kind="keep", time_s=2.5)], SNARE, span_s=(1.0, 2.0)
    )
    assert states(decided) == [State.OUTSIDE, State.HIT, State.KEPT]
    assert "outside the range" in reason(decided, 0)


def test_a_moved_hit_stands_where_it_was_put_and_keeps_its_candidate() -> None:
    found = evidence([0.5, 1.0], [-10, -12])
    marks = [Mark(kind="keep", time_s=0.5, to_s=1.2), Mark(kind="add", time_s=2.0, to_s=1.9)]
    for threshold in (-60.0, -5.0):
        decided = decide(found, FindSettings(threshold_db=threshold), marks, SNARE)
        assert decided.time_s.tolist() == [1.0, 1.2, 1.9] and decided.row.tolist() == [1, 0, -1]
    assert "moved by +700.0 ms" in reason(decided, 1)


def test_of_two_in_the_hold_off_the_surer_stands_before_the_louder() -> None:
    found = evidence([0.5, 0.51], [-20, -12])
    decided = decide(found, FindSettings(hold_off_ms=30), [], SNARE, [0.99, 0.6], MATERIALS["close"])
    assert states(decided) == [State.HIT, State.HELD_OFF]


@settings(max_examples=60, deadline=None)
@given(
    st.lists(
        st.tuples(st.floats(0, 30), st.floats(-70, 0), st.floats(0.001, 0.999)), min_size=1, max_size=60
    ),
    st.floats(-12, 24),
    st.floats(-12, 24),
)
def test_a_smaller_margin_never_loses_a_candidate_and_doubt_never_passes_a_half(
    rows: list[tuple[float, float, float]], one: float, other: float
) -> None:
    rows = sorted(rows)
    found = evidence([r[0] for r in rows], [r[1] for r in rows], spill=[r[1] - 3 for r in rows])
    stroke_probability, line = [r[2] for r in rows], {"threshold_db": -80.0, "hold_off_ms": 5.0}
    small, large = (
        decide(
            found, FindSettings(spill_margin_db=m, **line), [], SNARE, stroke_probability, MATERIALS["close"]
        )
        for m in sorted((one, other))
    )
    passed = [np.isin(d.state, (State.HIT, State.HELD_OFF)) for d in (small, large)]
    assert np.all(passed[0][np.argsort(small.row)] | ~passed[1][np.argsort(large.row)])
    assert np.all(
        decide(found, FindSettings(), [], SNARE, stroke_probability, MATERIALS["close"]).doubt <= 0.5
    )
