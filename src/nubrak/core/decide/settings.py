"""Settings of Find, and the marks that a person sets; both are stored in the session."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import AfterValidator, BaseModel, Field

from nubrak.core.controls import control
from nubrak.core.pieces import MaterialId
from nubrak.core.time_line import TimeLineS

MARK_REACH_S = 0.008  # a mark finds its candidate again within this
USUAL_MARGIN_DB = 4.0  # about how far the spill of equal strokes wanders from one to the next


class CurvePoint(BaseModel):
    """A point of the curve that the threshold follows."""

    time_s: TimeLineS
    offset_db: float = Field(
        ge=-60, le=60, description="how far over (or under) the threshold the line runs here, in dB"
    )


def _in_order(points: list[CurvePoint]) -> list[CurvePoint]:
    return sorted(points, key=lambda point: point.time_s)


class FindSettings(BaseModel):
    """How one part's hits are told from everything else its source heard."""

    material: MaterialId | None = Field(
        default=None, description="the starting point; empty: what fits the piece"
    )
    threshold_db: float | None = Field(
        default=None,
        ge=-96,
        le=0,
        description="the lowest level, in dBFS, at which a candidate counts; empty follows the suggestion",
        json_schema_extra=control(step=0.1),
    )
    curve: Annotated[list[CurvePoint], AfterValidator(_in_order)] = Field(
        default=[], max_length=500, description="where the threshold follows a fading or growing take"
    )
    rise_db: float | None = Field(
        default=None,
        ge=3,
        le=40,
        description="how far, in dB, it must jump over what rang just before; empty: the material's own",
    )
    hold_off_ms: float | None = Field(
        default=None,
        ge=5,
        le=500,
        description="the shortest time between two hits, in ms; empty: the piece's own",
        json_schema_extra=control(high=200),
    )
    re_arm_db: float | None = Field(
        default=None,
        ge=0,
        le=40,
        description=(
            "how far, in dB, the level must fall under a hit before the next can count; empty: the "
            "material's own"
        ),
        json_schema_extra=control(high=24),
    )
    low_hz: float | None = Field(
        default=None,
        ge=20,
        le=18000,
        description="the detector hears from here, in Hz; empty: the piece's own",
    )
    high_hz: float | None = Field(
        default=None,
        ge=40,
        le=22000,
        description="the detector hears up to here, in Hz; empty: the piece's own",
    )
    spill_margin_db: float | None = Field(
        default=USUAL_MARGIN_DB,
        ge=-12,
        le=24,
        description="how far, in dB, a candidate must stand over others' spill; empty switches it off",
    )
    spill_from: list[str] | None = Field(
        default=None,
        max_length=64,
        description="the parts that leak into this one; empty: learnt from the recording",
    )
    surety_percent: float = Field(
        default=50,
        ge=0,
        le=95,
        description="how likely all evidence must make it; 0 leaves it to threshold, rise and margin",
    )


class Mark(BaseModel):
    """What a person decided about one place. It outlives every setting."""

    kind: Literal["keep", "drop", "add"]
    time_s: TimeLineS = Field(description="the attack it speaks of, in seconds of the session")
    to_s: TimeLineS | None = Field(
        default=None, description="where the hit was moved to; empty leaves it where it is"
    )
    velocity: int | None = Field(
        default=None, ge=1, le=127, description="the velocity set by hand; empty measures it"
    )
    note: int | None = Field(
        default=None, ge=0, le=127, description="the note set by hand; empty takes the part's"
    )
    articulation: str | None = Field(
        default=None, max_length=40, description="how it was struck, as a hand says; empty tells it"
    )
    note_s: TimeLineS | None = Field(
        default=None, description="where its note was put by hand; empty leaves that to the part's timing"
    )
