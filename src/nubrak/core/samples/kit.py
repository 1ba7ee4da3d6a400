"""Kits: instruments of samples in velocity layers and round robins."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, Field, model_validator

from nubrak.core.names import Name
from nubrak.core.pieces import ARTICULATIONS
from nubrak.core.time_line import AudioKey, LengthS

LONGEST_SAMPLE_S = 20.0  # longer than any cymbal rings
MOST_SAMPLES = 2000  # of one instrument: sixteen strengths that take 125 turns
Finite = Annotated[float, Field(allow_inf_nan=False)]


class Measured(BaseModel):
    """What was found in a sample when it came in."""

    length_s: LengthS = Field(description="from its attack until it has sunk 60 dB under its peak, or ends")
    peak_db: Finite = Field(description="largest sample, dBFS")
    loudness_lkfs: Finite = Field(description="ITU-R BS.1770")
    fundamental_hz: Finite | None = Field(default=None, description="empty where it has no pitch")
    first_half_wave: Literal[1, -1] = Field(default=1, description="which way its first half-wave goes")
    low_db: Finite = Field(default=0.0, description="what is under 80 Hz, against all of it")
    bright_hz: Finite = Field(default=0.0, description="centre of its spectrum")


class Sample(BaseModel):
    """One recorded or made stroke."""

    audio: AudioKey = Field(description="content hash (SHA-256) of the file")
    name: Name = Field(default="", max_length=200, description="the file it came from")
    low_velocity: int = Field(default=1, ge=1, le=127)
    high_velocity: int = Field(default=127, ge=1, le=127)
    attack_s: LengthS = Field(
        default=0.0, ge=0, description="where in the file its attack is; this is put on the hit"
    )
    begin_s: LengthS = Field(default=0.0, ge=0, description="what of the file is left out before it")
    velocity: int = Field(
        default=127, ge=1, le=127, description="the velocity at which it sounds at its own level"
    )
    level_db: float = Field(default=0.0, ge=-144, le=24, description="its own level, beside the layer's")
    tune_semitones: float = Field(
        default=0.0, ge=-36, le=36, description="its own tuning, beside the layer's"
    )
    attack_ms: float = Field(
        default=0.0, ge=0, le=10000, description="its own fade in, where the layer has none"
    )
    hold_ms: float | None = Field(
        default=None, ge=0, le=10000, description="its own hold, where the layer has none; empty: whole"
    )
    decay_ms: float = Field(default=200.0, ge=1, le=10000, description="and then its decay")
    measured: Measured | None = None

    @model_validator(mode="after")
    def _range(self) -> Sample:
        if self.low_velocity > self.high_velocity:
            raise ValueError(f"the range from velocity {self.low_velocity} to {self.high_velocity} is empty")
        return self


class Instrument(BaseModel):
    """What sounds for one piece: samples sharing velocity ranges take turns."""

    name: Name = Field(min_length=1, max_length=120)
    piece: str
    samples: list[Sample] = Field(min_length=1, max_length=MOST_SAMPLES)
    key: int | None = Field(
        default=None, ge=0, le=127, description="the note number it answers in a kit that has them"
    )
    silenced_by: list[int] = Field(
        default=[],
        max_length=128,
        description="note numbers that silence it, as a closed hi-hat does an open one",
    )
    words: list[str] = Field(default=[], max_length=20, description="its character")

    def round_robin(self, velocity: int) -> list[Sample]:
        """The samples that may sound at this velocity, in their order; the nearest range where none fits."""
        fitting = [
            sample for sample in self.samples if sample.low_velocity <= velocity <= sample.high_velocity
        ]
        if fitting:
            return fitting
        nearest = min(
            self.samples, key=lambda s: min(abs(velocity - s.low_velocity), abs(velocity - s.high_velocity))
        )
        return [
            s
            for s in self.samples
            if (s.low_velocity, s.high_velocity) == (nearest.low_velocity, nearest.high_velocity)
        ]


STARTER = "workshop"  # the id of the first of the kits that come with Nubrak
SHIPPED = frozenset({STARTER, "theatre", "booth", "circuits", "hands"})  # of all of them


MOST_INSTRUMENTS = 2500  # of one kit: a folder of two thousand one-shots and some more


class Kit(BaseModel):
    """A named set of instruments."""

    name: Name = Field(min_length=1, max_length=120)
    instruments: dict[str, Instrument] = Field(default={}, max_length=MOST_INSTRUMENTS)
    favourites: list[str] = Field(default=[], description="ids of instruments that are liked")

    def for_piece(self, piece: str) -> list[Instrument]:
        """The instruments that a piece sounds with: one for each way of striking it where they have notes of
        their own, else the one that is liked, else the first.
        """
        own = {key: one for key, one in self.instruments.items() if one.piece == piece}
        numbers = {way.note for way in ARTICULATIONS.get(piece, ())}
        ways = {one.key: one for one in reversed(own.values()) if one.key is not None}
        # Slices of a loop stand on rising notes, which say nothing of how they were struck.
        if len(ways) > 1 and set(ways) <= numbers:
            return [ways[key] for key in sorted(ways)]
        liked = [one for key, one in own.items() if key in self.favourites]
        return (liked or list(own.values()))[:1]
