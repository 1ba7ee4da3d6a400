"""Bars of a session: played in, copied, varied, laid under a feel and emptied."""

from __future__ import annotations

import secrets

import numpy as np
from pydantic import BaseModel, Field

from nubrak.core.pieces import ARTICULATIONS, PIECES, PieceId
from nubrak.core.problem import Problem
from nubrak.core.session import NewPart
from nubrak.core.shape import (
    Feel,
    FeelUse,
    Notes,
    PatternNote,
    Vary,
    bar_of,
    beside_what_is_there,
    copied,
    deviation_ms,
    feel_of,
    felt,
    pattern_note,
    steps_s,
    varied,
    within,
)
from nubrak.core.tempo import Grid, Tempo
from nubrak.core.time_line import LAST_S, TimeLineS
from nubrak.desk.desk import Desk
from nubrak.desk.shaping import with_ids
from nubrak.desk.standing import Standing
from nubrak.desk.tempo import require_tempo
from nubrak.desk.writing import (
    MOST_BACK,
    MOST_BAR,
    Change,
    parts_of,
    playing,
    require_noted,
    written_together,
)
from nubrak.store.sessions import SessionState

_MOST_PLAYED_IN = 5000  # strokes of one pass


class PlayedIn(BaseModel):
    """One stroke that was played in."""

    part_id: str | None = None
    piece: PieceId | None = None
    time_s: TimeLineS
    velocity: int = Field(default=100, ge=1, le=127)
    note: int | None = Field(default=None, ge=0, le=127)


class PlayedPass(BaseModel):
    """Strokes played in to the click, in one go. Drawn to the steps they stay as near as they are asked to;
    otherwise they are as they were played.
    """

    revision: int
    strokes: list[PlayedIn] = Field(min_length=1, max_length=_MOST_PLAYED_IN)
    grid: Grid = Grid()
    drawn_percent: float = Field(default=0, ge=0, le=100, description="how far to the nearest step")


def play_in(desk: Desk, session_id: str, played: PlayedPass) -> SessionState:
    """Keep strokes that were played in, each with its part; pieces that none plays yet get one."""
    standing = desk.standing(session_id)
    require_tempo(standing)
    tempo, times = standing.document.tempo, np.array([one.time_s for one in played.strokes])
    _, late_ms = deviation_ms(times, tempo, played.grid)
    times = np.clip(times - late_ms / 1000 * played.drawn_percent / 100, 0.0, LAST_S)
    changes: dict[str, Change] = {}
    new: dict[str, tuple[str, list[PatternNote]]] = {}
    for one, at_s in zip(played.strokes, times.tolist(), strict=True):
        part_id = one.part_id or playing(standing, one.piece)
        piece = standing.document.parts[part_id].piece if part_id in standing.document.parts else one.piece
        number = None if one.note is None or piece is None else _number(standing, piece, one.note)
        note = PatternNote(time_s=at_s, velocity=one.velocity, note=number, fixed=played.drawn_percent > 0)
        if part_id is not None:
            require_noted(standing, part_id)
            changes.setdefault(part_id, Change(standing, part_id)).add([note])
        elif one.piece is not None and PIECES[one.piece].noted:
            new.setdefault(one.piece, (secrets.token_hex(6), []))[1].append(note)
        else:
            raise Problem("No piece was named that can be played in.", todo="Choose one that is struck.")
    count = len(played.strokes)
    action = written_together(f"Play in {count} stroke{'' if count == 1 else 's'}", list(changes.values()))
    action.parts = {key: NewPart(piece=piece, notes=with_ids(notes)) for piece, (key, notes) in new.items()}
    return desk.sessions.edit(session_id, played.revision, action)


def _number(standing: Standing, piece: str, played: int) -> int | None:
    """The note a stroke is written as that a pad sent as General MIDI has it: that of how it was struck; none
    where it is the piece's own.
    """
    note_map = standing.document.note_map
    way = next((one.id for one in ARTICULATIONS.get(piece, ())[1:] if one.note == played), None)
    number = note_map.number_of(piece, way)
    return None if number == note_map.number_of(piece) else number


