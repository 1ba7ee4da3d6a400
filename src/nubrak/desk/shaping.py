"""What the Shape bench is answered with and asks for, beside the core's own models."""

from __future__ import annotations

import secrets

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from nubrak.core.pieces import ARTICULATIONS, GENERAL_MIDI, PIECES, NoteMap, Piece, PieceId, from_text
from nubrak.core.problem import Problem
from nubrak.core.session import KeepFeel, SetPattern
from nubrak.core.shape import (
    CurveShape,
    FeelStep,
    Notes,
    PatternNote,
    ShapeSettings,
    StrengthPoint,
    beside_what_is_there,
    copied,
    deviation_ms,
    feel_of,
    in_scope,
    marks_of_hits,
    repeated,
    speaks_of_note,
    starting_curve,
    steps_of_bar,
    velocity_of,
)
from nubrak.core.sort import Sameness, same_sounds, what_is_same
from nubrak.core.tempo import Grid, beats_at
from nubrak.desk.desk import Desk
from nubrak.desk.standing import Standing
from nubrak.desk.tempo import require_tempo
from nubrak.store.sessions import SessionState


class AskShape(BaseModel):
    """How a part is shaped: as it stands, as it was before, or with other settings."""

    shape: ShapeSettings | None = Field(default=None, description="settings that are still being moved")
    before: bool = Field(default=False, description="as played, with nothing shaped")
    grid: Grid | None = Field(
        default=None,
        description="the steps timing is told against; empty: those it is drawn to, else sixteenths",
    )


class ShapeColumns(BaseModel):
    """Every note of a part, as columns in order of time, and what is said of them together."""

    revision: int
    time_s: list[float]
    struck_s: list[float] = Field(
        description="when it was struck, or, beside the recorded ones, put: what a scope speaks of"
    )
    found_s: list[float | None] = Field(
        description="where the stroke was found: what a mark speaks of; empty beside the recorded ones"
    )
    strength_db: list[float | None]
    played: list[float] = Field(description="velocity by the curve alone, before any step")
    velocity: list[int]
    note: list[int]
    length_s: list[float]
    late_ms: list[float] = Field(description="how much later than its step")
    step: list[int] = Field(description="which step of the bar")
    bar: list[int]
    beat: list[float] = Field(description="beat of the bar, counted from 1")
    by_hand: list[bool]
    pattern_id: list[str] = Field(description="empty for recorded ones")
    shape: ShapeSettings
    number: int = Field(description="the part's own note")
    grid: Grid
    step_labels: list[str]
    feel: list[FeelStep] = Field(description="what the strokes say per step")
    curve: list[StrengthPoint] = Field(description="the curve that is in force, as points")
    starts: dict[CurveShape, list[StrengthPoint]]
    touched: list[int] = Field(description="how many strokes each step is for")
    usual_db: float = Field(description="strength of the loudest usual strokes")


class Same(BaseModel):
    """Groups of strokes that are one and the same recorded sound."""

    time_s: list[float]
    group: list[int] = Field(description="−1 where it is like no other")
    residual_db: list[float]
    programmed: bool
    said: str


class NoteLine(BaseModel):
    """What one part of a session is written as, or one way of striking its piece."""

    key: str | None = Field(description="what the note map calls it; empty where the note is this part's own")
    part_id: str | None = Field(description="the part; empty for a way of striking one")
    piece: PieceId
    way: str | None = Field(description="the way of striking the piece; empty for the part itself")
    name: str
    note: int
    own: int = Field(description="the note it has where nothing is set for it alone")
    called: str = Field(description="what General MIDI calls the note")


class NoteMapTable(BaseModel):
    """The session's note map, and what General MIDI calls the notes."""

    name: str
    lines: list[NoteLine]
    called: dict[int, str]


class LiveNotes(BaseModel):
    """Notes to send to an instrument while they are due, as columns in order of time."""

    time_s: list[float]
    length_s: list[float]
    note: list[int]
    velocity: list[int]
    channel: list[int]


_FEWEST_OF_A_FEEL = 4  # hits; fewer are no way of playing
_LEAST_STRETCH_S = 0.01  # a shorter one holds no stroke
_STARTS: tuple[CurveShape, ...] = ("played", "closer", "wider", "straight", "even")


