"""Which recorded strokes of a session stand most by themselves, and why."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from nubrak.core.samples import Clear, clearest
from nubrak.desk.desk import Desk
from nubrak.desk.standing import Standing

Placed = tuple[int, NDArray[np.float32]]


class ClearStroke(BaseModel):
    """One stroke of a piece, and how much it stands by itself."""

    time_s: float
    found_s: float
    velocity: int
    alone_s: float
    reason: str


class ClearestOf(BaseModel):
    """The strokes of a part, the one that stands most by itself first."""

    part_id: str
    name: str
    piece: str
    strokes: list[ClearStroke]


class Clearest(BaseModel):
    """Strokes that stand most by themselves, for some parts."""

    parts: list[ClearestOf]


def clearest_of(desk: Desk, standing: Standing, part_ids: list[str], most: int) -> Clearest:
    """At most so many strokes of each part, ranked by how much they stand by themselves."""
    all_parts = [one for one, _ in standing.document.ordered_parts() if standing.document.is_noted(one)]
    out = []
    for part_id in part_ids:
        placed = strokes_of(desk, standing, part_id, all_parts)
        if placed is None:
            continue
        (begin, audio), struck_s, hard, found_s, others = placed
        begin_s = begin / standing.document.rate_hz
        ranked = ranked_strokes(desk, standing, part_id, audio, struck_s, others)[:most]
        out.append(
            ClearestOf(
                part_id=part_id,
                name=standing.names[part_id],
                piece=standing.document.parts[part_id].piece,
                strokes=[
                    ClearStroke(
                        time_s=round(begin_s + one.time_s, 6),
                        found_s=round(float(found_s[one.row]), 6),
                        velocity=int(hard[one.row]),
                        alone_s=round(one.alone_s, 3),
                        reason=one.reason,
                    )
                    for one in ranked
                ],
            )
        )
    return Clearest(parts=out)


def ranked_strokes(
    desk: Desk,
    standing: Standing,
    part_id: str,
    audio: NDArray[np.float32],
    struck_s: NDArray[np.float64],
    others: dict[str, NDArray[np.float64]],
) -> list[Clear]:
    """The strokes of a part, the clearest first; worked out once for what is struck."""
    document, rate = standing.document, standing.document.rate_hz
    clips = tuple(
        (clip.audio, clip.start_s)
        for source in (document.sources[one] for one in document.parts[part_id].sources)
        for clip in source.clips
        if not source.aside
    )
    beside = tuple((name, times.tobytes()) for name, times in others.items())
    key = hash((rate, clips, struck_s.tobytes(), beside))
    with desk.lock:
        kept = desk.ranked.get(key)
    if kept is None:
        kept = clearest(audio.mean(axis=1), rate, struck_s, others)
        with desk.lock:
            desk.ranked[key] = kept
    return kept


def strokes_of(
    desk: Desk, standing: Standing, part_id: str, parts: list[str]
) -> (
    tuple[Placed, NDArray[np.float64], NDArray[np.int64], NDArray[np.float64], dict[str, NDArray[np.float64]]]
    | None
):
    """Where a part's recording begins and its audio; when it was struck from there, in order, how hard and
    where that was found; and when the other parts were. None where it has no recording.
    """
    document, rate = standing.document, standing.document.rate_hz
    sources = [document.sources[one] for one in document.parts[part_id].sources]
    sources = [one for one in sources if not one.aside]
    if not sources:
        return None
    begin, audio = desk.audio.placed(sources[0], rate)
    decisions = standing.decisions(part_id)
    notes = standing.velocities(part_id, decisions)
    # Notes beside the recorded ones sound nowhere in the recording.
    played = np.nonzero(notes.row >= 0)[0]
    struck_s = decisions.time_s[notes.row[played]] - begin / rate
    order = np.argsort(struck_s)
    order = order[(struck_s[order] >= 0) & (struck_s[order] < len(audio) / rate)]
    others = {
        standing.names[one].lower(): standing.struck(one) / rate - begin / rate
        for one in parts
        if one != part_id
    }
    rows = played[order]
    found_s = decisions.found_s[notes.row[rows]]
    return (begin, audio), struck_s[order], notes.velocity[rows], found_s, others
