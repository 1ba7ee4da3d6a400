"""Shape: hits to notes. Strength to velocity by the curve, the steps one after the other, timing, and which
note is written.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from nubrak.core.controls import control
from nubrak.core.decide import MARK_REACH_S, Decisions, Mark
from nubrak.core.pieces import Piece
from nubrak.core.shape.steps import AnyStep, stepped
from nubrak.core.shape.timing import Timing, timed
from nubrak.core.shape.velocity import LOUDEST_USUAL, StrengthCurve, usual_loudest_db, velocity_of
from nubrak.core.tempo import Tempo, beats_at, seconds_at
from nubrak.core.time_line import TimeLineS

_SHORTEST_S = 0.01  # a note that receivers do not swallow (common practice)
LengthKind = Literal["fixed", "next", "ring"]


class PatternNote(BaseModel):
    """A note beside the recorded ones: copied, repeated, brought in. It is in no recording, and is shaped as
    those are unless it is fixed.
    """

    time_s: TimeLineS
    velocity: int = Field(default=100, ge=1, le=127)
    note: int | None = Field(default=None, ge=0, le=127, description="empty takes the part's")
    fixed: bool = Field(default=False, description="it stands as it is: no step and no timing touches it")


class ShapeSettings(BaseModel):
    """How strength becomes velocity, when strokes sound, and which note is written."""

    curve: StrengthCurve = Field(
        default=[], max_length=32, description="velocity over strength; empty keeps the played ratio"
    )
    steps: list[AnyStep] = Field(
        default=[], max_length=100, description="what is done to velocities, in this order"
    )
    timing: Timing = Timing()
    note: int | None = Field(
        default=None, ge=0, le=127, description="note number; empty takes the note map's"
    )
    channel: int = Field(default=10, ge=1, le=16, description="MIDI channel")
    length: LengthKind = Field(
        default="fixed", description="fixed, to the next note, or as long as the stroke rings"
    )
    length_beats: float = Field(
        default=0.5,
        gt=0,
        le=16,
        description="length of a fixed note in beats, and the longest of the others; usual is an eighth",
        json_schema_extra=control(high=4),
    )


@dataclass(frozen=True)
class Notes:
    """What goes into MIDI, in order of time: ``time_s`` (n,) float64, ``velocity`` (n,) 1 to 127, and one
    number, channel and length.

    ``numbers`` (n,) are the notes one by one where they differ; ``length_s`` (n,) their lengths where those
    do; ``row`` (n,) the row of the decisions each comes from; of a note beside the recorded ones -1 minus its
    place among those.
    """

    time_s: NDArray[np.float64]
    velocity: NDArray[np.int64]
    number: int
    channel: int
    length_beats: float
    numbers: NDArray[np.int64] | None = None
    length_s: NDArray[np.float64] | None = None
    row: NDArray[np.int64] = field(default_factory=lambda: np.zeros(0, np.int64))

    def __len__(self) -> int:
        return len(self.time_s)

    @property
    def each_number(self) -> NDArray[np.int64]:
        """The note number of every note, (n,)."""
        return np.full(len(self.time_s), self.number, np.int64) if self.numbers is None else self.numbers

    def each_length_s(self, tempo: Tempo) -> NDArray[np.float64]:
        """The length of every note in s, (n,)."""
        if self.length_s is not None:
            return self.length_s
        return seconds_at(tempo, beats_at(tempo, self.time_s) + self.length_beats) - self.time_s


def no_notes(settings: ShapeSettings) -> Notes:
    """What a part is written as whose strokes other parts play."""
    none = np.zeros(0, np.int64)
    return Notes(np.zeros(0), none, settings.note or 0, settings.channel, settings.length_beats)


def usual_db_of(decisions: Decisions) -> float:
    """The strength of a part's loudest usual strokes. What is marked by hand does not move it: dropping one
    hit leaves the others' velocities as they are.
    """
    found = decisions.strength_db[decisions.unmarked]
    return usual_loudest_db(found if len(found) else decisions.strength_db[decisions.counts])


def velocities(
    strength_db: NDArray[np.float64],
    settings: ShapeSettings,
    time_s: NDArray[np.float64] | None = None,
    tempo: Tempo | None = None,
    usual_db: float | None = None,
    loudest: float = LOUDEST_USUAL,
) -> NDArray[np.int64]:
    """Strengths of a part's hits (n,) in dBFS to velocities (n,) 1 to 127: by the curve, then by every
    step.

    ``strength_db`` and ``time_s`` are (n,); ``loudest`` is the velocity of the loudest usual strokes.
    """
    if not len(strength_db):
        return np.zeros(0, np.int64)
    played = velocity_of(strength_db, settings.curve, usual_db, loudest)
    times = np.arange(len(strength_db), dtype=np.float64) if time_s is None else time_s
    return _whole(stepped(np.clip(played, 1, 127), times, settings.steps, tempo or Tempo()))


def _whole(velocity: NDArray[np.float64]) -> NDArray[np.int64]:
    return np.clip(np.round(velocity), 1, 127).astype(np.int64)


def shape(
    decisions: Decisions,
    settings: ShapeSettings,
    marks: list[Mark],
    piece: Piece,
    tempo: Tempo | None = None,
    pattern: list[PatternNote] | None = None,
    ring_s: NDArray[np.float64] | None = None,
    mapped: int | None = None,
    by_row: NDArray[np.int64] | None = None,
    usual_db: float | None = None,
) -> Notes:
    """The hits of a part as notes, and its ``pattern`` among them.

    Steps and timing work on both alike. What a person set for a single one wins: its velocity, its note, and
    where its note stands. ``ring_s`` (rows,) is how long each candidate rings, for notes as long as that;
    ``mapped`` the note of the session's map, ``by_row`` (rows,) that of each row by how it was struck; a note
    that the settings name is that of all. ``usual_db`` is the strength of its loudest usual strokes where
    the part does not tell that itself.
    """
    tempo, beside = tempo or Tempo(), pattern or []
    hits = np.nonzero(decisions.counts)[0]
    number = settings.note if settings.note is not None else mapped if mapped is not None else piece.note
    row = np.concatenate([hits, -1 - np.arange(len(beside))]).astype(np.int64)
    struck_s = np.concatenate([decisions.time_s[hits], [one.time_s for one in beside]])
    usual_db = usual_db_of(decisions) if usual_db is None else usual_db
    loud = piece.usual_velocity
    by_curve = np.clip(velocity_of(decisions.strength_db[hits], settings.curve, usual_db, loud), 1, 127)
    played = np.concatenate([by_curve, [one.velocity for one in beside]])
    fixed = np.concatenate([np.zeros(len(hits), bool), np.array([one.fixed for one in beside], bool)])
    numbers = np.concatenate(
        [
            by_row[hits] if by_row is not None and settings.note is None else np.full(len(hits), number),
            np.array([number if one.note is None else one.note for one in beside], np.int64),
        ]
    ).astype(np.int64)
    order = np.argsort(struck_s, kind="stable")
    row, struck_s, played, fixed, numbers = (
        row[order],
        struck_s[order],
        played[order],
        fixed[order],
        numbers[order],
    )
    stepped_to = (
        _whole(stepped(played, struck_s, settings.steps, tempo)) if len(played) else np.zeros(0, np.int64)
    )
    time_s, velocity = timed(struck_s, stepped_to, tempo, settings.timing)
    time_s, velocity = np.where(fixed, struck_s, time_s), np.where(fixed, _whole(played), velocity)
    by_hand = marks_of_hits(decisions, [mark for mark in marks if speaks_of_note(mark)])
    place_of = (
        {int(row[place]): int(place) for place in np.nonzero(np.isin(row, list(by_hand)))[0]}
        if by_hand
        else {}
    )
    for marked, mark in by_hand.items():
        place = place_of[marked]
        velocity[place] = mark.velocity if mark.velocity is not None else velocity[place]
        numbers[place] = mark.note if mark.note is not None else numbers[place]
        time_s[place] = mark.note_s if mark.note_s is not None else time_s[place]
    order = np.argsort(time_s, kind="stable")
    time_s, row = time_s[order], row[order]
    return Notes(
        time_s=time_s,
        velocity=velocity[order],
        number=number,
        channel=settings.channel,
        length_beats=settings.length_beats,
        numbers=numbers[order] if np.any(numbers != number) else None,
        length_s=_lengths(time_s, row, settings, tempo, ring_s),
        row=row,
    )


def needs_tempo(settings: ShapeSettings) -> bool:
    """Whether settings draw strokes to a grid or tell beats apart, and so rest on a tempo."""
    timing = settings.timing
    drawn = timing.quantise is not None and timing.quantise.on
    felt = timing.feel is not None and timing.feel.on
    by_beats = (step.on and (step.kind == "accents" or step.scope.places != "all") for step in settings.steps)
    return drawn or felt or any(by_beats)


def speaks_of_note(mark: Mark) -> bool:
    """Whether a mark says how a hit's note sounds, and not only whether it counts."""
    return mark.kind != "drop" and (mark.velocity, mark.note, mark.note_s) != (None, None, None)


