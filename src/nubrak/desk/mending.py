"""Strokes of the recording mended with others of the same drum."""

from __future__ import annotations

import secrets

import numpy as np
from pydantic import BaseModel, Field

from nubrak.core.mix import Mend
from nubrak.core.problem import Problem
from nubrak.core.samples import Donor, donors
from nubrak.core.session import MendStroke
from nubrak.core.time_line import TimeLineS
from nubrak.desk.clear_strokes import ranked_strokes, strokes_of
from nubrak.desk.desk import Desk
from nubrak.desk.standing import Standing
from nubrak.store.sessions import SessionState

_NEAR_S = 0.02  # of where it was found: the stroke that is meant
_WEAK_OF = 0.7  # of what is usual: a softer one, with none like it, is mended to be usual
_SAME_S = 0.008  # a mend speaks of the stroke that is nearer
_ALIKE = 10  # in velocity


class DonorLine(BaseModel):
    """One stroke that can be taken."""

    time_s: float
    velocity: int
    length_s: float
    reason: str
    taken: bool = Field(description="it is what the stroke sounds as now")


class Donors(BaseModel):
    """What a stroke can be mended with, the best first."""

    time_s: float
    found_s: float
    velocity: int
    wanted: int = Field(description="how hard it shall be: as it was, or as usual where it was weak")
    mend_id: str | None = Field(description="it is mended already")
    donors: list[DonorLine]


def donors_of(desk: Desk, standing: Standing, part_id: str, found_s: float) -> Donors:
    """The strokes of a part that can take the place of one, found at ``found_s``."""
    at_s, velocity, found_s, ranked, wanted = _ranked(desk, standing, part_id, found_s)
    part = standing.document.part(part_id)
    known = next(((key, one) for key, one in part.mends.items() if abs(one.time_s - at_s) <= _SAME_S), None)
    return Donors(
        time_s=round(at_s, 6),
        found_s=round(found_s, 6),
        velocity=velocity,
        wanted=wanted,
        mend_id=known[0] if known else None,
        donors=[
            DonorLine(
                time_s=round(time_s, 6),
                velocity=one.velocity,
                length_s=round(one.length_s, 6),
                reason=one.reason,
                taken=known is not None and abs(known[1].from_s - time_s) < 1e-3,
            )
            for time_s, one in ranked
        ],
    )


class MendWith(BaseModel):
    """A stroke, and what it is mended with."""

    revision: int
    found_s: TimeLineS = Field(description="where the stroke was found")
    from_s: TimeLineS | None = Field(
        default=None, description="the stroke to take; empty: the best, or the next best after the one taken"
    )


def mend_stroke(desk: Desk, session_id: str, part_id: str, body: MendWith) -> SessionState:
    """Mend a stroke."""
    standing = desk.standing(session_id)
    at_s, own, found_s, ranked, _ = _ranked(desk, standing, part_id, body.found_s)
    if not ranked:
        raise Problem(
            f"{standing.names[part_id]} has no other stroke that could take its place.",
            "The recording stays as it is.",
            "It takes a second stroke that rings for a moment by itself.",
        )
    mends = standing.document.part(part_id).mends.values()
    now_s = next((one.from_s for one in mends if abs(one.time_s - at_s) <= _SAME_S), None)
    if body.from_s is not None:
        wanted_s = body.from_s
        taken = min(ranked, key=lambda one: abs(one[0] - wanted_s))
        if abs(taken[0] - wanted_s) > _NEAR_S:
            raise Problem("That stroke cannot take its place.", todo="Choose one of those that are named.")
    else:
        place = next(
            (k for k, (time_s, _) in enumerate(ranked) if now_s is not None and abs(time_s - now_s) < 1e-3),
            -1,
        )
        taken = ranked[(place + 1) % len(ranked)]
    from_s, donor = taken
    mend = Mend(
        time_s=at_s,
        from_s=from_s,
        length_s=donor.length_s,
        found_s=found_s,
        velocity=donor.velocity,
        played=own,
    )
    action = MendStroke(kind="mend", part_id=part_id, mend_id=secrets.token_hex(6), mend=mend)
    return desk.sessions.edit(session_id, body.revision, action)


def _ranked(
    desk: Desk, standing: Standing, part_id: str, near_s: float
) -> tuple[float, int, float, list[tuple[float, Donor]], int]:
    """The stroke that is meant: its attack, velocity and where it was found; what can take its place, each
    with its time on the time line; and how hard it shall be.
    """
    parts = [key for key, _ in standing.document.ordered_parts() if standing.document.is_noted(key)]
    if part_id not in parts:
        standing.document.part(part_id)
        raise Problem(
            f"{standing.names[part_id]} has no strokes of its own.", todo="Choose the piece that was struck."
        )
    placed = strokes_of(desk, standing, part_id, parts)
    if placed is None or not len(placed[1]):
        raise Problem("Nothing was recorded here that could be mended.", todo="Choose a recorded part.")
    (begin, audio), struck_s, velocity, found_s, others = placed
    begin_s = begin / standing.document.rate_hz
    row = int(np.argmin(np.minimum(np.abs(found_s - near_s), np.abs(begin_s + struck_s - near_s))))
    if min(abs(found_s[row] - near_s), abs(begin_s + struck_s[row] - near_s)) > _NEAR_S:
        raise Problem(
            "No hit stands there.", todo="Add one first (A), or choose a hit; then it can be mended."
        )
    usual = int(np.median(velocity))
    part = standing.document.part(part_id)
    attack_s = float(begin_s + struck_s[row])
    known = next((one for one in part.mends.values() if abs(one.time_s - attack_s) <= _SAME_S), None)
    own = int(velocity[row]) if known is None or known.played is None else known.played
    # A ghost is meant to be soft, and has others like it; what is as soft as no other was not meant.
    alike = int(np.count_nonzero(np.abs(np.delete(velocity, row) - own) <= _ALIKE))
    wanted = usual if own < _WEAK_OF * usual and not alike else own
    # A stroke that sounds as another does gives nothing of its own.
    away = [one.time_s for one in part.mends.values()]
    free = np.array([not any(abs(begin_s + t - at) < _SAME_S for at in away) for t in struck_s])
    free[row] = False
    found = donors(
        ranked_strokes(desk, standing, part_id, audio, struck_s, others),
        struck_s,
        velocity,
        others,
        float(struck_s[row]),
        wanted,
        most=len(struck_s),
    )
    ranked = [(begin_s + one.time_s, one) for one in found if free[one.row]][:5]
    return attack_s, own, float(found_s[row]), ranked, wanted
