"""MIDI and lists that come back: what differs, and parts of their own."""

from __future__ import annotations

import secrets

from pydantic import BaseModel, Field, ValidationError

from nubrak.core.midi import Left, Proposal, ReadMidi, midi_difference, parts_of, proposals, read_midi
from nubrak.core.prints import read_hits
from nubrak.core.problem import Problem
from nubrak.core.session import AddParts, NewPart, out_of_bounds, part_notes
from nubrak.core.shape import PatternNote
from nubrak.core.tempo import Tempo
from nubrak.desk.desk import Desk
from nubrak.desk.shaping import with_ids
from nubrak.desk.standing import Standing
from nubrak.store.sessions import SessionState


class ChangesFromMidi(BaseModel):
    """What came back different, note by note, ready to be taken."""

    proposals: list[Proposal]
    same: int
    strange: list[str] = Field(description="tracks that belong to no part")
    said: list[str]
    tempo: Tempo | None = Field(default=None, description="the file's tempo, where it is another")


def changes_from(standing: Standing, read: ReadMidi) -> ChangesFromMidi:
    """What a MIDI file that left from here says different now."""
    document = standing.document
    left = {
        part_id: (standing.names[part_id], standing.notes(part_id))
        for part_id, _ in document.ordered_parts()
        if document.is_noted(part_id)
    }
    back = midi_difference(left, read, document.tempo)
    about = {
        part_id: Left(standing.notes(part_id), standing.decisions(part_id), part.mark_list, part.pattern)
        for part_id, part in document.parts.items()
    }
    said, tempo = list(read.said), None
    if back.other_tempo:
        only = "Only the tempo differs" if not back.differences else "The tempo differs as well"
        said.insert(0, f"{only}: {document.tempo.bpm:.2f} → {read.tempo.bpm:.2f} bpm.")
        tempo = read.tempo
    return ChangesFromMidi(
        proposals=proposals(back.differences, about),
        same=back.same,
        strange=back.strange,
        said=said,
        tempo=tempo,
    )


def parts_from_midi(desk: Desk, session_id: str, revision: int, data: bytes) -> SessionState:
    """Any MIDI file as parts without a source, one per piece."""
    read, document = read_midi(data), desk.sessions.get(session_id).document
    found = parts_of(read, document.note_map)
    if not found:
        raise Problem(
            "This MIDI file holds no notes.", "Nothing was changed.", "Export the tracks that have notes."
        )
    parts = [NewPart(piece=one.piece, notes=with_ids(one.notes)) for one in found]
    return _with_parts(desk, session_id, revision, parts)


def parts_from_list(desk: Desk, session_id: str, revision: int, data: bytes) -> SessionState:
    """A list of hits, as CSV, JSON or JAMS, as parts without a source."""
    lines = read_hits(data.decode("utf-8", "replace"))
    document = desk.sessions.get(session_id).document
    by_part: dict[tuple[str, str], list[PatternNote]] = {}
    for line in lines:
        usual = document.note_map.number_of(line.piece)
        number = None if line.note == usual else line.note
        note = PatternNote(time_s=line.note_time_s, velocity=line.velocity, note=number)
        by_part.setdefault((line.part, line.piece), []).append(note)
    if not by_part:
        raise Problem("This list holds no hits.", "Nothing was changed.")
    try:
        parts = [
            NewPart(
                piece=piece, notes=with_ids(notes), named=(name[:80] or None) if piece == "else" else None
            )
            for (name, piece), notes in by_part.items()
        ]
    except ValidationError as error:
        raise out_of_bounds(error) from error
    return _with_parts(desk, session_id, revision, parts)


def _with_parts(desk: Desk, session_id: str, revision: int, parts: list[NewPart]) -> SessionState:
    action = AddParts(kind="add_parts", parts={secrets.token_hex(5): part for part in parts})
    drafted = desk.sessions.get(session_id).document.model_copy(deep=True)
    action.apply(drafted)
    # Notes keep the number that the file gave them where the part has another note of its own.
    for part_id, own in part_notes(drafted).items():
        if (new := action.parts.get(part_id)) is not None:
            usual = drafted.note_map.number_of(new.piece)
            for one in new.notes.values():
                one.note = one.note if one.note is not None else usual if usual != own else None
                one.note = None if one.note == own else one.note
    return desk.sessions.edit(session_id, revision, action)