def shape_columns(standing: Standing, part_id: str, ask: AskShape) -> ShapeColumns:
    """A part's notes as they stand, as played, or as other settings would have them."""
    decisions, part, tempo = (
        standing.decisions(part_id),
        standing.document.part(part_id),
        standing.document.tempo,
    )
    settings = ask.shape or part.shape
    notes = (
        standing.notes(part_id, before=True)
        if ask.before
        else standing.shaped(part_id, decisions, settings)
        if ask.shape
        else standing.notes(part_id)
    )
    drawn = settings.timing.quantise
    grid = ask.grid or (drawn.grid if drawn is not None else Grid())
    beats = beats_at(tempo, notes.time_s)
    step, late_ms = deviation_ms(notes.time_s, tempo, grid)
    count = steps_of_bar(grid, tempo.bar_beats)
    hits = np.nonzero(decisions.counts)[0]
    strength, usual_db = decisions.strength_db[hits], standing.usual_db(part_id, decisions)
    played = np.full(len(decisions.time_s), np.nan)
    loudest = PIECES[part.piece].usual_velocity
    if len(hits):
        played[hits] = np.clip(velocity_of(strength, settings.curve, usual_db, loudest), 1, 127)
    by_hand = {row for row, mark in marks_of_hits(decisions, part.mark_list).items() if speaks_of_note(mark)}
    beside = list(part.pattern.items())
    # What is beside the recorded ones says for itself when it is played, and how hard.
    struck_s = [
        float(decisions.time_s[row]) if row >= 0 else beside[-1 - row][1].time_s for row in notes.row.tolist()
    ]
    before = [
        float(played[row]) if row >= 0 else float(beside[-1 - row][1].velocity) for row in notes.row.tolist()
    ]
    all_struck_s = np.sort(np.concatenate([decisions.time_s[hits], [note.time_s for _, note in beside]]))
    starts = {kind: starting_curve(kind, strength, usual_db, loudest) for kind in _STARTS}
    # A hair before the bar line belongs to the bar it is meant for.
    bar = np.floor(beats / tempo.bar_beats + 0.02)
    return ShapeColumns.model_construct(
        revision=standing.state.revision,
        time_s=np.round(notes.time_s, 6).tolist(),
        struck_s=[round(time_s, 6) for time_s in struck_s],
        found_s=_at(decisions.found_s, notes),
        strength_db=_at(np.round(decisions.strength_db, 2), notes),
        played=[round(velocity, 1) for velocity in before],
        velocity=notes.velocity.tolist(),
        note=notes.each_number.tolist(),
        length_s=np.round(notes.each_length_s(tempo), 4).tolist(),
        late_ms=np.round(late_ms, 3).tolist(),
        step=(step % count).tolist(),
        bar=(bar + 1).astype(int).tolist(),
        beat=np.round((beats - bar * tempo.bar_beats) * tempo.beat_unit / 4 + 1, 3).tolist(),
        by_hand=[row in by_hand if row >= 0 else beside[-1 - row][1].fixed for row in notes.row.tolist()],
        pattern_id=["" if row >= 0 else beside[-1 - row][0] for row in notes.row.tolist()],
        shape=settings,
        number=notes.number,
        grid=grid,
        step_labels=grid.labels(count, tempo.beat_unit),
        feel=feel_of("as it stands", step, late_ms, notes.velocity, grid, tempo.bar_beats).steps,
        curve=settings.curve or starts["played"],
        starts=starts,
        touched=[int(np.count_nonzero(in_scope(all_struck_s, one.scope, tempo))) for one in settings.steps],
        usual_db=round(usual_db, 2),
    )


def _at(values: NDArray[np.float64], notes: Notes) -> list[float | None]:
    """A column of the decisions for every note; None beside the recorded ones."""
    listed = values.tolist()
    return [round(listed[row], 6) if row >= 0 else None for row in notes.row.tolist()]


def same(desk: Desk, standing: Standing, part_id: str) -> Same:
    """The null test over a part's hits, clip by clip of its first source."""
    document, decisions = standing.document, standing.decisions(part_id)
    time_s = decisions.time_s[decisions.counts]
    group, residual = np.full(len(time_s), -1), np.zeros(len(time_s))
    for clip in [
        clip for source_id in document.part(part_id).sources[:1] for clip in document.sources[source_id].clips
    ]:
        here = np.nonzero((time_s >= clip.start_s) & (time_s < clip.start_s + clip.length_s))[0]
        found = same_sounds(desk.cache.mono(clip.audio), time_s[here] - clip.start_s, clip.rate_hz)
        group[here] = np.where(found.group >= 0, found.group + group.max() + 1, -1)
        residual[here] = found.residual_db
    told = Sameness(group, residual)
    return Same(
        time_s=np.round(time_s, 6).tolist(),
        group=group.tolist(),
        residual_db=np.round(residual, 1).tolist(),
        programmed=told.programmed,
        said=what_is_same(told, decisions.strength_db[decisions.counts]),
    )


