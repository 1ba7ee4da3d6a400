"""Velocity from strength: one curve per part, laid over the strengths that the part itself shows."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import AfterValidator, BaseModel, Field

# Where a part’s usual loudest strokes stand if its piece does not say: an accent still fits over them (common
# practice).
LOUDEST_USUAL = 115
_LAW_DB = 40.0  # per tenfold velocity: level goes with its square (DLS Level 1)
_REACH_DB = 48.0  # a part’s own strokes lie within this of its usual loudest; below is spill that slipped in
_SOFTEST = 20.0  # where starting curves put the softest: a velocity that most instruments still play

CurveShape = Literal["played", "closer", "wider", "straight", "even"]


class StrengthPoint(BaseModel):
    """A point of the curve."""

    strength_db: float = Field(ge=-120, le=12, description="strength of a stroke in dBFS")
    velocity: float = Field(ge=0, le=127)


def _in_order(points: list[StrengthPoint]) -> list[StrengthPoint]:
    return sorted(points, key=lambda point: (point.strength_db, point.velocity))


StrengthCurve = Annotated[list[StrengthPoint], AfterValidator(_in_order)]


def usual_loudest_db(strength_db: NDArray[np.float64]) -> float:
    """The strength of the loudest usual strokes among (n,): the ninetieth percentile, so that a clipped
    stroke or a dropped stick sets nothing; -12 dBFS where there are none.
    """
    return float(np.percentile(strength_db, 90)) if len(strength_db) else -12.0


def by_law(
    strength_db: NDArray[np.float64], usual_db: float, loudest: float = LOUDEST_USUAL
) -> NDArray[np.float64]:
    """Velocity (n,) by the level law of DLS Level 1 and General MIDI 2: 40 log10(127 / v) dB of attenuation
    (from memory). Strokes at ``usual_db`` get the velocity ``loudest``.

    It keeps the played ratio: strokes 12 dB apart have velocities of 2 to 1, wherever they lie.
    """
    return np.asarray(loudest * 10.0 ** ((strength_db - usual_db) / _LAW_DB))


def velocity_of(
    strength_db: NDArray[np.float64],
    curve: list[StrengthPoint],
    usual_db: float | None = None,
    loudest: float = LOUDEST_USUAL,
) -> NDArray[np.float64]:
    """Strengths (n,) to velocities (n,), not yet rounded: by the drawn curve, or by the law where none is
    drawn, with the loudest usual strokes at ``usual_db``, else as these strengths have it, and their velocity
    ``loudest``.
    """
    if not curve:
        return by_law(strength_db, usual_loudest_db(strength_db) if usual_db is None else usual_db, loudest)
    return np.interp(strength_db, [point.strength_db for point in curve], [point.velocity for point in curve])


def starting_curve(
    kind: CurveShape,
    strength_db: NDArray[np.float64],
    usual_db: float | None = None,
    loudest: float = LOUDEST_USUAL,
) -> list[StrengthPoint]:
    """A curve to start bending from, over the strengths (n,) of a part: ``played`` is the law; ``closer`` and
    ``wider`` bring strokes nearer together or further apart; ``straight`` spreads decibels evenly; ``even``
    makes all equally strong.
    """
    usual = usual_loudest_db(strength_db) if usual_db is None else usual_db
    softest = float(
        np.clip(
            np.percentile(strength_db, 2) if len(strength_db) else usual - 30, usual - _REACH_DB, usual - 6
        )
    )
    levels = np.linspace(softest, usual, 5)
    match kind:
        case "played":
            velocity = by_law(levels, usual, loudest)
        case "closer":
            velocity = by_law(usual + (levels - usual) / 2, usual, loudest)
        case "wider":
            velocity = by_law(usual + (levels - usual) * 1.6, usual, loudest)
        case "straight":
            velocity = np.linspace(_SOFTEST, loudest, len(levels))
        case "even":
            velocity = np.full(len(levels), 100.0)
    points = [
        StrengthPoint(strength_db=round(float(level), 2), velocity=round(float(np.clip(v, 1, 127)), 1))
        for level, v in zip(levels, velocity, strict=True)
    ]
    over = 127.0 if kind != "even" else 100.0
    above = _LAW_DB * np.log10(127.0 / loudest)
    return [*points, StrengthPoint(strength_db=round(min(usual + above, 12.0), 2), velocity=over)]
