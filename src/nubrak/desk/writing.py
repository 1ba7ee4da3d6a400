"""A session written as a drummer reads it: its bars, and strokes at their steps."""

from __future__ import annotations

import secrets
from typing import Literal

import numpy as np
from pydantic import BaseModel, Field

from nubrak.core.midi import piece_of
from nubrak.core.pieces import ARTICULATIONS, PIECES, PieceId
from nubrak.core.problem import Problem
from nubrak.core.samples import STARTER, Instrument
from nubrak.core.session import LayerPut, LayerValue, MarkChange, NewPart, Write, part_notes
from nubrak.core.shape import (
    Grace,
    Hardness,
    NoteKind,
    PatternNote,
    bar_of,
    graces,
    hardness,
    read_bar,
    steps_s,
)
from nubrak.core.tempo import Grid, Tempo
from nubrak.core.time_line import LAST_S
from nubrak.desk.desk import Desk
from nubrak.desk.shaping import with_ids
from nubrak.desk.standing import Standing
from nubrak.desk.tempo import require_tempo
from nubrak.store.kits import all_kits
from nubrak.store.sessions import SessionState

BarKind = Literal["recorded", "written", "both", "empty"]
_MOST_BARS_LISTED = 20_000
MOST_BACK, MOST_BAR = 10_000, 1_000_000  # bars before the first, and after: more than a day of them

# A kit that sounds on what is written alone, at its own level.
AS_WRITTEN: dict[str, LayerValue] = {"sounds_on": "written", "level_db": 0.0}


class BarRun(BaseModel):
    """Bars one after the other of which the same can be said."""

    first: int
    last: int
    kind: BarKind


class WrittenNote(BaseModel):
    """One stroke of a bar."""

    step: int
    late_ms: float = Field(description="how far from its step it stands")
    time_s: float
    velocity: int
    note: int
    kind: NoteKind
    graces: int = Field(description="grace notes before it: one of a flam, two of a drag")
    way: str | None = Field(description="how it is struck, where that is not the plain way")
    recorded: bool


class WrittenLine(BaseModel):
    """What one part plays in a bar."""

    part_id: str
    name: str
    piece: PieceId
    sounds: bool = Field(description="whether it has anything to sound a written stroke with")
    number: int
    notes: list[WrittenNote]


class WrittenBar(BaseModel):
    """A bar as it is read, and the bars around it."""

    revision: int
    bar: int
    start_s: float
    end_s: float
    steps_s: list[float]
    labels: list[str]
    beat_steps: list[bool] = Field(description="which steps a beat begins at")
    grid: Grid
    lines: list[WrittenLine]
    bars: list[BarRun] = Field(description="all bars of the session, and an empty one behind the last")
    pads: list[PieceId] = Field(description="the piece that each MIDI note plays, 0 to 127")


def written_bar(standing: Standing, bar: int, grid: Grid) -> WrittenBar:
    """A bar of all parts on the steps of a grid."""
    require_tempo(standing)
    document, tempo = standing.document, standing.document.tempo
    times = steps_s(tempo, bar, grid)
    count = len(times) - 1
    labels = grid.labels(count, tempo.beat_unit)
    lines = []
    for part_id in parts_of(standing):
        notes, part = standing.notes(part_id), document.parts[part_id]
        ways = {
            document.note_map.number_of(part.piece, way.id): way.id
            for way in reversed(ARTICULATIONS.get(part.piece, ())[1:])
            if way.falls_to is None
        }
        ways.pop(standing.own_note(part_id), None)
        read = read_bar(notes, tempo, bar, grid, _hard(standing, part_id))
        lines.append(
            WrittenLine(
                part_id=part_id,
                name=standing.names[part_id],
                piece=part.piece,
                sounds=any(one.on and one.sounds_on != "recorded" for one in part.layers.values()),
                number=notes.number,
                notes=[
                    WrittenNote(
                        step=one.step,
                        late_ms=round(one.late_ms, 3),
                        time_s=round(float(notes.time_s[one.row]), 6),
                        velocity=int(notes.velocity[one.row]),
                        note=int(notes.each_number[one.row]),
                        kind=one.kind,
                        graces=len(one.graces),
                        way=ways.get(int(notes.each_number[one.row])),
                        recorded=int(notes.row[one.row]) >= 0,
                    )
                    for one in read
                ],
            )
        )
    return WrittenBar(
        revision=standing.state.revision,
        bar=bar,
        start_s=float(times[0]),
        end_s=float(times[-1]),
        steps_s=np.round(times, 6).tolist(),
        labels=labels,
        beat_steps=[label.isdigit() for label in labels],
        grid=grid,
        lines=lines,
        bars=_bars(standing, tempo),
        pads=[piece_of(number, document.note_map) for number in range(128)],
    )


