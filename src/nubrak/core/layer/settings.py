"""A layer as it is stored: which instrument sounds with a part, and how."""

from __future__ import annotations

from hashlib import sha256
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from nubrak.core.controls import control
from nubrak.core.layer.lock_settings import LockSettings
from nubrak.core.layer.voice import Voice
from nubrak.core.samples import Instrument
from nubrak.core.time_line import TimeLineS


class HitOffset(BaseModel):
    """The offset of one hit's sample, in place of the layer's."""

    time_s: TimeLineS = Field(description="when the note sounds")
    offset_samples: int = Field(ge=-4800, le=4800)


class Layer(Voice, LockSettings):
    """One sample set sounding with a part. It keeps its own copy of what it plays, so a kit may go."""

    model_config = ConfigDict(validate_assignment=True)
    instrument: Instrument
    level_db: float = Field(
        default=-6.0, ge=-60, le=24, description="a layer usually starts 6 dB under the recording"
    )
    velocity_amount: float = Field(
        default=1.0,
        ge=0,
        le=2,
        description="how much level follows velocity: 1 is the published law, 0 not at all",
        json_schema_extra=control(step=0.05),
    )
    low_velocity: int = Field(default=1, ge=1, le=127, description="it sounds from this velocity on")
    high_velocity: int = Field(default=127, ge=1, le=127, description="and up to this one")
    strokes: Literal["all", "full", "ghosts"] = Field(default="all", description="which strokes it sounds on")
    sounds_on: Literal["all", "recorded", "written"] = Field(
        default="all", description="all notes, those of recorded strokes, or those beside the recorded ones"
    )
    notes: list[int] = Field(
        default=[], max_length=128, description="it sounds on these note numbers only; empty: all of the part"
    )
    silenced_by: list[int] = Field(
        default=[],
        max_length=128,
        description="note numbers of the part that silence it, as a closed hi-hat does an open one",
    )
    notes_by_hand: bool = Field(
        default=False, description="whether a hand has said on which notes it sounds and what silences it"
    )
    each: list[HitOffset] = Field(
        default=[], max_length=50000, description="offsets of single hits, where the recording wanders"
    )
    placed_by_hand: bool = Field(
        default=False, description="whether a hand has set polarity or offset; then no lock changes them"
    )
    locked_on: str = Field(
        default="", max_length=64, description="what the layer was when it was placed; empty: not known"
    )
    on: bool = True

    @property
    def lock_is_stale(self) -> bool:
        """Whether what the layer plays has changed since its polarity and offset were set."""
        return self.locked_on not in ("", lock_basis(self))

    @model_validator(mode="before")
    @classmethod
    def _set_before_it_was_said(cls, data: object) -> object:
        """Notes kept before layers said who set them were set by a hand."""
        if isinstance(data, dict) and "notes_by_hand" not in data:
            return data | {"notes_by_hand": bool(data.get("notes") or data.get("silenced_by"))}
        return data


# What of a layer decides which lock is right, beside the recording and its hits.
_LOCKED_BY = (
    *LockSettings.model_fields,
    *("low_velocity", "high_velocity", "strokes", "sounds_on", "notes", "start_ms", "tune_semitones"),
    *("low_cut_hz", "low_cut_slope", "high_cut_hz", "high_cut_slope", "attack_ms", "hold_ms", "decay_ms"),
)


def lock_basis(layer: Layer) -> str:
    """A short text that changes when anything changes that the lock of a layer rests on."""
    sounds = [
        (one.audio, one.begin_s, one.attack_s, one.tune_semitones, one.low_velocity, one.high_velocity)
        for one in layer.instrument.samples
    ]
    said = repr((sounds, [getattr(layer, name) for name in _LOCKED_BY]))
    return sha256(said.encode()).hexdigest()[:16]
