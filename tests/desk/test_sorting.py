"""A loop on a desk: told apart by itself, its strokes given to pieces, what follows, undo across it."""

from __future__ import annotations

import io

import mido
import numpy as np
import pytest

from nubrak.core.problem import Problem
from nubrak.core.samples import Instrument, Sample
from nubrak.core.session import AnyAction, Document, SetMark
from nubrak.core.session.find_edits import SetFind
from nubrak.core.session.gather_edits import Rename
from nubrak.core.session.layer_edits import AddLayer
from nubrak.core.session.marks import MarkChange
from nubrak.core.session.shape_edits import SetShape, ShapeChanges
from nubrak.core.session.sort_edits import SetMuted, SplitPart
from nubrak.desk.desk import Desk
from nubrak.desk.finding import ghost_places
from nubrak.desk.found_later import keep_what_was_found
from nubrak.desk.lists import hit_lines, midi_of
from nubrak.desk.overview import overview_of
from nubrak.desk.printing import StemChoice, stems
from nubrak.desk.sorting import (
    AskFollow,
    AskGive,
    AskHear,
    Follower,
    Following,
    Stroke,
    To,
    following,
    give,
    pieces_to_tell,
    sort_map,
    strokes_one_by_one,
)
from tests.conftest import decaying_strokes
from tests.core.sort.made import RATE_HZ, beat, mixture
from tests.desk.conftest import Drop


@pytest.fixture
def loop(desk: Desk, session: str, drop: Drop) -> tuple[str, str]:
    """A session of one loop, told apart, and the part of its moments."""
    state = drop(session, "moth loop.wav", mixture(beat(), 4.0))
    head = next(iter(state.document.parts))
    keep_what_was_found(desk, session)
    return session, head


def document_of(desk: Desk, session: str) -> Document:
    return desk.sessions.get(session).document


def part_of(desk: Desk, session: str, piece: str) -> str:
    return next(key for key, part in document_of(desk, session).parts.items() if part.piece == piece)


def usual(following: Following) -> list[Follower]:
    """What follows unless more or fewer are asked for."""
    return [one for one in following.strokes if one.reach <= following.usual_reach]


def notes_written(desk: Desk, session: str) -> list[int]:
    """The number of every note of the whole session as MIDI."""
    standing = desk.standing(session)
    written = mido.MidiFile(file=io.BytesIO(midi_of(standing, standing.chosen(None), "one", 960, None)))
    return [m.note for track in written.tracks for m in track if m.type == "note_on" and m.velocity]


def test_a_loop_becomes_its_pieces_by_itself_and_stays_one_edit_back(
    desk: Desk, loop: tuple[str, str]
) -> None:
    session, head = loop
    document = document_of(desk, session)
    assert {document.parts[one].piece for one in document.family(head)} >= {"kick", "snare", "hi-hat"}
    about = {one.part_id: one for one in overview_of(desk, session).parts}
    assert not about[head].noted and not about[head].time_s
    assert len(about[part_of(desk, session, "kick")].time_s) == 4
    # Nobody did it, so undo takes back the file, and with it what was told from it.
    undone = desk.sessions.undo(session, desk.sessions.revision(session))
    assert not undone.document.parts
    again = desk.sessions.redo(session, undone.revision)
    assert list(again.document.parts) == [head]
    keep_what_was_found(desk, session)
    assert len(document_of(desk, session).family(head)) >= 3


def test_what_is_told_after_an_edit_leaves_that_edit_the_next_to_be_taken_back(
    desk: Desk, session: str, drop: Drop
) -> None:
    before = drop(session, "moth loop.wav", mixture(beat(), 4.0))
    edited = desk.sessions.edit(session, before.revision, Rename(kind="rename", name="Act two"))
    assert edited.undo_number != before.undo_number
    keep_what_was_found(desk, session)
    told = desk.sessions.get(session)
    assert told.revision > edited.revision and told.undo_number == edited.undo_number
    undone = desk.sessions.undo(session, told.revision)
    assert undone.document.name == before.document.name and len(undone.document.parts) >= 4
    assert undone.redo_number == edited.undo_number


