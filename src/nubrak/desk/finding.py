"""What Find is answered with: decisions as columns, reasons, Second look, the spill map, the best bar, and
where an added hit snaps to.
"""

from __future__ import annotations

import secrets
from dataclasses import replace

import numpy as np
from pydantic import BaseModel, Field

from nubrak.core.decide import (
    MARK_REACH_S,
    WORTH_A_LOOK,
    Decisions,
    FindSettings,
    Place,
    Suggestion,
    places,
    reason,
    similar_to,
    threshold_line,
)
from nubrak.core.find import snap
from nubrak.core.flow import band_of
from nubrak.core.pieces import PIECES
from nubrak.core.problem import Problem
from nubrak.core.session import Give, MarkChange, SetMark
from nubrak.core.shape import BarOnsets, best_bar
from nubrak.core.signal import nearest_of
from nubrak.core.sort import ghosts
from nubrak.desk.desk import Desk
from nubrak.desk.standing import Standing
from nubrak.desk.tempo import require_tempo
from nubrak.desk.which_piece import Either, either_of, said_once
from nubrak.store.sessions import SessionState


class LineCorner(BaseModel):
    """Where the threshold's line changes its direction; before the first and after the last it runs level."""

    time_s: float
    level_db: float


class DecisionColumns(BaseModel):
    """Every candidate of a part with its decision, as columns in order of time."""

    revision: int
    time_s: list[float] = Field(description="where it stands: of a hit where it is put")
    found_s: list[float] = Field(description="where it was found: what a mark speaks of")
    level_db: list[float]
    rise_db: list[float]
    state: list[int]
    doubt: list[float]
    spill_db: list[float] = Field(
        description="what other strokes spill there, in dBFS; −200 where nothing does"
    )
    velocity: list[int] = Field(description="0 where it does not count")
    hits: int
    lost_s: list[float] = Field(description="hits as the part stands that would be lost")
    let_in_s: list[float] = Field(description="candidates that would newly count")
    threshold_db: float
    line: list[LineCorner] = Field(description="the threshold over time, straight from corner to corner")
    hold_off_ms: float
    re_arm_db: float
    rise_needed_db: float
    low_hz: float
    high_hz: float
    weighs: bool = Field(description="whether all evidence of the kit is weighed")
    worth_a_look: float = Field(description="from this doubt on a place stands in Second look")
    suggestion: Suggestion


class Suspect(BaseModel):
    """Another part whose stroke is heard at a place, and where it is seen best."""

    part_id: str
    name: str
    source_id: str
    time_s: float = Field(description="when that part was struck")
    under_db: float = Field(description="how far what it spills stands under the candidate, in dB")


class Reason(BaseModel):
    """One sentence, and who is suspected."""

    text: str
    suspect: Suspect | None = None


class LookPlace(BaseModel):
    """One doubtful place of Second look."""

    part_id: str
    part_name: str
    source_id: str
    index: int
    time_s: float
    found_s: float = Field(description="where it was found: what a mark speaks of")
    counts: bool
    doubt: float
    level_db: float
    text: str
    suspect: Suspect | None
    either: Either | None = Field(default=None, description="where it is the piece that is in doubt")


class SecondLook(BaseModel):
    """The doubtful places, worst first; the worst `MOST_PLACES` of them where there are more."""

    revision: int
    places: list[LookPlace]
    total: int = Field(description="how many there are in all")
    analysing: bool = Field(description="whether more may come")


class Similar(BaseModel):
    """Places that sound alike and were decided the same way."""

    time_s: list[float]
    found_s: list[float]


class LeakLine(BaseModel):
    """How one piece is heard in another's microphone."""

    from_part: str
    to_part: str
    level_db: float = Field(description="against how it is heard in its own, as recorded")
    delay_ms: float | None = Field(
        description="empty where it lies under other sounds and only its level is known"
    )
    strokes: int = Field(description="how many taught it")


class SpillMap(BaseModel):
    """Who leaks into whom."""

    revision: int
    parts: list[str]
    leaks: list[LeakLine]


class BestBar(BaseModel):
    """The bar that stands for the recording."""

    number: int
    start_s: float
    end_s: float
    said: str


MOST_PLACES = 400  # of Second look at once: more than anybody works off before asking again

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


def to_check(standing: Standing) -> list[Place]:
    """Every place of a session that is in doubt, worst first, each once. All counts are of these."""

    def told() -> list[Place]:
        written = [
            one
            for one in standing.chosen(None)
            if standing.document.is_noted(one) and not standing.document.is_aside(one)
        ]
        return said_once(standing, places({one: standing.decisions(one) for one in written}))

    return standing.once("to check", told)


def look_places(standing: Standing, part_ids: list[str]) -> tuple[list[LookPlace], int]:
    """The worst of the doubtful places of these parts with their reasons, and how many there are in all."""
    decisions = {part_id: standing.decisions(part_id) for part_id in part_ids}
    out = []
    doubtful = [place for place in to_check(standing) if place.part_id in decisions]
    for place in doubtful[:MOST_PLACES]:
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
                found_s=round(float(d.found_s[place.index]), 6),
                counts=bool(d.counts[place.index]),
                doubt=round(place.doubt, 3),
                level_db=round(float(d.level_db[place.index]), 1),
                text=about.text,
                suspect=about.suspect,
                either=either_of(standing, place.part_id, place.index),
            )
        )
    return out, len(doubtful)


def leaks_of(standing: Standing) -> SpillMap:
    """The spill map of a session: what the microphones recorded, not what is left when spill is taken off."""
    kit = standing.as_recorded.weighed.kit
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
    require_tempo(standing)
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


