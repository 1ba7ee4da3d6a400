"""What Second look says where it is the piece that is in doubt: which two it may be, and a typical stroke of
each.
"""

from __future__ import annotations

import numpy as np
from pydantic import BaseModel, Field

from nubrak.core.decide import Place
from nubrak.core.pieces import PIECES
from nubrak.core.sort import PIECES_TOLD, Sorted
from nubrak.desk.standing import Standing

_WORTH_SAYING = 0.05  # likelier than this, the other piece is named


class Candidate(BaseModel):
    """One of the pieces that a stroke may be."""

    piece: str
    name: str
    share: float = Field(description="how likely, 0 to 1")
    part_id: str | None = Field(description="the part it would go to; empty where there is none yet")
    typical_s: float | None = Field(
        description="when a stroke of it stands most by itself; empty where none does"
    )


class Either(BaseModel):
    """Two pieces that a stroke may be, and the part whose moments they were told from."""

    head_id: str
    own: Candidate
    other: Candidate


def either_of(standing: Standing, part_id: str, index: int) -> Either | None:
    """Which two pieces a doubtful row of a part may be; None where only its being a stroke is in doubt."""
    document, decisions = standing.document, standing.decisions(part_id)
    head_id, row = document.part(part_id).sorted_from, int(decisions.row[index])
    sort = None if head_id is None else standing.sort(head_id)
    if head_id is None or sort is None or row < 0:
        return None
    piece = document.part(part_id).piece
    struck = {
        document.part(one).piece
        for one in document.family(head_id)
        if one != part_id and _counts(standing, one, row)
    }
    odds = {
        other: float(sort.of_piece(other)[row])
        for other in PIECES_TOLD
        if other != piece and other not in struck
    }
    likeliest = max(odds, key=odds.__getitem__)
    if odds[likeliest] < _WORTH_SAYING:
        return None
    return Either(
        head_id=head_id,
        own=_candidate(standing, head_id, sort, piece, float(sort.of_piece(piece)[row]), part_id),
        other=_candidate(standing, head_id, sort, likeliest, odds[likeliest], None),
    )


def said_once(standing: Standing, found: list[Place]) -> list[Place]:
    """Doubtful places without those that say the same of one moment from another part of its family: what
    may be a floor tom is in doubt where it counts as a kick.
    """
    seen: set[tuple[str, int]] = set()
    out = []
    for place in sorted(found, key=lambda one: not standing.decisions(one.part_id).counts[one.index]):
        decisions, head_id = (
            standing.decisions(place.part_id),
            standing.document.part(place.part_id).sorted_from,
        )
        row = int(decisions.row[place.index])
        if head_id is not None and row >= 0:
            if (head_id, row) in seen and not decisions.counts[place.index]:
                continue
            seen.add((head_id, row))
        out.append(place)
    return sorted(out, key=lambda place: (-place.doubt, place.time_s, place.part_id))


def _counts(standing: Standing, part_id: str, row: int) -> bool:
    decisions = standing.decisions(part_id)
    return bool(np.any(decisions.counts & (decisions.row == row)))


def _candidate(
    standing: Standing, head_id: str, sort: Sorted, piece: str, share: float, part_id: str | None
) -> Candidate:
    document = standing.document
    family = document.family(head_id)
    there = part_id or next((one for one in family if document.part(one).piece == piece), None)
    return Candidate(
        piece=piece,
        name=document.part_name(there) if there else PIECES[piece].name,
        share=round(share, 3),
        part_id=there,
        typical_s=None if there is None else _typical_s(standing, there, sort, piece),
    )


def _typical_s(standing: Standing, part_id: str, sort: Sorted, piece: str) -> float | None:
    """When the surest stroke of a part stands with nothing else struck beside it."""
    decisions = standing.decisions(part_id)
    hits = np.nonzero(decisions.counts & (decisions.row >= 0))[0]
    if not len(hits):
        return None
    rows = decisions.row[hits]
    own = sort.of_piece(piece)[rows]
    others = sort.without(tuple(sound for sound in sort.sounds if sound.partition("/")[0] == piece)).of_any()[
        rows
    ]
    return round(float(decisions.time_s[hits[int(np.argmax(own - others))]]), 6)
