"""A recording that arrives in a session: a take of a source that is there, or a source of its own, which may
be the other half of a pair or a further microphone on a piece.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from nubrak.core.find import Candidates
from nubrak.core.gather.belonging import company_of, other_half, same_piece, takes_of, widest_pair_db
from nubrak.core.gather.distance import lateness_ms
from nubrak.core.gather.guess import guess_from_afar, guess_in_company
from nubrak.core.gather.pairs import WIDEST_AT_A_DRUM_DB, sides_apart_db
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


def _guessed_together(
    document: Document, company: list[str], arrived: Arrival, found: Callable[[Clip], Candidates]
) -> tuple[PieceGuess, dict[str, PieceGuess]]:
    """What a recording and those that were made at the same time are, now that they are beside each other;
    of the others only those that are something else now. One that hears all strokes late is a room.
    """
    if not company:
        return arrived.guess, {}
    clips = [document.sources[one].clips[0] for one in company] + [arrived.clip]
    before = [document.sources[one].guess for one in company] + [arrived.guess]
    after = [one and guess_in_company(one) for one in before]
    for place, guess in enumerate(after):
        if guess is not None and guess.kinds and guess.piece != "room":
            others = [found(clip) for at, clip in enumerate(clips) if at != place]
            after[place] = guess_from_afar(guess, lateness_ms(found(clips[place]), others))
    again = {
        one: now
        for one, was, now in zip(company, before, after, strict=False)
        if now is not None and now != was
    }
    return after[-1] or arrived.guess, again


def _hear_one_drum(
    document: Document, one_id: str, other_id: str, heard: Callable[[Clip], NDArray[np.float32]]
) -> bool:
    one, other = (document.sources[source_id].clips[0] for source_id in (one_id, other_id))
    apart_db = None
    if one.rate_hz == other.rate_hz:
        apart_db = sides_apart_db(heard(one), heard(other), one.rate_hz)
    return apart_db is not None and apart_db <= WIDEST_AT_A_DRUM_DB


def gather(
    document: Document,
    arrived: Arrival,
    new_ids: tuple[str, str],
    edit: Callable[[AnyAction], Document],
    joined: Callable[[Clip, Clip, str], Clip],
    heard: Callable[[Clip], NDArray[np.float32]],
    found: Callable[[Clip], Candidates],
    source_id: str | None = None,
) -> Document:
    """The document with the file in it.

    ``new_ids`` are what a source and a part of its own would be called; ``source_id`` is the source that it
    is said to be a take of. Whoever keeps the document gives ``edit``, which applies an action and answers
    with what stands then, ``joined``, which makes one clip of two channels, of that name, out of the left
    and the right one, ``heard``, the audio of a clip, (frames,), and ``found``, what is found in its
    beginning.
    """
    take_of = source_id or takes_of(document, arrived.name, arrived.clip, arrived.guess.piece)
    if take_of is not None:
        return edit(AddClip(kind="add_clip", source_id=take_of, name=arrived.name, clip=arrived.clip))
    source_id, part_id = new_ids
    company = company_of(document, arrived.clip)
    guess, again = _guessed_together(document, company, arrived, found)
    document = edit(
        AddSource(
            kind="add_source",
            source_id=source_id,
            part_id=part_id,
            name=arrived.name,
            guess=guess,
            again=again,
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
    if partner is not None and _hear_one_drum(document, source_id, partner[1], heard):
        document = edit(CombineMicrophones(kind="combine_microphones", part_id=partner[0], other_id=part_id))
    return document
