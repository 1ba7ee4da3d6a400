"""A session as it stands: made once, and made anew only for what a change touches."""

from __future__ import annotations

import numpy as np

from nubrak.core.decide import FindSettings
from nubrak.core.session.find_edits import SetFind, SetMark
from nubrak.core.session.gather_edits import MoveClip, SetAside
from nubrak.core.session.marks import MarkChange
from nubrak.desk.desk import Desk
from tests.conftest import decaying_strokes
from tests.desk.conftest import STRUCK_S, Drop

Kick = tuple[str, str]


def test_it_is_made_once_for_a_revision_and_anew_after_an_edit(desk: Desk, kick: Kick) -> None:
    session, part_id = kick
    standing = desk.standing(session)
    assert desk.standing(session) is standing
    assert standing.decisions(part_id) is standing.decisions(part_id)
    assert standing.notes(part_id) is standing.notes(part_id)
    higher = SetFind(kind="set_find", part_id=part_id, changes={"threshold_db": -12.0})
    desk.sessions.edit(session, None, higher)
    assert desk.standing(session) is not standing
    assert desk.standing(session).decisions(part_id).counts.sum() == 3


def test_a_mark_or_a_threshold_leaves_the_evidence_as_it_is_and_a_band_does_not(
    desk: Desk, kick: Kick
) -> None:
    session, part_id = kick
    evidence = desk.standing(session).evidence(part_id)[0]
    mark = SetMark(kind="mark", part_id=part_id, marks={"m": MarkChange(kind="drop", time_s=0.75)})
    desk.sessions.edit(session, None, mark)
    assert desk.standing(session).evidence(part_id)[0] is evidence
    assert desk.standing(session).evidence(part_id, FindSettings(threshold_db=-30))[0] is evidence
    assert desk.standing(session).evidence(part_id, FindSettings(low_hz=2000))[0] is not evidence


def test_the_session_before_the_last_edit_can_be_heard(desk: Desk, kick: Kick) -> None:
    session, part_id = kick
    mark = SetMark(kind="mark", part_id=part_id, marks={"m": MarkChange(kind="drop", time_s=0.75)})
    desk.sessions.edit(session, None, mark)
    assert desk.standing(session).decisions(part_id).counts.sum() == 3
    assert desk.one_back(session).decisions(part_id).counts.sum() == 4


def test_what_is_set_aside_is_neither_looked_at_nor_waited_for(desk: Desk, kick: Kick) -> None:
    session, part_id = kick
    source_id = desk.sessions.get(session).document.parts[part_id].sources[0]
    desk.sessions.edit(session, None, SetAside(kind="set_aside", source_id=source_id, aside=True))
    standing = desk.standing(session)
    assert not len(standing.decisions(part_id).time_s) and not standing.missing()


def test_strokes_in_samples_are_those_that_count(desk: Desk, kick: Kick) -> None:
    standing = desk.standing(kick[0])
    rate = standing.document.rate_hz
    assert np.allclose(standing.struck(kick[1]) / rate, [0.25, 0.75, 1.25, 1.75], atol=0.001)


def test_microphones_beside_each_other_stand_as_they_lie(desk: Desk, session: str, drop: Drop) -> None:
    rng = np.random.default_rng(31)
    kick = decaying_strokes(STRUCK_S, [0.8, 0.7, 0.2, 0.75], 2.2, hz=60, seed=int(rng.integers(1 << 30)))
    snare = decaying_strokes([0.5, 1.0], [0.6, 0.7], 2.2, seed=int(rng.integers(1 << 30)))
    drop(session, "kick.wav", kick)
    state = drop(session, "snare.wav", snare + 0.1 * kick)
    standing = desk.standing(session)
    assert not any(standing.waiting.values())
    assert all(len(part.candidates.whole_power) for part in standing.inputs.values())
    snare_id = next(key for key, part in state.document.parts.items() if part.piece == "snare")
    source_id = state.document.parts[snare_id].sources[0]
    move = MoveClip(kind="move_clip", source_id=source_id, index=0, start_s=0.02)
    desk.sessions.edit(session, state.revision, move)
    moved = desk.standing(session)
    # Until they are listened to anew, what was found of each by itself stands, and it says that it waits.
    assert all(moved.waiting.values()) and not moved.missing()
    assert not any(len(part.candidates.whole_power) for part in moved.inputs.values())
    assert moved.decisions(snare_id).counts.any()
    desk.sessions.undo(session, moved.state.revision)
    assert not any(desk.standing(session).waiting.values()), "and where they lay is known"