def parts_of(standing: Standing) -> list[str]:
    """The parts that have notes, in their order."""
    return [key for key, _ in standing.document.ordered_parts() if standing.document.is_noted(key)]


def _hard(standing: Standing, part_id: str) -> Hardness:
    usual = PIECES[standing.document.parts[part_id].piece].usual_velocity
    return hardness(standing.notes(part_id).velocity, usual)


def _bars(standing: Standing, tempo: Tempo) -> list[BarRun]:
    """Runs of bars that are alike, from the first to an empty one behind the last."""
    recorded, written = set[int](), set[int]()
    for part_id in parts_of(standing):
        notes = standing.notes(part_id)
        bars = bar_of(notes.time_s, tempo)
        recorded |= set(bars[notes.row >= 0].tolist())
        written |= set(bars[notes.row < 0].tolist())
    end_s = max((one.end_s for one in standing.document.sources.values()), default=0.0)
    # A bar in which only the last stroke rings out is free to be written in.
    rung_s = end_s - 60.0 / tempo.bpm * 4.0 / tempo.beat_unit
    ends = bar_of(np.array([rung_s]), tempo).tolist() if end_s else []
    # What sounds before bar 1 is a bar to write in only where something is struck there.
    first = min([1, *recorded, *written])
    last = min(max([0, *recorded, *written, *ends]), first + _MOST_BARS_LISTED)
    out: list[BarRun] = []
    for bar in range(first, last + 2):
        kind: BarKind = (
            ("both" if bar in written else "recorded")
            if bar in recorded
            else "written"
            if bar in written
            else "empty"
        )
        if out and out[-1].kind == kind and bar <= last:
            out[-1].last = bar
        else:
            out.append(BarRun(first=bar, last=bar, kind=kind))
    return out


class WriteAt(BaseModel):
    """A stroke at a step of a bar. ``do`` is what becomes of it: ``stroke`` writes it or takes it away,
    ``ghost``, ``accent``, ``flam``, ``drag`` and ``way`` make it that or no longer that, and write it where
    there is none; ``set`` gives it a velocity.
    """

    revision: int
    bar: int = Field(ge=-MOST_BACK, le=MOST_BAR)
    step: int = Field(ge=0, le=4096)
    grid: Grid = Grid()
    part_id: str | None = Field(default=None, description="empty: the part of this piece")
    piece: PieceId | None = Field(default=None, description="a part of its own where none plays it yet")
    do: Literal["stroke", "ghost", "accent", "flam", "drag", "way", "set"] = "stroke"
    velocity: int | None = Field(default=None, ge=1, le=127)


class Wrote(BaseModel):
    """The session after a stroke was written, and that stroke."""

    state: SessionState
    part_id: str
    velocity: int | None = Field(description="how hard it is now; empty: it was taken away")
    note: int | None


