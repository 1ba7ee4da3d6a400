"""MIDI brought in as parts of its own, without a source."""

from __future__ import annotations

from dataclasses import dataclass

from nubrak.core.midi.read import ReadMidi
from nubrak.core.pieces import PIECES, NoteMap
from nubrak.core.shape import PatternNote, pattern_note
from nubrak.core.time_line import LAST_S

# Other notes of the General MIDI percussion key map that stand for a piece.
_ALSO = {
    35: "kick",
    40: "snare",
    37: "snare",
    41: "floor-tom",
    45: "floor-tom",
    47: "rack-tom",
    50: "rack-tom",
    44: "hi-hat",
    46: "hi-hat",
    57: "crash",
    55: "crash",
    52: "crash",
    53: "ride",
    59: "ride",
    62: "conga",
    64: "conga",
    60: "conga",
    61: "conga",
    69: "shaker",
    82: "shaker",
}


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
    return _ALSO.get(number, "else")


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