def live_notes(standing: Standing, part_ids: list[str], before: bool) -> LiveNotes:
    """Every note of these parts in order of time, to be sent while they are due."""
    chosen = [standing.notes(part_id, before=before) for part_id in part_ids]
    if not chosen:
        return LiveNotes(time_s=[], length_s=[], note=[], velocity=[], channel=[])
    time_s = np.concatenate([notes.time_s for notes in chosen])
    order = np.argsort(time_s, kind="stable")
    length_s = np.concatenate([notes.each_length_s(standing.document.tempo) for notes in chosen])
    note, velocity, channel = (
        np.concatenate(column)[order].tolist()
        for column in (
            [notes.each_number for notes in chosen],
            [notes.velocity for notes in chosen],
            [np.full(len(notes), notes.channel) for notes in chosen],
        )
    )
    return LiveNotes.model_construct(
        time_s=time_s[order].tolist(),
        length_s=length_s[order].tolist(),
        note=note,
        velocity=velocity,
        channel=channel,
    )


def note_table(standing: Standing) -> NoteMapTable:
    """The notes of a session line by line: each part, and under it the ways of striking its piece."""
    document, lines = standing.document, list[NoteLine]()

    def add(
        about: Piece, name: str, own: int, key: str | None, part_id: str | None = None, way: str | None = None
    ) -> None:
        set_to = document.parts[part_id].shape.note if part_id is not None and key is None else None
        note = own if set_to is None else set_to
        lines.append(
            NoteLine(
                key=key,
                part_id=part_id,
                piece=about.id,
                way=way,
                name=name,
                note=note,
                own=own,
                called=GENERAL_MIDI.get(note, "no drum of General MIDI"),
            )
        )

    mapped = set[str]()
    for part_id, part in document.ordered_parts():
        if not document.is_noted(part_id):
            continue
        piece, own, name = PIECES[part.piece], standing.own_note(part_id), standing.names[part_id]
        if own != document.note_map.number_of(piece.id) or piece.id in mapped:
            add(piece, name, own, key=None, part_id=part_id)
            continue
        mapped.add(piece.id)
        add(piece, name, own, key=piece.id, part_id=part_id)
        for way in ARTICULATIONS.get(piece.id, ())[1:]:
            number = document.note_map.number_of(piece.id, way.id)
            key = f"{piece.id}/{way.id}"
            add(piece, f"{piece.name}, {way.name}", number, key=key, way=way.id)
    return NoteMapTable(name=document.note_map.name, lines=lines, called=GENERAL_MIDI)


def take_feel(
    desk: Desk, session_id: str, revision: int, part_id: str, name: str, grid: Grid
) -> SessionState:
    """Take the feel of a part as it is played, and keep it."""
    standing = desk.standing(session_id)
    require_tempo(standing)
    notes, tempo = standing.notes(part_id, before=True), standing.document.tempo
    if len(notes) < _FEWEST_OF_A_FEEL:
        raise Problem(
            f"{standing.names[part_id]} has too few hits to take a feel from.",
            todo="Take it from a part that plays.",
        )
    step, late_ms = deviation_ms(notes.time_s, tempo, grid)
    feel = feel_of(name, step, late_ms, notes.velocity, grid, tempo.bar_beats)
    action = KeepFeel(kind="keep_feel", feel_id=secrets.token_hex(5), feel=feel)
    return desk.sessions.edit(session_id, revision, action)


def repeat_stretch(
    desk: Desk,
    session_id: str,
    revision: int,
    part_id: str,
    span_s: tuple[float, float],
    times: int,
    to_s: float | None,
) -> SessionState:
    """A stretch of a part ``times`` more, or once at ``to_s``, as notes beside the recorded ones."""
    standing = desk.standing(session_id)
    start_s, end_s = span_s
    if end_s - start_s < _LEAST_STRETCH_S:
        raise Problem("The stretch to repeat is empty.", todo="Drag over the bar that shall come again.")
    notes, tempo = standing.notes(part_id), standing.document.tempo
    if to_s is None:
        new = repeated(notes, tempo, start_s, end_s, times)
    else:
        new = copied(notes, tempo, start_s, end_s, [to_s])
    if not new:
        raise Problem("There are no notes in this stretch.", todo="Drag over notes.")
    new = beside_what_is_there(new, notes)
    if not new:
        raise Problem("These notes stand there already.", todo="Repeat further on, or more often.")
    action = SetPattern(kind="set_pattern", part_id=part_id, notes=with_ids(new))
    return desk.sessions.edit(session_id, revision, action)


def with_ids(notes: list[PatternNote]) -> dict[str, PatternNote]:
    """Notes beside the recorded ones by ids of their own."""
    return {secrets.token_hex(6): note for note in notes}


class NoteMapRead(BaseModel):
    """A note map that was read, and what was skipped."""

    note_map: NoteMap
    skipped: list[str]


def note_map_from(table: bytes, file: str) -> NoteMapRead:
    """A CSV table as a note map named for its file, and what was skipped."""
    stem = file.rpartition(".")[0][:80] or "Imported"
    found, skipped = from_text(table.decode("utf-8", "replace"), stem)
    return NoteMapRead(note_map=found, skipped=skipped)