class CopyBars(BaseModel):
    """A bar once more, or several times, from another bar on. Strokes written there give way; recorded ones
    stay.
    """

    revision: int
    bar: int = Field(ge=-MOST_BACK, le=MOST_BAR)
    to_bar: int | None = Field(
        default=None, ge=-MOST_BACK, le=MOST_BAR, description="empty: behind the last bar that holds a stroke"
    )
    times: int = Field(default=1, ge=1, le=512)
    vary: Vary | None = Field(default=None, description="empty: as it is")
    seed: int = Field(default=0, ge=0, le=2**31, description="which of all variations")


def copy_bars(desk: Desk, session_id: str, body: CopyBars) -> SessionState:
    """Copy a bar of all parts, as it is or varied within each part's own feel."""
    standing = desk.standing(session_id)
    require_tempo(standing)
    within(body.times)
    tempo, grid = standing.document.tempo, Grid()
    if body.to_bar is None:
        body = body.model_copy(update={"to_bar": _behind_all(standing, tempo)})
    assert body.to_bar is not None
    if body.bar in range(body.to_bar, body.to_bar + body.times):
        raise Problem("A bar cannot be copied onto itself.", todo="Choose another bar for the copy.")
    bar_s = [float(steps_s(tempo, body.bar + k, grid)[0]) for k in (0, 1)]
    to_s = [float(steps_s(tempo, body.to_bar + k, grid)[0]) for k in range(body.times)]
    if to_s[0] < 0 or to_s[-1] > LAST_S:
        raise Problem("These bars lie outside the time line.", todo="Choose bars after the first.")
    changes = []
    for part_id in parts_of(standing):
        notes, change = standing.notes(part_id), Change(standing, part_id)
        _empty(change, notes, tempo, range(body.to_bar, body.to_bar + body.times))
        feel = _feel(notes, tempo, grid)
        for k, at_s in enumerate(to_s):
            # A bar begins a hair before its line, as in ``copied``.
            new = copied(notes, tempo, bar_s[0], bar_s[1], [at_s])
            if body.vary is not None:
                chance = np.random.default_rng([body.seed, body.to_bar + k + 20_000, *part_id.encode()[:8]])
                new = varied(new, notes, feel, tempo, body.to_bar + k, body.vary, chance)
            change.add(beside_what_is_there(new, _recorded(notes)))
        if not change.empty:
            changes.append(change)
    if not any(change.notes for change in changes):
        raise Problem(f"Bar {body.bar} is empty.", todo="Write something in it first, or copy another bar.")
    there = f"{body.to_bar}" if body.times == 1 else f"{body.to_bar}–{body.to_bar + body.times - 1}"
    said = f"Bar {body.bar}{', varied,' if body.vary else ''} once more as bar {there}"
    return desk.sessions.edit(session_id, body.revision, written_together(said, changes))


def _behind_all(standing: Standing, tempo: Tempo) -> int:
    """The first bar behind every stroke."""
    last = [bar_of(standing.notes(one).time_s, tempo).max(initial=0) for one in parts_of(standing)]
    return int(max(last, default=0)) + 1


def _recorded(notes: Notes) -> Notes:
    keep = notes.row >= 0
    return Notes(
        notes.time_s[keep],
        notes.velocity[keep],
        notes.number,
        notes.channel,
        notes.length_beats,
        notes.each_number[keep],
        row=notes.row[keep],
    )


def _feel(notes: Notes, tempo: Tempo, grid: Grid) -> Feel:
    step, late_ms = deviation_ms(notes.time_s, tempo, grid)
    return feel_of("its own", step, late_ms, notes.velocity, grid, tempo.bar_beats)


def _empty(change: Change, notes: Notes, tempo: Tempo, bars: range, recorded: bool = False) -> None:
    """Take away what is written in some bars, and what was recorded too where that is wanted."""
    here = bar_of(notes.time_s, tempo)
    for row in np.nonzero((here >= bars.start) & (here < bars.stop))[0].tolist():
        if recorded or int(notes.row[row]) < 0:
            change.drop(row)


