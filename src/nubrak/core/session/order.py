"""The order of sources and parts: as a drummer names the kit, until a hand has put them otherwise."""

from __future__ import annotations

from nubrak.core.pieces import PIECES, PieceId
from nubrak.core.session.document import Document

# Kick, snare, hats, toms, cymbals, overheads, rooms, the rest (common practice); what is only heard is last.
_FIRST: tuple[PieceId, ...] = (
    "kick", "snare", "hi-hat", "rack-tom", "mid-tom", "floor-tom", "ride", "crash", "room",
)  # fmt: skip
_RANK = {piece: rank for rank, piece in enumerate(_FIRST)}
_REST = {piece: len(_FIRST) + rank for rank, piece in enumerate(one for one in PIECES if one != "heard")}


def heads(document: Document) -> list[str]:
    """The parts that stand by themselves, in their order: what is told from a part goes with it."""
    return [key for key, part in document.ordered_parts() if part.sorted_from is None]


def arrange(document: Document) -> None:
    """Put parts, and sources with them, in a drummer's order; nothing where a hand has ordered them. What is
    of one piece stays as it stood.
    """
    if not document.ordered_by_hand:
        _stand(document, sorted(heads(document), key=lambda key: _rank(document, key)))


def _rank(document: Document, part_id: str) -> float:
    """Where a part stands among others: overheads behind cymbals that have a microphone of their own, notes
    behind what was recorded of their piece.
    """
    part = document.parts[part_id]
    rank = _RANK.get(part.piece, _REST.get(part.piece, len(_FIRST) + len(PIECES)))
    return rank + (0.5 if hears_above(document, part_id) else 0.0 if part.sources else 0.25)


def hears_above(document: Document, part_id: str) -> bool:
    """Whether a part's microphones stand over the whole kit."""
    part = document.parts[part_id]
    guesses = [document.sources[one].guess for one in part.sources if one in document.sources]
    return part.piece == "crash" and any(one is not None and one.over_the_kit for one in guesses)


def move(document: Document, part_id: str, to: int) -> None:
    """Put a part, with its sources and what is told from it, at a place among the others."""
    order = [key for key in heads(document) if key != part_id]
    order.insert(min(max(to, 0), len(order)), part_id)
    document.ordered_by_hand = True
    _stand(document, order)


def _stand(document: Document, order: list[str]) -> None:
    for place, part_id in enumerate(order):
        for key in (part_id, *document.under(part_id)):
            document.parts[key].place = place
    used = [source for key in order for source in document.parts[key].sources]
    for place, source_id in enumerate(dict.fromkeys([*used, *document.sources])):
        if source_id in document.sources:
            document.sources[source_id].place = place
