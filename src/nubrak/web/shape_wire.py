"""What the Shape bench is answered with and asks for, beside the core's own models."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, Field

from nubrak.core.midi import Proposal
from nubrak.core.pieces import NoteMap
from nubrak.core.shape import CurveShape, FeelStep, ShapeSettings, StrengthPoint
from nubrak.core.tempo import Grid, TempoGuess

Place = Annotated[float, Field(ge=0, le=86400)]


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


class AskFeel(BaseModel):
    """A feel to take from a part."""

    revision: int
    name: str = Field(min_length=1, max_length=80)
    grid: Grid = Grid()


class Same(BaseModel):
    """Groups of strokes that are one and the same recorded sound."""

    time_s: list[float]
    group: list[int] = Field(description="−1 where it is like no other")
    residual_db: list[float]
    programmed: bool
    said: str


class AskTempo(BaseModel):
    """Parts whose hits tell the tempo; empty: all."""

    part_ids: list[str] = Field(default=[], max_length=64)


class TempoGuesses(BaseModel):
    """The likeliest tempo, half of it and double it."""

    guesses: list[TempoGuess]
    hits: int


class FollowRequest(AskTempo):
    """A tempo map that stays with the performance."""

    revision: int


class Taps(BaseModel):
    """When a person tapped, in s of any clock."""

    time_s: list[float] = Field(min_length=1, max_length=500)


class Tapped(BaseModel):
    """The tempo of taps; empty for fewer than three."""

    bpm: float | None


class Repeat(BaseModel):
    """A stretch of a part once more, behind itself or where else it is wanted."""

    revision: int
    start_s: Place
    end_s: Place
    times: int = Field(default=1, ge=1, le=1000)
    to_s: Place | None = Field(default=None, description="copied once to here instead")


class ChangesFromMidi(BaseModel):
    """What came back different, note by note, ready to be taken."""

    proposals: list[Proposal]
    same: int
    strange: list[str] = Field(description="tracks that belong to no part")
    said: list[str]


class NoteLine(BaseModel):
    """One row of the note map."""

    piece: str
    name: str
    note: int
    called: str


class NoteMapRead(BaseModel):
    """A note map that was read, and what was skipped."""

    note_map: NoteMap
    skipped: list[str]


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