def test_every_stroke_stands_on_the_map_in_a_named_group(desk: Desk, loop: tuple[str, str]) -> None:
    session, head = loop
    found = sort_map(desk.standing(session), head)
    names = [group.name for group in found.groups]
    assert "Kick" in names and "Snare" in names and "Hi-hat, closed" in names
    assert sum(group.hits for group in found.groups) == len(found.part) == len(found.found_s)
    kick, hat = (found.groups[names.index(name)] for name in ("Kick", "Hi-hat, closed"))
    assert kick.brightness_hz < hat.brightness_hz and len(kick.outline) >= 3
    both = [
        alone
        for alone, part in zip(found.alone, found.part, strict=True)
        if found.parts[part].piece == "kick"
    ]
    assert not any(both), "every kick of this beat has a hat over it"


def test_a_stroke_given_to_another_piece_moves_and_is_one_edit(desk: Desk, loop: tuple[str, str]) -> None:
    session, head = loop
    kick = part_of(desk, session, "kick")
    before = len(desk.standing(session).notes(kick))
    at = float(desk.standing(session).notes(kick).time_s[0])
    found_s = float(
        desk.standing(session).decisions(kick).found_s[desk.standing(session).decisions(kick).counts][0]
    )
    ask = AskGive(
        revision=desk.sessions.revision(session),
        strokes=[Stroke(part_id=kick, found_s=found_s)],
        to=To(piece="floor-tom"),
    )
    state = give(desk, session, head, ask)
    tom = part_of(desk, session, "floor-tom")
    assert len(desk.standing(session).notes(kick)) == before - 1
    assert abs(float(desk.standing(session).notes(tom).time_s[0]) - at) < 0.01
    assert state.undo is not None and "floor tom" in state.undo
    desk.sessions.undo(session, state.revision)
    assert len(desk.standing(session).notes(kick)) == before


def test_the_rest_follows_and_is_undone_as_one(desk: Desk, loop: tuple[str, str]) -> None:
    session, head = loop
    snare = part_of(desk, session, "snare")
    decisions = desk.standing(session).decisions(snare)
    first = Stroke(part_id=snare, found_s=float(decisions.found_s[decisions.counts][0]))
    to = To(piece="clap")
    ask = AskGive(revision=desk.sessions.revision(session), strokes=[first], to=to)
    state = give(desk, session, head, ask)
    follow = usual(following(desk.standing(session), head, AskFollow(strokes=[first], to=to)))
    assert len(follow) == 3, "the other snares of the beat"
    rest = [Stroke(part_id=one.part_id, found_s=one.found_s) for one in follow]
    state = give(desk, session, head, AskGive(revision=state.revision, strokes=rest, to=to))
    clap = part_of(desk, session, "clap")
    assert len(desk.standing(session).notes(clap)) == 4 and not len(desk.standing(session).notes(snare))
    state = desk.sessions.undo(session, state.revision)
    assert len(desk.standing(session).notes(clap)) == 1


def test_what_is_struck_as_well_leaves_what_is_there_and_is_offered_where_it_sounds_so(
    desk: Desk, loop: tuple[str, str]
) -> None:
    session, head = loop
    snare = part_of(desk, session, "snare")
    found_s = desk.standing(session).decisions(snare).found_s
    first = Stroke(part_id=snare, found_s=float(found_s[desk.standing(session).decisions(snare).counts][0]))
    to = To(piece="clap", also=True)
    ask = AskGive(revision=desk.sessions.revision(session), strokes=[first], to=to)
    state = give(desk, session, head, ask)
    clap = part_of(desk, session, "clap")
    assert len(desk.standing(session).notes(snare)) == 4 and len(desk.standing(session).notes(clap)) == 1
    follow = usual(following(desk.standing(session), head, AskFollow(strokes=[first], to=to)))
    assert len(follow) == 3, "the other snares of the beat"
    # A hand has said of one that it is not struck there.
    refused = Stroke(part_id=snare, found_s=follow[0].found_s)
    state = give(desk, session, head, AskGive(revision=state.revision, strokes=[refused], to=to))
    mark = {"refused": MarkChange(kind="drop", time_s=refused.found_s)}
    desk.sessions.edit(session, state.revision, SetMark(kind="mark", part_id=clap, marks=mark))
    left = following(desk.standing(session), head, AskFollow(strokes=[first], to=to)).strokes
    assert refused.found_s not in [one.found_s for one in left]


