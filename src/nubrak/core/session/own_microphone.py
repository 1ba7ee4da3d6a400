"""Which pieces of a kit have no microphone of their own, and what hears them."""

from __future__ import annotations

from pydantic import BaseModel, Field

from nubrak.core.pieces import PIECES
from nubrak.core.session.document import Document
from nubrak.core.session.order import hears_above

_KIT = ("kick", "snare", "hi-hat", "rack-tom", "ride", "crash")
_ALSO = {"rack-tom": ("rack-tom", "mid-tom", "floor-tom")}
_CALLED = {"rack-tom": "toms"}
_LEAST_OWN = 2  # close microphones of a kit, so that it is one


class WithoutMicrophone(BaseModel):
    """Pieces of a kit that no microphone stands at."""

    pieces: list[str] = Field(description="what they are called")
    heard_in: list[str] = Field(description="the parts whose microphones hear them, the nearest first")


def without_microphone(document: Document) -> WithoutMicrophone | None:
    """The pieces of a session's kit that have no microphone of their own and were not told from another;
    None where there is no kit, where nothing is missing, or where nothing else would hear it.
    """
    above, close, far = [], set(), []
    for part_id, part in document.parts.items():
        if part.sorted_from is not None:
            close.add(part.piece)
        elif hears_above(document, part_id):
            above.append(part_id)
        elif part.piece == "room" and part.sources:
            far.append(part_id)
        elif part.sources or part.pattern:
            close.add(part.piece)
    if len(close & {"kick", "snare", "hi-hat", "rack-tom", "mid-tom", "floor-tom"}) < _LEAST_OWN:
        return None
    missing = [piece for piece in _KIT if not close & set(_ALSO.get(piece, (piece,)))]
    hears = [key for key in (*above, *far) if not document.family(key)]
    if not missing or not hears:
        return None
    called = [_CALLED.get(piece, PIECES[piece].name.lower()) for piece in missing]
    return WithoutMicrophone(pieces=called, heard_in=hears)


# What a drum kit holds; in overheads and rooms nothing else is looked for unless a hand names it.
_OF_A_KIT = (*_KIT, "mid-tom", "floor-tom")


def pieces_to_look_for(document: Document, part_id: str) -> set[str]:
    """The pieces that a microphone over a kit or in its room is searched for: those that a hand named, else
    those of a kit that have no microphone of their own. Without a kit around it, all that may be there.
    """
    if document.part(part_id).look_for:
        return set(document.part(part_id).look_for)
    close = {
        one.piece
        for key, one in document.parts.items()
        if key != part_id and one.sorted_from is None and not hears_above(document, key)
    }
    if len(close & set(_OF_A_KIT)) < _LEAST_OWN:
        return set(PIECES) - close
    # One tom with a microphone stands for all: what else sounds like a tom over a kit is mostly that one.
    without = [piece for piece in _KIT if not close & set(_ALSO.get(piece, (piece,)))]
    return {one for piece in without for one in _ALSO.get(piece, (piece,))}