def decision_columns(standing: Standing, part_id: str, find: FindSettings | None) -> DecisionColumns:
    """Every candidate of a part with its decision: as the part stands, or with other settings."""
    now = standing.decisions(part_id)
    then = now if find is None else standing.decisions(part_id, find)
    part = standing.document.parts[part_id]
    velocity = np.zeros(len(then.time_s), np.int64)
    notes = standing.notes(part_id) if find is None else standing.velocities(part_id, then)
    struck = notes.row >= 0
    velocity[notes.row[struck]] = notes.velocity[struck]
    lost, let_in = differences(now, then)
    used = find or part.find
    low_hz, high_hz = band_of(replace(standing.inputs[part_id], find=used))
    # Asked for at every step of a dragged threshold: the columns go out as they are, without being checked
    # once more.
    return DecisionColumns.model_construct(
        revision=standing.state.revision,
        time_s=np.round(then.time_s, 6).tolist(),
        found_s=np.round(then.found_s, 6).tolist(),
        level_db=np.round(then.level_db, 2).tolist(),
        rise_db=np.round(then.rise_db, 1).tolist(),
        state=then.state.tolist(),
        doubt=np.round(then.doubt, 3).tolist(),
        spill_db=np.round(then.spill_db, 1).tolist(),
        velocity=velocity.tolist(),
        hits=int(np.count_nonzero(then.counts)),
        lost_s=lost,
        let_in_s=let_in,
        threshold_db=round(then.threshold_db, 2),
        line=[
            LineCorner(time_s=time_s, level_db=round(level_db, 2))
            for time_s, level_db in zip(*threshold_line(then.threshold_db, used.curve), strict=True)
        ],
        hold_off_ms=then.hold_off_ms,
        re_arm_db=then.re_arm_db,
        rise_needed_db=then.rise_needed_db,
        low_hz=low_hz,
        high_hz=high_hz,
        weighs=then.weighs,
        worth_a_look=WORTH_A_LOOK,
        suggestion=then.suggestion,
    )


def reason_of(standing: Standing, part_id: str, index: int, find: FindSettings | None) -> Reason:
    """Why one candidate of a part counts or not, as the part stands or with other settings."""
    found = standing.decisions(part_id, find)
    _is_there(found, index)
    return said(standing, part_id, found, index, find)


def similar_places(standing: Standing, part_id: str, index: int, find: FindSettings | None) -> Similar:
    """What sounds like one candidate and was decided the same way."""
    found = standing.decisions(part_id, find)
    _is_there(found, index)
    rows = similar_to(standing.inputs[part_id].candidates, found, index)
    return Similar(time_s=found.time_s[rows].tolist(), found_s=found.found_s[rows].tolist())


def ghost_places(standing: Standing, part_id: str) -> Similar:
    """The ghost strokes of a part: hits that are a soft group of their own under the full ones."""
    found = standing.decisions(part_id)
    hits = np.nonzero(found.counts)[0]
    rows = hits[ghosts(found.level_db[hits])]
    return Similar(time_s=found.time_s[rows].tolist(), found_s=found.found_s[rows].tolist())


def doubtful_places(standing: Standing, part_id: str | None) -> SecondLook:
    """The doubtful places of a session or of one part, worst first."""
    listed, total = look_places(standing, standing.chosen(part_id))
    return SecondLook(
        revision=standing.state.revision, places=listed, total=total, analysing=any(standing.waiting.values())
    )


def _is_there(found: Decisions, index: int) -> None:
    if index >= len(found.time_s):
        raise Problem("This candidate is not there any more.", kind="missing")


def give_strokes(
    desk: Desk, session_id: str, revision: int, part_id: str, to_part_id: str, time_s: list[float]
) -> SessionState:
    """Strokes of one part belong to another: dropped here, there hits that snap to the attack."""
    standing = desk.standing(session_id)
    found_s = _found_at(standing.decisions(part_id), time_s)
    here = {secrets.token_hex(5): one for one in found_s}
    there = {secrets.token_hex(5): snapped(desk, standing, to_part_id, one) for one in time_s}
    action = Give(kind="give", part_id=part_id, to_part_id=to_part_id, marks=here, there=there)
    return desk.sessions.edit(session_id, revision, action)


def _found_at(decisions: Decisions, stands_s: list[float]) -> list[float]:
    """Where the candidates were found that stand at these moments; what stands nowhere, where it is said."""
    at = np.array(stands_s, np.float64)
    if not len(decisions.time_s):
        return stands_s
    rows = nearest_of(at, decisions.time_s)
    near = np.abs(decisions.time_s[rows] - at) <= MARK_REACH_S
    return np.where(near, decisions.found_s[rows], at).tolist()


def add_hit_near(desk: Desk, session_id: str, revision: int, part_id: str, near_s: float) -> SessionState:
    """A hit added near a place; it snaps to the attack."""
    time_s = snapped(desk, desk.standing(session_id), part_id, near_s)
    marks = {secrets.token_hex(5): MarkChange(kind="add", time_s=time_s)}
    return desk.sessions.edit(session_id, revision, SetMark(kind="mark", part_id=part_id, marks=marks))


def put_hit_near(
    desk: Desk, session_id: str, revision: int, part_id: str, found_s: float, near_s: float
) -> SessionState:
    """The hit that was found at ``found_s`` put near another place; it snaps to the attack."""
    to_s = snapped(desk, desk.standing(session_id), part_id, near_s)
    marks = {secrets.token_hex(5): MarkChange(time_s=found_s, to_s=to_s)}
    return desk.sessions.edit(session_id, revision, SetMark(kind="mark", part_id=part_id, marks=marks))
