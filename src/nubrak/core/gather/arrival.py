"""A recording that arrives in a session: a take of a source that is there, or a source of its own, which may
be the other half of a pair or a further microphone on a piece.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from nubrak.core.gather.belonging import company_of, other_half, same_piece, takes_of, widest_pair_db
from nubrak.core.gather.guess import guess_in_company
from nubrak.core.gather.pairs import sides_apart_db
from nubrak.core.pieces import PieceGuess
from nubrak.core.session import AddClip, AddSource, AnyAction, AsPair, Clip, CombineMicrophones, Document


@dataclass(frozen=True)
class Arrival:
    """A file as it comes: its audio as a clip, what it is taken for, what is odd about it, and what a session
    that nobody named is called by it.
    """

    name: str
    clip: Clip
    guess: PieceGuess
    notes: list[str] = field(default_factory=list)
    session_name: str = ""


def gather(
    document: Document,
    arrived: Arrival,
    new_ids: tuple[str, str],
    edit: Callable[[AnyAction], Document],
    joined: Callable[[Clip, Clip, str], Clip],
    heard: Callable[[Clip], NDArray[np.float32]],
    source_id: str | None = None,
) -> Document:
    """The document with the file in it.

    ``new_ids`` are what a source and a part of its own would be called; ``source_id`` is the source that it
    is said to be a take of. Whoever keeps the document gives ``edit``, which applies an action and answers
    with what stands then, ``joined``, which makes one clip of two channels, of that name, out of the left
    and the right one, and ``heard``, the audio of a clip, (frames,).
    """
    take_of = source_id or takes_of(document, arrived.name, arrived.clip, arrived.guess.piece)
    if take_of is not None:
        return edit(AddClip(kind="add_clip", source_id=take_of, name=arrived.name, clip=arrived.clip))
    source_id, part_id = new_ids
    company = company_of(document, arrived.clip)
    again = {one: guess_in_company(guess) for one in company if (guess := document.sources[one].guess)}
    document = edit(
        AddSource(
            kind="add_source",
            source_id=source_id,
            part_id=part_id,
            name=arrived.name,
            guess=guess_in_company(arrived.guess) if company else arrived.guess,
            again={one: guess for one, guess in again.items() if guess != document.sources[one].guess},
            notes=arrived.notes,
            clip=arrived.clip,
            session_name=arrived.session_name,
        )
    )
    halves = other_half(document, source_id)
    if halves is not None:
        left_id, right_id, name = halves
        left, right = (document.sources[one].clips[0] for one in (left_id, right_id))
        apart_db = sides_apart_db(heard(left), heard(right), left.rate_hz)
        # Two drums with a microphone each are named as two sides are.
        if apart_db is not None and apart_db <= widest_pair_db(document, source_id):
            clip = joined(left, right, name)
            document = edit(AsPair(kind="as_pair", left_id=left_id, right_id=right_id, name=name, clip=clip))
    partner = same_piece(document, part_id) if part_id in document.parts else None
    if partner is not None:
        document = edit(CombineMicrophones(kind="combine_microphones", part_id=partner, other_id=part_id))
    return document
