"""Shape: strength to velocity, and hits to notes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from nubrak.core.decide import Decisions, Mark, State
from nubrak.core.pieces import Piece

LOUDEST_USUAL = 115


class ShapeSettings(BaseModel):
    """How strength becomes velocity, and which note is written."""

    range_percent: float = Field(default=100, ge=0, le=200, description="100 keeps the played ratio, 0 makes all strokes equally strong")
    lift: int = Field(default=0, ge=-100, le=100, description="added to every velocity")
    floor: int = Field(default=1, ge=1, le=127, description="no velocity lies under this")
    note: int | None = Field(default=None, ge=0, le=127, description="note number; empty takes the piece's own")
    channel: int = Field(default=10, ge=1, le=16, description="MIDI channel")
    length_beats: float = Field(default=0.5, gt=0, le=16, description="note length in beats; an eighth is usual for drums")


@dataclass(frozen=True)
class Notes:
    """What goes into MIDI, in order of time: ``time_s`` (n,) float64, ``velocity`` (n,) 1 to 127, one number, channel and length."""

    time_s: NDArray[np.float64]
    velocity: NDArray[np.int64]
    number: int
    channel: int
    length_beats: float


def velocities(strength_db: NDArray[np.float64], settings: ShapeSettings) -> NDArray[np.int64]:
    """Strengths of a part's hits (n,) in dBFS to velocities (n,).

    The shape is the level law of DLS Level 1 and General MIDI 2, 40 log10(127 / v) dB of attenuation (from memory), placed
    so that the loudest usual stroke, the 90th percentile, becomes ``LOUDEST_USUAL``: a single outlier sets nothing.
    """
    if not len(strength_db):
        return np.zeros(0, np.int64)
    usual = float(np.percentile(strength_db, 90))
    under = (strength_db - usual) * settings.range_percent / 100.0
    played = LOUDEST_USUAL * 10.0 ** (under / 40.0) + settings.lift
    return np.clip(np.round(played), settings.floor, 127).astype(np.int64)


def shape(decisions: Decisions, settings: ShapeSettings, marks: list[Mark], piece: Piece) -> Notes:
    """The hits of a part as notes. A velocity set by hand wins."""
    hits = np.nonzero(decisions.counts)[0]
    velocity = velocities(decisions.level_db[hits], settings)
    by_hand = {round(mark.time_s, 6): mark.velocity for mark in marks if mark.velocity is not None and mark.kind == "add"}
    for place in np.nonzero(decisions.state[hits] == State.ADDED)[0]:
        velocity[place] = by_hand.get(round(float(decisions.time_s[hits][place]), 6), velocity[place])
    return Notes(
        time_s=decisions.time_s[hits], velocity=velocity, number=piece.note if settings.note is None else settings.note,
        channel=settings.channel, length_beats=settings.length_beats,
    )
