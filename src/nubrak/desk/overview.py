"""All parts of a session at a glance, for the staff and the list."""

from __future__ import annotations

from collections import Counter

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from nubrak.core.gather import offered_drums, offered_pairs, possible_sides
from nubrak.core.midi import USUAL_TICKS, half_tick_ms
from nubrak.core.pieces import PIECES, PieceId
from nubrak.core.session import Document, WithoutMicrophone, pieces_to_look_for, without_microphone
from nubrak.core.signal import distance_to_nearest
from nubrak.core.tempo import TempoTold
from nubrak.desk.desk import Desk
from nubrak.desk.finding import to_check
from nubrak.desk.lists import bar_one_offset_s, written_parts
from nubrak.desk.sorting import pieces_to_tell
from nubrak.desk.standing import Standing
from nubrak.desk.tempo import told
from nubrak.work.still_to_do import ask_to_keep

# Two microphones of one drum hear nearly all of its strokes, no more than 1.5 m of air apart.
_ONE_DRUM, _FEWEST, _SAME_STROKE_S = 0.75, 6, 0.005
FAR = ("overall", "room")  # families of microphones that hear more than one piece


class PartOverview(BaseModel):
    """One part on the staff and in the list."""

    part_id: str
    name: str
    time_s: list[float]
    velocity: list[int]
    note: int = Field(description="what its hits are written as, where nothing else is said of one")
    doubtful: int
    by_hand: int
    noted: bool = Field(description="whether its strokes become notes")
    progress: float = Field(description="1 when it is analysed")
    problem: str | None
    look_for: list[PieceId] = Field(
        description="the pieces that are likely in it, where it can be asked for those that it hears"
    )


class Together(BaseModel):
    """Two recordings or parts that may belong together, and why that is asked."""

    first_id: str
    second_id: str
    says: str


class Overview(BaseModel):
    """The whole session at one revision."""

    revision: int
    length_s: float
    rounding_ms: dict[int, float] = Field(
        description="how far a note may be from its stroke in MIDI of so many ticks per quarter"
    )
    parts: list[PartOverview]
    tracks: int = Field(description="how many parts have a track in a MIDI file of the session")
    notes: int = Field(description="how many notes it holds")
    bar_one_offset_s: float = Field(
        description="where in the recording a MIDI file begins that is written from bar one"
    )
    without_microphone: WithoutMicrophone | None = Field(
        default=None, description="pieces of the kit that only others hear"
    )
    pairs: list[Together] = Field(
        default=[], description="sources, left and right, that are named like the sides of a pair"
    )
    sides: dict[str, list[str]] = Field(
        default={}, description="of each source, those that can be the right side of a pair with it"
    )
    combines: dict[str, list[str]] = Field(
        default={}, description="of each part, those whose microphones can be combined with its own"
    )
    drums: list[Together] = Field(
        default=[], description="parts whose microphones hear the same strokes of one piece"
    )
    tempo_offer: TempoTold | None = Field(
        default=None, description="what the hits suggest, not surely enough to be taken by itself"
    )


def _pairs(standing: Standing) -> list[Together]:
    named = standing.document.sources
    return [
        Together(
            first_id=left,
            second_id=right,
            says=(
                f"{named[left].name} and {named[right].name}: named like a pair, "
                "but each hears other strokes louder."
            ),
        )
        for left, right in offered_pairs(standing.document)
    ]


def _drums(standing: Standing) -> list[Together]:
    out = []
    for first, second in offered_drums(standing.document):
        if standing.waiting[first] or standing.waiting[second]:
            continue
        rate_hz = standing.document.rate_hz
        share = _heard_by_both(standing.struck(first) / rate_hz, standing.struck(second) / rate_hz)
        if share >= _ONE_DRUM:
            one, two = standing.names[first], standing.names[second]
            says = f"{one} and {two} hear the same strokes, {100 * share:.0f} % of them: one drum?"
            out.append(Together(first_id=first, second_id=second, says=says))
    return out


def _combines(document: Document, part_id: str) -> list[str]:
    """The parts, in their order, that a part's microphones can be said to hear the same piece as."""
    if not document.parts[part_id].sources:
        return []
    return [
        key
        for key, one in document.ordered_parts()
        if key != part_id and one.piece != "heard" and one.sorted_from is None and one.sources
    ]


def _heard_by_both(one_s: NDArray[np.float64], two_s: NDArray[np.float64]) -> float:
    """Which share of the strokes, (n,) and (m,), two microphones have in common: of the one that hears
    fewer of the other's.
    """
    if min(len(one_s), len(two_s)) < _FEWEST:
        return 0.0
    one, two = np.sort(one_s), np.sort(two_s)
    return min(
        float((distance_to_nearest(one, two) <= _SAME_STROKE_S).mean()),
        float((distance_to_nearest(two, one) <= _SAME_STROKE_S).mean()),
    )


def _look_for(document: Document, part_id: str) -> list[PieceId]:
    """What a microphone over the kit or in the room would be searched for, in the order of the catalogue."""
    part = document.parts[part_id]
    if part.sorted_from is not None or not part.sources or PIECES[part.piece].family not in FAR:
        return []
    wanted = pieces_to_look_for(document, part_id)
    return [
        piece.id
        for piece in PIECES.values()
        if piece.id in wanted and piece.noted and piece.family != "whole"
    ]


def overview_of(desk: Desk, session_id: str) -> Overview:
    """All parts of a session; asks for the analysis of what has not been analysed."""
    standing = desk.standing(session_id)
    desk.ask_for(standing)
    offer = told(standing)
    if (offer is not None and offer.sure) or pieces_to_tell(standing):
        ask_to_keep(desk.queue, session_id)  # a worker does; what was not kept for whatever reason is now
        offer = None
    doubtful = Counter(place.part_id for place in to_check(standing))
    parts = []
    for part_id, part in standing.document.ordered_parts():
        notes = standing.notes(part_id)
        share, problem = desk.progress(standing.waiting[part_id])
        parts.append(
            PartOverview(
                part_id=part_id,
                name=standing.document.part_name(part_id),
                time_s=np.round(notes.time_s, 5).tolist(),
                velocity=notes.velocity.tolist(),
                note=notes.number,
                doubtful=doubtful[part_id],
                by_hand=len(part.marks),
                noted=standing.document.is_noted(part_id),
                progress=share,
                problem=problem,
                look_for=_look_for(standing.document, part_id),
            )
        )
    written = written_parts(standing, list(standing.document.parts))
    rounding = {ticks: round(half_tick_ms(standing.document.tempo, ticks), 4) for ticks in USUAL_TICKS}
    return Overview(
        revision=standing.state.revision,
        length_s=standing.document.length_s,
        rounding_ms=rounding,
        parts=parts,
        tracks=len(written),
        notes=sum(len(standing.notes(part_id)) for part_id in written),
        bar_one_offset_s=round(bar_one_offset_s(standing), 4),
        without_microphone=without_microphone(standing.document),
        pairs=_pairs(standing),
        drums=_drums(standing),
        sides={one: possible_sides(standing.document, one) for one in standing.document.sources},
        combines={one: _combines(standing.document, one) for one in standing.document.parts},
        tempo_offer=offer,
    )
