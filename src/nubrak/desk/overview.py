"""All parts of a session at a glance, for the staff and the list."""

from __future__ import annotations

from collections import Counter

import numpy as np
from pydantic import BaseModel, Field

from nubrak.core.midi import USUAL_TICKS, half_tick_ms
from nubrak.core.pieces import PIECES, PieceId
from nubrak.core.session import Document, WithoutMicrophone, pieces_to_look_for, without_microphone
from nubrak.core.tempo import TempoTold
from nubrak.desk.desk import Desk
from nubrak.desk.finding import to_check
from nubrak.desk.lists import bar_one_offset_s, written_parts
from nubrak.desk.sorting import tell_what_is_new
from nubrak.desk.tempo import take_if_sure

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
    tempo_offer: TempoTold | None = Field(
        default=None, description="what the hits suggest, not surely enough to be taken by itself"
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
    if tell_what_is_new(desk, standing):
        standing = desk.standing(session_id)
    offer = take_if_sure(desk, standing)
    # A tempo may have been taken. While something is waited for, none was; and what came in meanwhile is told
    # apart by whoever asks next, who would not ask if this said that all had come.
    if offer is None and not any(standing.waiting.values()):
        standing = desk.standing(session_id)
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
        tempo_offer=offer,
    )
