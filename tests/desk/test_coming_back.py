"""MIDI and lists that come back."""

from __future__ import annotations

from io import BytesIO

import mido
import pytest

from nubrak.core.midi import read_midi
from nubrak.core.problem import Problem
from nubrak.desk.coming_back import changes_from, parts_from_list, parts_from_midi
from nubrak.desk.desk import Desk
from nubrak.desk.lists import hits_as, midi_of

Kick = tuple[str, str]


def printed(desk: Desk, kick: Kick) -> bytes:
    return midi_of(desk.standing(kick[0]), [kick[1]], "tracks", 960, None)


def changed(data: bytes, velocity: int) -> bytes:
    """The file with its first note struck as hard as that."""
    file = mido.MidiFile(file=BytesIO(data))
    first = next(message for track in file.tracks for message in track if message.type == "note_on")
    first.velocity = velocity
    out = BytesIO()
    file.save(file=out)
    return out.getvalue()


def test_what_comes_back_as_it_left_has_no_differences(desk: Desk, kick: Kick) -> None:
    back = changes_from(desk.standing(kick[0]), read_midi(printed(desk, kick)))
    assert back.same == 4 and not back.proposals and not back.strange


def test_a_velocity_that_was_changed_is_proposed_on_its_stroke(desk: Desk, kick: Kick) -> None:
    back = changes_from(desk.standing(kick[0]), read_midi(changed(printed(desk, kick), 33)))
    (proposal,) = back.proposals
    assert proposal.part_id == kick[1] and proposal.time_s == pytest.approx(0.25, abs=0.002)
    assert proposal.mark is not None and proposal.mark.velocity == 33 and back.same == 3


@pytest.mark.parametrize("form", ["csv", "json", "jams"])
def test_a_list_of_hits_comes_in_as_parts_with_the_same_hits(desk: Desk, kick: Kick, form: str) -> None:
    session, part_id = kick
    listed = hits_as(desk.standing(session), [part_id], form)  # type: ignore[arg-type]
    revision = desk.sessions.revision(session)
    state = parts_from_list(desk, session, revision, listed.encode())
    new = next(one for one in state.document.parts if one != part_id)
    standing = desk.standing(session)
    assert standing.document.parts[new].piece == "kick" and not standing.document.parts[new].sources
    assert standing.notes(new).time_s == pytest.approx(standing.notes(part_id).time_s, abs=1e-4)
    assert standing.notes(new).velocity.tolist() == standing.notes(part_id).velocity.tolist()


def test_a_midi_file_comes_in_as_parts(desk: Desk, kick: Kick) -> None:
    session, part_id = kick
    state = parts_from_midi(desk, session, desk.sessions.revision(session), printed(desk, kick))
    new = next(one for one in state.document.parts if one != part_id)
    assert len(state.document.parts[new].pattern) == 4


def test_what_holds_nothing_is_said_and_changes_nothing(desk: Desk, kick: Kick) -> None:
    session, _ = kick
    revision = desk.sessions.revision(session)
    empty = BytesIO()
    mido.MidiFile().save(file=empty)
    with pytest.raises(Problem):
        parts_from_midi(desk, session, revision, empty.getvalue())
    with pytest.raises(Problem):
        parts_from_list(desk, session, revision, b"")
    assert desk.sessions.revision(session) == revision