class EmptyBars(BaseModel):
    """Bars to be emptied."""

    revision: int
    bar: int = Field(ge=-MOST_BACK, le=MOST_BAR)
    to_bar: int = Field(ge=-MOST_BACK, le=MOST_BAR, description="the last of them")
    recorded: bool = Field(default=False, description="recorded strokes in them do not count any more either")


def empty_bars(desk: Desk, session_id: str, body: EmptyBars) -> SessionState:
    """Take away what is written in bars."""
    standing = desk.standing(session_id)
    require_tempo(standing)
    within(body.to_bar - body.bar + 1)
    changes = []
    for part_id in parts_of(standing):
        change = Change(standing, part_id)
        bars = range(body.bar, body.to_bar + 1)
        _empty(change, standing.notes(part_id), standing.document.tempo, bars, body.recorded)
        if not change.empty:
            changes.append(change)
    if not changes:
        raise Problem("Nothing is written there.", todo="Choose a bar with written strokes.")
    said = f"Empty bar {body.bar}" if body.bar == body.to_bar else f"Empty bars {body.bar}–{body.to_bar}"
    return desk.sessions.edit(session_id, body.revision, written_together(said, changes))


class FeelBars(BaseModel):
    """The feel of a part, or one that was kept, laid over what is written in bars."""

    revision: int
    bar: int = Field(ge=-MOST_BACK, le=MOST_BAR)
    to_bar: int = Field(ge=-MOST_BACK, le=MOST_BAR, description="the last of them")
    of_part: str | None = None
    of_feel: str | None = Field(default=None, description="one of the session's kept feels")
    grid: Grid = Grid()
    timing_percent: float = Field(default=100.0, ge=0, le=150)
    strength_percent: float = Field(default=40.0, ge=0, le=150)


def lay_feel(desk: Desk, session_id: str, body: FeelBars) -> SessionState:
    """Lay a feel over what is written in bars; what was recorded stays as it was played."""
    standing = desk.standing(session_id)
    require_tempo(standing)
    within(body.to_bar - body.bar + 1)
    tempo, feel = standing.document.tempo, _chosen_feel(standing, body)
    use = FeelUse(feel=feel, timing_percent=body.timing_percent, strength_percent=body.strength_percent)
    changes = []
    for part_id in parts_of(standing):
        notes, change = standing.notes(part_id), Change(standing, part_id)
        here = bar_of(notes.time_s, tempo)
        rows = np.nonzero((notes.row < 0) & (here >= body.bar) & (here <= body.to_bar))[0]
        if not len(rows):
            continue
        times, hard = felt(notes.time_s[rows], notes.velocity[rows], tempo, use)
        for row, at_s, velocity in zip(rows.tolist(), times.tolist(), hard.tolist(), strict=True):
            key = list(standing.document.parts[part_id].pattern)[-1 - int(notes.row[row])]
            number = int(notes.each_number[row])
            change.notes[key] = pattern_note(min(at_s, LAST_S), velocity, number, notes.number, fixed=True)
        changes.append(change)
    if not changes:
        raise Problem("Nothing is written in these bars.", todo="Write or copy a bar first.")
    said = f"Lay the feel “{feel.name}” over bar {body.bar}"
    said += "" if body.bar == body.to_bar else f"–{body.to_bar}"
    return desk.sessions.edit(session_id, body.revision, written_together(said, changes))


def _chosen_feel(standing: Standing, body: FeelBars) -> Feel:
    if body.of_feel is not None:
        kept = standing.document.feels.get(body.of_feel)
        if kept is None:
            raise Problem("This feel is not kept any more.", todo="Choose another.", kind="missing")
        return kept
    if body.of_part is None:
        raise Problem("No feel was named.", todo="Choose a part or a kept feel.")
    standing.document.part(body.of_part)
    notes = _recorded(standing.notes(body.of_part))
    if len(notes) < 4:
        raise Problem(
            f"{standing.names[body.of_part]} was recorded with too few strokes to tell a feel.",
            todo="Choose a part that plays.",
        )
    feel = _feel(notes, standing.document.tempo, body.grid)
    return feel.model_copy(update={"name": standing.names[body.of_part]})
