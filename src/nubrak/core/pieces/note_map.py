"""Note maps: which note each piece is written as, kept and handed on as a plain table."""

from __future__ import annotations

import csv
from io import StringIO
from typing import Annotated

from pydantic import BaseModel, Field, field_validator

from nubrak.core.names import Name
from nubrak.core.pieces.articulation import ARTICULATIONS, articulation_of, plain_of
from nubrak.core.pieces.catalogue import PIECES
from nubrak.core.problem import Problem

_COLUMNS = ("piece", "note", "name")
_MOST_ROWS = 1000  # many times the pieces that there are
MOST_MAP_BYTES = 200_000  # the same in bytes


class NoteMap(BaseModel):
    """The notes of the pieces that have another than the General MIDI percussion key map gives them."""

    name: Name = Field(default="General MIDI", min_length=1, max_length=80)
    notes: dict[str, Annotated[int, Field(ge=0, le=127)]] = Field(default={}, max_length=200)

    @field_validator("notes")
    @classmethod
    def _of_known_pieces(cls, notes: dict[str, int]) -> dict[str, int]:
        for key in notes:
            if not _is_known(key):
                raise ValueError(f"there is no piece “{key[:40]}”")
        return notes

    def number_of(self, piece: str, articulation: str | None = None) -> int:
        """The note a piece is written as, or one of its articulations: what the map has for it, else what it
        falls to, else General MIDI's. The plain one is the piece's own.
        """
        way = (
            articulation_of(piece, articulation) if articulation and articulation != plain_of(piece) else None
        )
        if way is None:
            return self.notes.get(piece, PIECES[piece].note if piece in PIECES else 37)
        key = f"{piece}/{way.id}"
        if key not in self.notes and way.falls_to is not None:
            return self.number_of(piece, way.falls_to)
        return self.notes.get(key, way.note)


# General MIDI Level 1 percussion key map (MMA), keys 35 to 81.
GENERAL_MIDI = dict(
    enumerate(
        (
            "Acoustic bass drum",
            "Bass drum 1",
            "Side stick",
            "Acoustic snare",
            "Hand clap",
            "Electric snare",
            "Low floor tom",
            "Closed hi-hat",
            "High floor tom",
            "Pedal hi-hat",
            "Low tom",
            "Open hi-hat",
            "Low-mid tom",
            "Hi-mid tom",
            "Crash cymbal 1",
            "High tom",
            "Ride cymbal 1",
            "Chinese cymbal",
            "Ride bell",
            "Tambourine",
            "Splash cymbal",
            "Cowbell",
            "Crash cymbal 2",
            "Vibraslap",
            "Ride cymbal 2",
            "Hi bongo",
            "Low bongo",
            "Mute hi conga",
            "Open hi conga",
            "Low conga",
            "High timbale",
            "Low timbale",
            "High agogo",
            "Low agogo",
            "Cabasa",
            "Maracas",
            "Short whistle",
            "Long whistle",
            "Short guiro",
            "Long guiro",
            "Claves",
            "Hi wood block",
            "Low wood block",
            "Mute cuica",
            "Open cuica",
            "Mute triangle",
            "Open triangle",
        ),
        start=35,
    )
)


_SEPARATORS = (",", ";", "\t")  # what programs write between columns; the first where none is there
_WANTED = "A note map is a table (CSV) with the columns piece, note and name."


def to_text(note_map: NoteMap) -> str:
    """A map as a CSV table (RFC 4180) with a head line; the first line after it carries the map's name."""
    out = StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(_COLUMNS)
    writer.writerow(("", "", note_map.name))
    for piece in PIECES.values():
        number = note_map.number_of(piece.id)
        writer.writerow((piece.id, number, GENERAL_MIDI.get(number, piece.name)))
        for way in ARTICULATIONS.get(piece.id, ())[1:]:
            number = note_map.number_of(piece.id, way.id)
            writer.writerow((f"{piece.id}/{way.id}", number, GENERAL_MIDI.get(number, piece.name)))
    return out.getvalue()


def from_text(text: str, name: str = "Imported") -> tuple[NoteMap, list[str]]:
    """A map from such a table, its columns in any order and with commas, semicolons or tabs between them, and
    what was skipped, a sentence each. Raises ``Problem`` where it is no such table.
    """
    if len(text) > MOST_MAP_BYTES:
        raise Problem("This note map is larger than any map is.", todo="Choose the table itself.")
    text = text.lstrip("\ufeff")
    head = text.partition("\n")[0]
    between = max(_SEPARATORS, key=head.count)
    try:
        rows = list(csv.reader(StringIO(text), delimiter=between, strict=True))[:_MOST_ROWS]
    except csv.Error as error:
        raise Problem(f"This is no table of notes: {error}.", todo=_WANTED) from error
    columns = [cell.strip().lower() for cell in rows[0]] if rows else []
    if not set(_COLUMNS[:2]) <= set(columns):
        raise Problem("This is no table of notes: its head line does not say piece and note.", todo=_WANTED)
    at = [columns.index(one) if one in columns else len(columns) for one in _COLUMNS]
    notes, skipped = {}, []
    for number, row in enumerate(rows[1:], start=2):
        cells = [cell.strip() for cell in row] + [""] * (len(columns) + 1)
        piece, note, said = (cells[place] for place in at)
        if not piece:
            name = said[:80] or name
        elif not _is_known(piece):
            skipped.append(f"Line {number}: there is no piece “{piece[:40]}”.")
        elif not _is_note(note):
            skipped.append(f"Line {number}: “{note[:40]}” is no note from 0 to 127.")
        else:
            notes[piece] = int(note)
    return NoteMap(
        name=name,
        notes={key: note for key, note in notes.items() if note != NoteMap().number_of(*_split(key))},
    ), skipped


def _is_known(key: str) -> bool:
    """Whether a row's key is a piece, or a piece and how it is struck."""
    piece, way = _split(key)
    return piece in PIECES and (way is None or articulation_of(piece, way) is not None)


def _is_note(text: str) -> bool:
    # Three digits at most: a number of thousands of them is refused by Python itself.
    return text.isascii() and text.isdecimal() and len(text.lstrip("0")) <= 3 and int(text[-4:]) <= 127


def _split(key: str) -> tuple[str, str | None]:
    """Piece and articulation of a row of the table."""
    piece, _, way = key.partition("/")
    return piece, way or None
