"""What the looks at a session are answered with: reasons, Second look, the spill map, where an added hit
snaps to.
"""

from __future__ import annotations

import numpy as np

from nubrak.core.decide import Decisions, FindSettings, places, reason
from nubrak.core.find import snap
from nubrak.core.pieces import PIECES
from nubrak.core.prints import HitLine
from nubrak.core.problem import Problem
from nubrak.core.shape import BarOnsets, best_bar
from nubrak.web.desk import Desk, Standing
from nubrak.web.shapes import BestBar, LeakLine, LookPlace, Reason, SpillMap, Suspect

MOST_PLACES = 400

_INAUDIBLE_DB = -60.0  # no spill anybody hears


def differences(now: Decisions, then: Decisions) -> tuple[list[float], list[float]]:
    """Where hits would be lost and where candidates would newly count, in seconds."""
    before, after = (
        dict(zip(d.row[d.counts].tolist(), d.time_s[d.counts].tolist(), strict=True)) for d in (now, then)
    )
    lost = sorted(time_s for row, time_s in before.items() if row not in after)
    return [round(t, 5) for t in lost], [
        round(t, 5) for t in sorted(time_s for row, time_s in after.items() if row not in before)
    ]


def said(
    standing: Standing, part_id: str, decisions: Decisions, index: int, find: FindSettings | None = None
) -> Reason:
    """Why a row is what it is, and whose spill it may be."""
    evidence, _ = standing.evidence(part_id, find)
    part = standing.document.parts[part_id]
    text = reason(decisions, index, evidence, PIECES[part.piece].name.lower(), standing.names)
    return Reason(text=text, suspect=_suspect(standing, decisions, index))


def _suspect(standing: Standing, decisions: Decisions, index: int) -> Suspect | None:
    source = int(decisions.spill_from[index])
    if not 0 <= source < len(decisions.sources):
        return None
    other = decisions.sources[source]
    part = standing.document.parts.get(other)
    if part is None:
        return None
    under = float(decisions.level_db[index] - decisions.spill_db[index])
    return Suspect(
        part_id=other,
        name=standing.names[other],
        source_id=part.sources[0],
        time_s=float(decisions.spill_at_s[index]),
        under_db=round(under, 1),
    )


def look_places(standing: Standing, part_ids: list[str]) -> list[LookPlace]:
    """The doubtful places of these parts, worst first, with their reasons."""
    decisions = {part_id: standing.decisions(part_id) for part_id in part_ids}
    out = []
    for place in places(decisions)[:MOST_PLACES]:
        d, about = (
            decisions[place.part_id],
            said(standing, place.part_id, decisions[place.part_id], place.index),
        )
        out.append(
            LookPlace(
                part_id=place.part_id,
                part_name=standing.names[place.part_id],
                source_id=standing.document.parts[place.part_id].sources[0],
                index=place.index,
                time_s=place.time_s,
                counts=bool(d.counts[place.index]),
                doubt=round(place.doubt, 3),
                level_db=round(float(d.level_db[place.index]), 1),
                text=about.text,
                suspect=about.suspect,
            )
        )
    return out


def leaks_of(standing: Standing) -> SpillMap:
    """The spill map of a session."""
    kit = standing.evidenced.weighed.kit
    lines = [
        LeakLine(
            from_part=source,
            to_part=target,
            level_db=round(leak.own_level_db, 1),
            delay_ms=round(1000 * leak.delay_s, 2) if leak.timed else None,
            strokes=leak.pairs,
        )
        for (source, target), leak in kit.leaks.items()
        if leak.pairs and leak.own_level_db > _INAUDIBLE_DB
    ]
    return SpillMap(
        revision=standing.state.revision,
        parts=[part_id for part_id, _ in standing.document.ordered_parts() if part_id in kit.heard],
        leaks=lines,
    )


def bar_to_take(standing: Standing) -> BestBar:
    """The bar that stands for everything that is played."""
    played = []
    for part_id in standing.document.parts:
        decisions, notes = standing.decisions(part_id), standing.notes(part_id, before=True)
        struck = notes.row >= 0
        played.append(
            BarOnsets(notes.time_s[struck], notes.velocity[struck], decisions.doubt[notes.row[struck]])
        )
    bar = best_bar(played, standing.document.tempo, standing.document.length_s)
    if bar is None:
        raise Problem(
            "There is no whole bar with strokes in it.",
            todo="Set the tempo and where bar 1 stands, then ask again.",
        )
    said = (
        f"Bar {bar.number} is {100 * bar.likeness:.0f} % like the usual one, with {100 * bar.doubt:.0f} % "
        "doubt per stroke."
    )
    return BestBar(number=bar.number, start_s=bar.start_s, end_s=bar.end_s, said=said)


def snapped(desk: Desk, standing: Standing, part_id: str, near_s: float) -> float:
    """The attack in a part's recording that a person means who points near it."""
    document = standing.document
    clips = [
        clip for source_id in document.part(part_id).sources for clip in document.sources[source_id].clips
    ]
    clip = next((c for c in clips if c.start_s <= near_s <= c.start_s + c.length_s), None)
    if clip is None:
        raise Problem("There is no recording at this place.", todo="Point at a place inside the recording.")
    known = standing.decisions(part_id)
    free = known.time_s[~known.counts] - clip.start_s
    return float(
        max(
            clip.start_s
            + snap(desk.cache.mono(clip.audio), near_s - clip.start_s, clip.rate_hz, np.sort(free)),
            0.0,
        )
    )


def hit_lines(standing: Standing, part_id: str) -> list[HitLine]:
    """A part's notes as they are handed on, each with the stroke it comes from."""
    notes, decisions, part = (
        standing.notes(part_id),
        standing.decisions(part_id),
        standing.document.part(part_id),
    )
    lines = []
    for time_s, velocity, number, row in zip(
        notes.time_s.tolist(),
        notes.velocity.tolist(),
        notes.each_number.tolist(),
        notes.row.tolist(),
        strict=True,
    ):
        struck = row >= 0
        lines.append(
            HitLine(
                part=standing.document.part_name(part_id),
                piece=part.piece,
                time_s=round(float(decisions.time_s[row]) if struck else time_s, 6),
                note_time_s=round(time_s, 6),
                velocity=velocity,
                note=number,
                strength_db=round(float(decisions.strength_db[row]), 2) if struck else None,
                doubt=round(min(float(decisions.doubt[row]), 1.0), 4) if struck else None,
            )
        )
    return lines