def test_what_is_dropped_offers_to_drop_what_sounds_like_it(desk: Desk, loop: tuple[str, str]) -> None:
    session, head = loop
    snare = part_of(desk, session, "snare")
    decisions = desk.standing(session).decisions(snare)
    first = Stroke(part_id=snare, found_s=float(decisions.found_s[decisions.counts][0]))
    mark = {"first": MarkChange(kind="drop", time_s=first.found_s)}
    revision = desk.sessions.revision(session)
    desk.sessions.edit(session, revision, SetMark(kind="mark", part_id=snare, marks=mark))
    follow = usual(following(desk.standing(session), head, AskFollow(strokes=[first], to=To(nothing=True))))
    assert len(follow) == 3 and {one.part_id for one in follow} == {snare}


def test_an_articulation_has_its_note_in_midi_and_lists(desk: Desk, loop: tuple[str, str]) -> None:
    session, head = loop
    hat = part_of(desk, session, "hi-hat")
    decisions = desk.standing(session).decisions(hat)
    first = Stroke(part_id=hat, found_s=float(decisions.found_s[decisions.counts][0]))
    to = To(part_id=hat, articulation="open")
    give(desk, session, head, AskGive(revision=desk.sessions.revision(session), strokes=[first], to=to))
    standing = desk.standing(session)
    assert hit_lines(standing, hat)[0].note == 46 and hit_lines(standing, hat)[1].note == 42
    assert b"\x99\x2e" in midi_of(standing, [hat], "one", 960, None)


def test_strokes_are_heard_one_by_one(desk: Desk, loop: tuple[str, str]) -> None:
    session, head = loop
    standing = desk.standing(session)
    sound = strokes_one_by_one(desk, standing, head, AskHear(time_s=[0.0, 0.5]))
    assert sound.shape[1] == 2 and 0.3 * RATE_HZ < len(sound) < 1.4 * RATE_HZ and np.abs(sound).max() > 0.05


def test_what_was_not_sorted_says_so(desk: Desk, kick: tuple[str, str]) -> None:
    session, part = kick
    with pytest.raises(Problem, match="not been told apart"):
        sort_map(desk.standing(session), part)


def test_two_windows_that_tell_at_once_make_one_family(desk: Desk, session: str, drop: Drop) -> None:
    state = drop(session, "moth loop.wav", mixture(beat(), 4.0))
    head = next(iter(state.document.parts))
    first, second = desk.standing(session), desk.standing(session)
    kept = [desk.sessions.tell_pieces(session, head, pieces_to_tell(one)[head]) for one in (first, second)]
    assert kept == [True, False]
    pieces = [document_of(desk, session).parts[one].piece for one in document_of(desk, session).family(head)]
    assert len(pieces) == len(set(pieces))


def test_a_loop_is_written_with_a_channel_for_each_piece_and_nothing_twice(
    desk: Desk, loop: tuple[str, str]
) -> None:
    session, _ = loop
    standing = desk.standing(session)
    data = midi_of(standing, standing.chosen(None), "tracks", 960, None, "each")
    file = mido.MidiFile(file=io.BytesIO(data))
    by_track = [{m.channel for m in track if m.type == "note_on"} for track in file.tracks]
    channels = [one for of in by_track for one in of]
    assert len(channels) == len(set(channels)) == len(file.tracks) - 1
    struck = sum(m.type == "note_on" and m.velocity > 0 for track in file.tracks for m in track)
    assert struck == sum(len(standing.notes(one)) for one in standing.document.parts)


