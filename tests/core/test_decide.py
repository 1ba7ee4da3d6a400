"""Decisions, suggested thresholds, marks and spill."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nubrak.core.decide import COUNTS, Decisions, Evidence, FindSettings, Mark, State, decide, reason
from nubrak.core.pieces import PIECES
from nubrak.core.sort import ghosts
from nubrak.core.spill import Heard, predict
from nubrak.core.suggest import suggest_threshold

SNARE = PIECES["snare"]


def evidence(times: list[float], levels: list[float], rises: list[float] | None = None) -> Evidence:
    return Evidence(np.array(times), np.array(levels), np.array(rises or [20.0] * len(times)))


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
    assert states(decide(grace_and_stroke, FindSettings(threshold_db=-40, hold_off_ms=40), [], SNARE)) == [State.HELD_OFF, State.HIT]
    assert states(decide(grace_and_stroke, FindSettings(threshold_db=-40, hold_off_ms=15), [], SNARE)) == [State.HIT, State.HIT]


def test_marks_win_over_every_setting_and_find_their_candidate_again() -> None:
    marks = [Mark(kind="drop", time_s=0.1004), Mark(kind="keep", time_s=1.0), Mark(kind="add", time_s=2.0, velocity=90)]
    for threshold in (-80.0, -40.0, -5.0):
        decided = decide(evidence([0.1, 1.0], [-10, -50]), FindSettings(threshold_db=threshold), marks, SNARE)
        assert states(decided) == [State.DROPPED, State.KEPT, State.ADDED]
        assert decided.row.tolist() == [0, 1, -1]
    assert "added by hand at 0:02.000" in reason(decided, 2)
    assert "dropped by hand" in reason(decided, 0)


def test_a_hit_kept_by_hand_is_never_held_off() -> None:
    decided = decide(evidence([0.5, 0.51], [-8, -20]), FindSettings(threshold_db=-40, hold_off_ms=50), [Mark(kind="keep", time_s=0.51)], SNARE)
    assert State(int(decided.state[1])) is State.KEPT


@settings(max_examples=60, deadline=None)
@given(st.lists(st.tuples(st.floats(0, 30), st.floats(-70, 0), st.floats(3, 40)), min_size=1, max_size=80), st.floats(-60, -5), st.floats(5, 120))
def test_no_two_hits_stand_closer_than_the_hold_off_and_a_higher_threshold_lets_nothing_in(rows: list[tuple[float, float, float]], threshold: float, hold_ms: float) -> None:
    rows = sorted(rows)
    found = evidence([r[0] for r in rows], [r[1] for r in rows], [r[2] for r in rows])
    decided = decide(found, FindSettings(threshold_db=threshold, hold_off_ms=hold_ms), [], SNARE)
    hits = decided.time_s[decided.counts]
    assert np.all(np.diff(hits) >= hold_ms / 1000)
    higher = decide(found, FindSettings(threshold_db=min(threshold + 6, 0), hold_off_ms=hold_ms), [], SNARE)
    assert set(higher.time_s[higher.counts]) <= set(found.time_s[found.level_db >= threshold])
    for index in range(len(decided.time_s)):
        said = reason(decided, index)
        assert said.startswith("Counts" if decided.state[index] in COUNTS else "Does not count") and said.endswith(".")
    assert np.all((decided.doubt >= 0) & (decided.doubt <= 1))


def test_the_suggestion_lies_in_the_gap_between_strokes_and_the_rest() -> None:
    rng = np.random.default_rng(2)
    strokes, rest = rng.normal(-10, 2, 200), rng.normal(-42, 4, 300)
    suggested = suggest_threshold(np.concatenate([strokes, rest]))
    assert rest.max() <= suggested.threshold_db <= strokes.min()
    assert suggested.gap_db > 5
    assert suggested.loudest_db == pytest.approx(-6, abs=2.5)


def test_ghost_strokes_stay_above_the_suggestion_when_nothing_lies_under_them() -> None:
    rng = np.random.default_rng(3)
    level = np.concatenate([rng.normal(-10, 1.5, 90), rng.normal(-26, 2, 70)])
    assert suggest_threshold(level).threshold_db < level.min()
    assert suggest_threshold(np.zeros(0)).gap_db == 0


def test_ghosts_are_told_from_full_strokes_only_where_there_are_two_groups() -> None:
    rng = np.random.default_rng(4)
    level = np.concatenate([rng.normal(-10, 1.5, 90), rng.normal(-27, 2, 70)])
    assert np.array_equal(ghosts(level), np.arange(160) >= 90)
    assert not ghosts(rng.normal(-10, 3, 100)).any()


def test_spill_is_told_from_a_true_stroke_at_the_same_moment() -> None:
    rng = np.random.default_rng(6)
    kick_times = np.arange(40) * 0.5 + 0.2
    kick = Heard("Kick", kick_times, rng.normal(-8, 2, 40), np.ones(40, bool))
    level = kick.level_db - 22 + rng.normal(0, 0.8, 40)
    level[[5, 17]] = -12.0  # the snare was struck together with the kick
    snare = Heard("Snare", kick_times + 0.002, level, np.ones(40, bool))
    spill = predict(snare, [kick])
    decided = decide(Evidence(snare.time_s, snare.level_db, np.full(40, 30.0)), FindSettings(threshold_db=-60), [], SNARE, spill)
    assert np.nonzero(decided.counts)[0].tolist() == [5, 17]
    assert "what Kick spills here" in reason(decided, 0)
    off = decide(Evidence(snare.time_s, snare.level_db, np.full(40, 30.0)), FindSettings(threshold_db=-60, spill_margin_db=None), [], SNARE, spill)
    assert off.counts.all()
