"""What Find is answered with."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.decide import CurvePoint, FindSettings
from nubrak.core.problem import Problem
from nubrak.desk.desk import Desk
from nubrak.desk.finding import (
    add_hit_near,
    bar_to_take,
    decision_columns,
    doubtful_places,
    give_strokes,
    leaks_of,
    put_hit_near,
    reason_of,
    similar_places,
)
from tests.conftest import decaying_strokes
from tests.desk.conftest import STRUCK_S, Drop

Kick = tuple[str, str]


def test_columns_say_where_each_hit_stands_and_how_the_line_runs(desk: Desk, kick: Kick) -> None:
    session, part_id = kick
    found = decision_columns(desk.standing(session), part_id, None)
    hits = [t for t, velocity in zip(found.time_s, found.velocity, strict=True) if velocity]
    assert hits == pytest.approx(STRUCK_S, abs=0.001) and found.hits == 4
    assert [(corner.time_s, corner.level_db) for corner in found.line] == [(0.0, found.threshold_db)]
    assert not found.lost_s and not found.let_in_s


def test_a_bent_line_decides_as_it_is_drawn(desk: Desk, kick: Kick) -> None:
    session, part_id = kick
    curve = [CurvePoint(time_s=1.0, offset_db=0), CurvePoint(time_s=2.0, offset_db=60)]
    find = FindSettings(threshold_db=-40, curve=curve)
    standing = desk.standing(session)
    found = decision_columns(standing, part_id, find)
    assert [(corner.time_s, corner.level_db) for corner in found.line] == [(1.0, -40.0), (2.0, 20.0)]
    decided = standing.decisions(part_id, find)
    drawn = np.interp(
        decided.time_s, [one.time_s for one in found.line], [one.level_db for one in found.line]
    )
    assert np.allclose(decided.line_db, drawn, atol=0.01)
    assert found.lost_s == pytest.approx([1.75], abs=0.001)


def test_settings_tried_say_what_they_would_lose_and_keep_nothing(desk: Desk, kick: Kick) -> None:
    session, part_id = kick
    tried = decision_columns(desk.standing(session), part_id, FindSettings(threshold_db=-12.0))
    assert tried.hits == 3 and tried.lost_s == pytest.approx([1.25], abs=0.001)
    assert decision_columns(desk.standing(session), part_id, None).hits == 4


def test_a_hit_is_added_at_the_attack_and_put_elsewhere(desk: Desk, kick: Kick) -> None:
    session, part_id = kick
    state = put_hit_near(desk, session, desk.sessions.revision(session), part_id, 0.75, 1.0)
    standing = desk.standing(session)
    decisions = standing.decisions(part_id)
    found = int(np.abs(decisions.found_s - 0.75).argmin())
    assert abs(decisions.time_s[found] - 1.0) < 0.05 and decisions.counts[found]
    state = add_hit_near(desk, session, state.revision, part_id, 0.752)
    decisions = desk.standing(session).decisions(part_id)
    assert decisions.counts.sum() == 5 or decisions.counts.sum() == 4
    with pytest.raises(Problem) as said:
        add_hit_near(desk, session, state.revision, part_id, 30.0)
    assert "no recording" in said.value.what


def test_reasons_and_likes_of_what_is_not_there_are_a_sentence(desk: Desk, kick: Kick) -> None:
    standing = desk.standing(kick[0])
    assert reason_of(standing, kick[1], 0, None).text.startswith(("Counts", "Does not count"))
    assert similar_places(standing, kick[1], 0, None).time_s
    for ask in (reason_of, similar_places):
        with pytest.raises(Problem):
            ask(standing, kick[1], 999, None)


def test_strokes_given_away_are_dropped_here_and_hits_there(desk: Desk, kick: Kick, drop: Drop) -> None:
    session, part_id = kick
    drop(session, "snare.wav", decaying_strokes([0.5, 1.25, 1.5], [0.7, 0.02, 0.6], 2.2, seed=6))
    other = next(one for one in desk.sessions.get(session).document.parts if one != part_id)
    give_strokes(desk, session, desk.sessions.revision(session), part_id, other, [1.25])
    standing = desk.standing(session)
    here, there = standing.decisions(part_id), standing.decisions(other)
    assert not np.any(np.abs(here.time_s[here.counts] - 1.25) < 0.005)
    assert np.any(np.abs(there.time_s[there.counts] - 1.25) < 0.005)


def test_second_look_is_empty_where_nothing_is_in_doubt_and_counts_what_it_lists(
    desk: Desk, kick: Kick
) -> None:
    look = doubtful_places(desk.standing(kick[0]), None)
    assert look.total == len(look.places) and not look.analysing
    assert [one.doubt for one in look.places] == sorted((one.doubt for one in look.places), reverse=True)


def test_who_leaks_into_whom(desk: Desk, session: str, drop: Drop) -> None:
    kicks, snares = [0.3 + n for n in range(10)], [0.8 + n for n in range(10)]
    kick = decaying_strokes(kicks, [0.7] * 10, 11.0, hz=60)
    snare = decaying_strokes(snares, [0.6] * 10, 11.0, seed=9)
    late = np.concatenate([np.zeros(130, np.float32), kick])[: len(kick)]
    drop(session, "Kick.wav", kick)
    drop(session, "Snare.wav", snare + 0.1 * late)
    standing = desk.standing(session)
    (leak,) = [one for one in leaks_of(standing).leaks if standing.names[one.from_part] == "Kick"]
    assert leak.level_db == pytest.approx(-20, abs=1.5) and leak.delay_ms == pytest.approx(2.95, abs=0.3)


def test_no_bar_is_taken_before_the_tempo_is_known(desk: Desk, kick: Kick) -> None:
    with pytest.raises(Problem):
        bar_to_take(desk.standing(kick[0]))