def write_at(desk: Desk, session_id: str, at: WriteAt) -> Wrote:
    """Write, change or take away one stroke."""
    standing = desk.standing(session_id)
    require_tempo(standing)
    tempo = standing.document.tempo
    times = steps_s(tempo, at.bar, at.grid)
    if at.step >= len(times) - 1 or not 0 <= times[at.step] <= LAST_S:
        raise Problem("This step is not on the time line.", todo="Choose a step of the bar.")
    part_id = at.part_id or playing(standing, at.piece)
    if part_id is None:
        return _first_of(desk, session_id, at, float(times[at.step]))
    require_noted(standing, part_id)
    notes, hard = standing.notes(part_id), _hard(standing, part_id)
    read = read_bar(notes, tempo, at.bar, at.grid, hard)
    there = min((one for one in read if one.step == at.step), key=lambda one: abs(one.late_ms), default=None)
    change = Change(standing, part_id)
    name = standing.names[part_id].lower()
    place = f"{at.grid.labels(len(times) - 1, tempo.beat_unit)[at.step]} of bar {at.bar}"
    time_s, number = float(times[at.step]), None
    velocity: int | None
    if there is None:
        velocity = at.velocity or {"ghost": hard.ghost, "accent": hard.accent}.get(at.do, hard.usual)
        number = _next_way(standing, part_id, notes.number) if at.do == "way" else None
        change.add([PatternNote(time_s=time_s, velocity=velocity, note=number, fixed=True)])
        said = f"Write {name} at {place}"
    else:
        velocity = int(notes.velocity[there.row])
        time_s = float(notes.time_s[there.row])
        said = f"{name[:1].upper()}{name[1:]} at {place}: {_DOING.get(at.do, at.do)}"
        if at.do == "stroke" and at.velocity is None:
            for row in (there.row, *there.graces):
                change.drop(row)
            velocity, said = None, f"Take {name} at {place} away"
        elif at.do == "way":
            number = _next_way(standing, part_id, int(notes.each_number[there.row]))
            change.set(there.row, note=number)
        elif at.do in ("flam", "drag"):
            for row in there.graces:
                change.drop(row)
        else:
            usual = at.velocity or hard.usual
            wanted = {"ghost": hard.ghost, "accent": hard.accent}.get(at.do, usual)
            velocity = usual if there.kind == at.do else wanted
            change.set(there.row, velocity=velocity)
    if at.do in ("flam", "drag") and velocity is not None:
        want: Grace = "flam" if at.do == "flam" else "drag"
        had = 0 if there is None else len(there.graces)
        if had != (1 if want == "flam" else 2):
            change.add(graces(time_s, velocity, want))
    state = desk.sessions.edit(session_id, at.revision, change.action(said))
    number = number if number is not None else int(notes.each_number[there.row]) if there else notes.number
    return Wrote(state=state, part_id=part_id, velocity=velocity, note=number if velocity else None)


_DOING = {"set": "how hard", "way": "another way of striking it"}


def playing(standing: Standing, piece: str | None) -> str | None:
    """The first part that plays a piece."""
    return next((key for key in parts_of(standing) if standing.document.parts[key].piece == piece), None)


def _first_of(desk: Desk, session_id: str, at: WriteAt, time_s: float) -> Wrote:
    """The first stroke of a piece that no part plays yet."""
    if at.piece is None or not PIECES[at.piece].noted:
        raise Problem("No piece was named that can be written.", todo="Choose a piece that is struck.")
    part_id, usual = secrets.token_hex(6), PIECES[at.piece].usual_velocity
    hard = hardness(np.zeros(0, np.int64), usual)
    velocity = at.velocity or {"ghost": hard.ghost, "accent": hard.accent}.get(at.do, usual)
    new = [PatternNote(time_s=time_s, velocity=velocity, fixed=True)]
    if at.do in ("flam", "drag"):
        new += graces(time_s, velocity, "flam" if at.do == "flam" else "drag")
    part = NewPart(piece=at.piece, notes=with_ids(new))
    said = f"Write {PIECES[at.piece].name.lower()} in bar {at.bar}"
    layers = _starting(desk, desk.standing(session_id), part_id, at.piece)
    action = Write(kind="write", said=said, parts={part_id: part}, layers=layers)
    state = desk.sessions.edit(session_id, at.revision, action)
    note = part_notes(state.document)[part_id]
    return Wrote(state=state, part_id=part_id, velocity=velocity, note=note)


def _starting(desk: Desk, standing: Standing, part_id: str, piece: str) -> dict[str, dict[str, LayerPut]]:
    """What a new piece sounds with: the starter kit's, so that it is heard at once."""
    starter = all_kits(desk.engine).get(STARTER)
    found = starter.for_piece(piece) if starter else []
    puts = {
        secrets.token_hex(4): LayerPut(
            instrument=one, changes=AS_WRITTEN | on_its_notes(standing, piece, one, found)
        )
        for one in found
    }
    return {part_id: puts} if puts else {}