def test_ghosts_become_a_part_with_a_note_and_a_layer_of_their_own_and_are_thrown_away_without_being_lost(
    desk: Desk, session: str, drop: Drop
) -> None:
    soft = [(0.125 + 0.5 * n, "snare", 0.3) for n in range(8)]
    document = drop(session, "moth loop.wav", mixture(beat() + soft, 4.0)).document
    head, audio = next(iter(document.parts)), next(iter(document.sources.values())).clips[0].audio
    keep_what_was_found(desk, session)
    found = sort_map(desk.standing(session), head)
    group = next(k for k, one in enumerate(found.groups) if one.ghost)
    assert found.groups[group].name == "Snare, ghost" and found.groups[group].hits >= 4
    snare = part_of(desk, session, "snare")
    at_s = [s for s, of in zip(found.found_s, found.group, strict=True) if of == group]
    marks = {f"m{k}": s for k, s in enumerate(at_s)}
    edits: list[AnyAction] = [
        SplitPart(
            kind="split_part", part_id=snare, new_part_id="ghosts", marks=marks, there=marks, named="Ghosts"
        ),
        SetShape(kind="set_shape", part_id="ghosts", changes=ShapeChanges(note=27)),
        AddLayer(
            kind="add_layer",
            part_id="ghosts",
            layer_id="soft",
            instrument=Instrument(name="Soft", piece="snare", samples=[Sample(audio=audio)]),
        ),
    ]
    for edit in edits:
        state = desk.sessions.edit(session, None, edit)
    struck = notes_written(desk, session)
    assert struck.count(38) == 4 and struck.count(27) == len(at_s)
    assert not state.document.parts[snare].layers and list(state.document.parts["ghosts"].layers) == ["soft"]
    desk.sessions.edit(session, None, SetMuted(kind="set_muted", part_id="ghosts", muted=True))
    assert notes_written(desk, session).count(38) == 4 and 27 not in notes_written(desk, session)
    desk.sessions.edit(session, None, SetMuted(kind="set_muted", part_id="ghosts", muted=False))
    assert notes_written(desk, session) == struck


def test_a_microphones_own_ghosts_are_divided_from_it_and_stay_as_soft_as_they_were(
    desk: Desk, session: str, drop: Drop
) -> None:
    at_s = [0.25 + 0.25 * n for n in range(16)]
    soft = [n % 2 == 1 for n in range(16)]
    audio = decaying_strokes(at_s, [0.06 if one else 0.8 for one in soft], 4.5, hz=190)
    part_id = next(iter(drop(session, "snare.wav", audio).document.parts))
    before = desk.standing(session).notes(part_id)
    assert len(before) == 16
    ghosts = ghost_places(desk.standing(session), part_id)
    np.testing.assert_allclose(ghosts.time_s, np.array(at_s)[soft], atol=0.003)
    marks = {f"m{k}": s for k, s in enumerate(ghosts.found_s)}
    desk.sessions.edit(
        session,
        None,
        SplitPart(kind="split_part", part_id=part_id, new_part_id="ghosts", marks=marks, there=marks),
    )
    divided = desk.standing(session)
    own, rest = divided.notes("ghosts"), divided.notes(part_id)
    np.testing.assert_array_equal(own.velocity, before.velocity[soft])
    np.testing.assert_array_equal(rest.velocity, before.velocity[~np.array(soft)])
    np.testing.assert_allclose(own.time_s, before.time_s[soft], atol=1e-9)
    # whatever the settings become, only what a hand gave is struck there
    low = ShapeChanges(note=27)
    desk.sessions.edit(
        session, None, SetFind(kind="set_find", part_id="ghosts", changes={"threshold_db": -80})
    )
    desk.sessions.edit(session, None, SetShape(kind="set_shape", part_id="ghosts", changes=low))
    assert sorted(notes_written(desk, session)) == [27] * 8 + [38] * 8
    # the recording is heard and printed once
    heard = desk.window(divided, "recording", divided.chosen(None), 0, 4 * RATE_HZ)
    np.testing.assert_array_equal(heard, desk.window(divided, "recording", [part_id], 0, 4 * RATE_HZ))
    printed = [one.name for one in stems(desk, divided, StemChoice(recordings=True))]
    assert [name for name in printed if "recording" in name] == ["Snare 1 - recording"]