def marks_of_hits(decisions: Decisions, marks: list[Mark]) -> dict[int, Mark]:
    """The mark of each hit that has one, by its row of the decisions; of two marks on one hit, the later in
    the list.
    """
    hits = np.nonzero(decisions.counts)[0]
    out: dict[int, Mark] = {}
    for mark in marks:
        if mark.kind == "drop" or not len(hits):
            continue
        to_s = mark.time_s if mark.to_s is None else mark.to_s
        away = np.minimum(
            np.abs(decisions.found_s[hits] - mark.time_s), np.abs(decisions.time_s[hits] - to_s)
        )
        place = int(np.argmin(away))
        if away[place] <= MARK_REACH_S:
            out[int(hits[place])] = mark
    return out


def _lengths(
    time_s: NDArray[np.float64],
    row: NDArray[np.int64],
    settings: ShapeSettings,
    tempo: Tempo,
    ring_s: NDArray[np.float64] | None,
) -> NDArray[np.float64] | None:
    """Length of every note in seconds, (n,), where they differ; None where all have the fixed one."""
    if settings.length == "fixed" or not len(time_s):
        return None
    longest = float(np.diff(seconds_at(tempo, np.array([0.0, settings.length_beats])))[0])
    if settings.length == "next":
        return np.maximum(np.append(np.diff(time_s), longest), _SHORTEST_S)
    rings = np.full(len(time_s), longest)
    if ring_s is not None:
        known = row >= 0
        rings[known] = ring_s[row[known]]
    return np.maximum(rings, _SHORTEST_S)