def on_its_notes(
    standing: Standing, piece: str, instrument: Instrument, beside: list[Instrument]
) -> dict[str, LayerValue]:
    """Which notes an instrument of a kit sounds on and which silence it, where the kit has several for the
    ways of striking a piece: as the session's note map writes them, the plain one on all that are left.
    """
    note_map = standing.document.note_map
    numbers = {
        way.note: note_map.number_of(piece, way.id)
        for way in ARTICULATIONS.get(piece, ())
        if way.falls_to is None
    }
    if len(beside) < 2 or instrument.key not in numbers:
        return {}
    own, plain = numbers[instrument.key], next(iter(numbers.values()))
    others = {numbers[one.key] for one in beside if one.key in numbers and one.key != instrument.key}
    sounding = sorted(set(range(128)) - others) if own == plain else [own]
    silent = {numbers[key] for key in instrument.silenced_by if key in numbers} - {own}
    return {"notes": sounding, "silenced_by": sorted(silent)}


def _next_way(standing: Standing, part_id: str, number: int) -> int:
    """The note of the next way of striking a piece after the one a note stands for."""
    document, piece = standing.document, standing.document.parts[part_id].piece
    ways = ARTICULATIONS.get(piece, ())[1:]
    numbers = [standing.own_note(part_id), *(document.note_map.number_of(piece, way.id) for way in ways)]
    numbers = list(dict.fromkeys(numbers)) if ways else []
    if len(numbers) < 2:
        raise Problem(
            f"{standing.names[part_id]} is struck in one way only.",
            todo="A hi-hat, a ride or a snare has several.",
        )
    return numbers[(numbers.index(number) + 1) % len(numbers)] if number in numbers else numbers[0]


def require_noted(standing: Standing, part_id: str) -> None:
    """A ``Problem`` where a part has no notes that could be written."""
    if not standing.document.is_noted(standing.chosen(part_id)[0]):
        name = standing.names[part_id]
        raise Problem(f"{name} has no notes of its own.", todo="Choose a piece that is played by itself.")


class Change:
    """What becomes of strokes of one part, wherever they come from."""

    def __init__(self, standing: Standing, part_id: str) -> None:
        self._notes = standing.notes(part_id)
        self._found_s = standing.decisions(part_id).found_s
        self._part = standing.document.part(part_id)
        self._keys = list(self._part.pattern)
        self.part_id = part_id
        self.notes: dict[str, PatternNote] = {}
        self.remove: list[str] = []
        self.marks: dict[str, MarkChange] = {}

    def add(self, new: list[PatternNote]) -> None:
        """New strokes beside the recorded ones."""
        self.notes |= with_ids(new)

    def drop(self, row: int) -> None:
        """Take a stroke away: a recorded one does not count any more."""
        at = int(self._notes.row[row])
        if at >= 0:
            self.marks[secrets.token_hex(6)] = MarkChange(time_s=float(self._found_s[at]), kind="drop")
        else:
            self.remove.append(self._keys[-1 - at])

    def set(self, row: int, velocity: int | None = None, note: int | None = None) -> None:
        """Give a stroke a velocity or a note of its own."""
        at = int(self._notes.row[row])
        if at >= 0:
            given = {"velocity": velocity, "note": note}
            said = {name: value for name, value in given.items() if value is not None}
            mark = MarkChange.model_validate({"time_s": float(self._found_s[at]), **said})
            self.marks[secrets.token_hex(6)] = mark
            return
        known = self._part.pattern[self._keys[-1 - at]]
        number = int(self._notes.each_number[row]) if note is None else note
        self.notes[self._keys[-1 - at]] = PatternNote(
            time_s=float(self._notes.time_s[row]),
            velocity=int(self._notes.velocity[row]) if velocity is None else velocity,
            note=known.note if note is None else None if number == self._notes.number else number,
            fixed=True,
        )

    @property
    def empty(self) -> bool:
        """Whether nothing becomes of any stroke."""
        return not (self.notes or self.remove or self.marks)

    def action(self, said: str) -> Write:
        """It as an edit that undo calls ``said``."""
        return written_together(said, [self])


def written_together(said: str, changes: list[Change]) -> Write:
    """What becomes of several parts, as one edit."""
    return Write(
        kind="write",
        said=said[:120],
        notes={one.part_id: one.notes for one in changes if one.notes},
        remove={one.part_id: one.remove for one in changes if one.remove},
        marks={one.part_id: one.marks for one in changes if one.marks},
    )
