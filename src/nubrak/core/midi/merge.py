"""What a person changed elsewhere, as marks that can be taken in whole or one by one."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from pydantic import BaseModel, Field

from nubrak.core.decide import MARK_REACH_S, Decisions, Mark
from nubrak.core.midi.difference import Difference
from nubrak.core.shape import Notes, PatternNote, marks_of_hits

Kind = Literal["changed", "deleted", "added"]


class Proposal(BaseModel):
    """One note that came back different, and what taking it does: a mark on a recorded stroke, or a note
    beside the recorded ones.
    """

    kind: Kind
    part_id: str
    time_s: float
    text: str
    mark: Mark | None = None
    note: PatternNote | None = None
    note_id: str | None = Field(
        default=None, description="the note beside the recorded ones that is meant, if any"
    )


@dataclass(frozen=True)
class Left:
    """A part as it left: its notes, the decisions they come from, what was set by hand, and the ids of its
    pattern notes in order.
    """

    notes: Notes
    decisions: Decisions
    marks: list[Mark]
    pattern: dict[str, PatternNote]


def proposals(differences: list[Difference], left: dict[str, Left]) -> list[Proposal]:
    """One proposal per note, in order of time, from the differences of ``midi_difference``."""
    of_note: dict[tuple[str, int], list[Difference]] = {}
    out = []
    for one in differences:
        if one.place is None:
            out.append(_added(one, left[one.part]))
        else:
            of_note.setdefault((one.part, one.place), []).append(one)
    by_hand = {part: marks_of_hits(about.decisions, about.marks) for part, about in left.items()}
    for (part, place), changes in of_note.items():
        row = int(left[part].notes.row[place])
        out.append(
            _beside(changes, left[part], -1 - row)
            if row < 0
            else _recorded(changes, left[part], row, by_hand[part].get(row))
        )
    return sorted(out, key=lambda one: (one.time_s, one.part_id))


def _recorded(changes: list[Difference], left: Left, row: int, known: Mark | None) -> Proposal:
    first, found_s = changes[0], float(left.decisions.found_s[row])
    mark = Mark(kind="keep", time_s=found_s) if known is None else known
    if first.kind == "deleted":
        gone = Mark(kind="drop", time_s=mark.time_s)
        return Proposal(kind="deleted", part_id=first.part, time_s=first.time_s, text="deleted", mark=gone)
    change: dict[str, float | int | None] = {}
    for one in changes:
        match one.kind:
            case "moved":
                change["note_s"] = one.new_time_s
            case "velocity":
                change["velocity"] = one.new_velocity
            case "pitch":
                change["note"] = one.new_note
    return Proposal(
        kind="changed",
        part_id=first.part,
        time_s=first.time_s,
        text=_said(changes),
        mark=mark.model_copy(update=change),
    )


def _beside(changes: list[Difference], left: Left, place: int) -> Proposal:
    first = changes[0]
    note_id, note = list(left.pattern.items())[place]
    if first.kind == "deleted":
        return Proposal(
            kind="deleted", part_id=first.part, time_s=first.time_s, text="deleted", note_id=note_id
        )
    new = PatternNote(
        time_s=first.new_time_s or 0.0,
        velocity=first.new_velocity or note.velocity,
        note=_unless_usual(first.new_note, left),
        fixed=True,
    )
    return Proposal(
        kind="changed",
        part_id=first.part,
        time_s=first.time_s,
        text=_said(changes),
        note_id=note_id,
        note=new,
    )


def _added(one: Difference, left: Left) -> Proposal:
    """A new note: where a candidate lies that did not count, the stroke was there all along; else a note
    beside the recorded ones.
    """
    text = f"new, velocity {one.new_velocity}, note {one.new_note}"
    number = _unless_usual(one.new_note, left)
    decisions = left.decisions
    quiet = np.nonzero(~decisions.counts & (decisions.row >= 0))[0]
    if len(quiet):
        nearest = int(quiet[np.argmin(np.abs(decisions.time_s[quiet] - one.time_s))])
        if abs(float(decisions.time_s[nearest]) - one.time_s) <= MARK_REACH_S:
            mark = Mark(
                kind="keep",
                time_s=float(decisions.found_s[nearest]),
                velocity=one.new_velocity,
                note=number,
                note_s=one.time_s,
            )
            return Proposal(
                kind="added",
                part_id=one.part,
                time_s=one.time_s,
                text=f"{text}; a candidate lies there and is kept",
                mark=mark,
            )
    note = PatternNote(time_s=one.time_s, velocity=one.new_velocity or 100, note=number, fixed=True)
    return Proposal(kind="added", part_id=one.part, time_s=one.time_s, text=text, note=note)


def _unless_usual(number: int | None, left: Left) -> int | None:
    return None if number == left.notes.number else number


def _said(changes: list[Difference]) -> str:
    words = []
    for one in changes:
        match one.kind:
            case "moved":
                by_ms = 1000.0 * ((one.new_time_s or 0.0) - one.time_s)
                words.append(f"{abs(by_ms):.1f} ms {'later' if by_ms > 0 else 'earlier'}")
            case "velocity":
                words.append(f"velocity {one.velocity} → {one.new_velocity}")
            case "pitch":
                words.append(f"note {one.note} → {one.new_note}")
    return ", ".join(words)
