"""MIDI brought in as parts of its own, without a source."""

from __future__ import annotations

from dataclasses import dataclass

from nubrak.core.midi.read import ReadMidi
from nubrak.core.pieces import PIECES, NoteMap, piece_of_key
from nubrak.core.shape import PatternNote, pattern_note
from nubrak.core.time_line import LAST_S


@dataclass(frozen=True)
class Imported:
    """Notes of one piece that were brought in."""

    piece: str
    notes: list[PatternNote]


def piece_of(number: int, note_map: NoteMap) -> str:
    """The piece that a note stands for; something else where none does."""
    for piece in PIECES.values():
        if note_map.number_of(piece.id) == number and piece.family != "whole" and piece.noted:
            return piece.id
    return piece_of_key(number) or "else"


def parts_of(read: ReadMidi, note_map: NoteMap, offset_s: float = 0.0) -> list[Imported]:
    """A MIDI file as parts without a source, one per piece; notes keep the number they had where it is not
    the piece's own.
    """
    found: dict[str, list[PatternNote]] = {}
    for track in read.tracks:
        for time_s, number, velocity in zip(
            (track.time_s + offset_s).tolist(), track.number.tolist(), track.velocity.tolist(), strict=True
        ):
            piece = piece_of(number, note_map)
            if 0 <= time_s <= LAST_S:
                found.setdefault(piece, []).append(
                    pattern_note(time_s, velocity, number, note_map.number_of(piece))
                )
    order = list(PIECES)
    return [
        Imported(piece, sorted(notes, key=lambda note: note.time_s))
        for piece, notes in sorted(found.items(), key=lambda item: order.index(item[0]))
    ]
