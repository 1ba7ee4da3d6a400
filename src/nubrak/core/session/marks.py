"""Marks merged: what is said of a place is added to what has been said of it before, and takes away nothing
else.
"""

from __future__ import annotations

import math
from typing import Literal

from pydantic import BaseModel, Field

from nubrak.core.decide import Mark
from nubrak.core.time_line import LAST_S, TimeLineS

NEAR_S = 0.004  # a mark speaks of the same stroke as another that is nearer


class MarkChange(BaseModel):
    """What is meant of one place; what is not named stays as it is, what is empty is left to the part
    again.
    """

    time_s: TimeLineS = Field(description="where the stroke was found, wherever its hit stands now")
    kind: Literal["keep", "drop", "add"] | None = Field(
        default=None, description="whether it counts; empty leaves that, and keeps what has no mark yet"
    )
    to_s: TimeLineS | None = Field(default=None, description="where the hit is put")
    by_s: float | None = Field(default=None, description="how much further it is put than it stands, in s")
    stands_s: TimeLineS | None = Field(
        default=None, description="where it stands, for the first ``by_s``; empty: where it was found"
    )
    velocity: int | None = Field(default=None, ge=1, le=127, description="the velocity set by hand")
    note: int | None = Field(default=None, ge=0, le=127, description="the note set by hand")
    note_s: TimeLineS | None = Field(default=None, description="where its note is put")
    articulation: str | None = Field(default=None, max_length=40, description="how it was struck")


class MarksAtPlaces:
    """The marks of a part, found by place in constant time while they change."""

    def __init__(self, marks: dict[str, Mark]) -> None:
        self._marks = marks
        self._cells: dict[int, list[str]] = {}
        for key, mark in marks.items():
            self._cells.setdefault(_cell(mark.time_s), []).append(key)

    def near(self, time_s: float) -> str | None:
        """The id of the mark on the stroke found at ``time_s``: the latest of those near it."""
        cell = _cell(time_s)
        keys = [key for near in (cell - 1, cell, cell + 1) for key in self._cells.get(near, ())]
        fitting = [key for key in keys if abs(self._marks[key].time_s - time_s) < NEAR_S]
        if len(fitting) < 2:
            return fitting[0] if fitting else None
        order = list(self._marks)
        return max(fitting, key=order.index)

    def take(self, key: str, change: MarkChange) -> None:
        """Add what is meant to what has been said of the place; ``key`` names a mark that is new."""
        known = self.near(change.time_s)
        if known is None:
            self._marks[key] = _begun(change)
            self._cells.setdefault(_cell(change.time_s), []).append(key)
            return
        mark = self._marks[known]
        if mark.kind == "add" and change.kind == "drop":
            # Dropping what was added by hand takes the addition back; nothing else was there.
            del self._marks[known]
            self._cells[_cell(mark.time_s)].remove(known)
            return
        self._marks[known] = mark.model_copy(update=_meant(change, mark))


def _begun(change: MarkChange) -> Mark:
    mark = Mark(kind=change.kind or "keep", time_s=change.time_s)
    return mark.model_copy(update=_meant(change, mark))


def _meant(change: MarkChange, mark: Mark) -> dict[str, object]:
    """The fields of a mark that a change speaks of."""
    out = change.model_dump(
        include=change.model_fields_set & {"to_s", "velocity", "note", "note_s", "articulation"}
    )
    if change.by_s is not None:
        stands = next(one for one in (mark.to_s, change.stands_s, change.time_s) if one is not None)
        out["to_s"] = min(max(stands + change.by_s, 0.0), LAST_S)
    if change.kind is not None:
        # What was added stays an addition; what is there anyway is only kept.
        added = mark.kind == "add"
        out["kind"] = "drop" if change.kind == "drop" else "add" if added else "keep"
    return out


def _cell(time_s: float) -> int:
    return math.floor(time_s / NEAR_S)


def take_marks(marks: dict[str, Mark], changes: dict[str, MarkChange]) -> None:
    """Add everything that is meant to the marks of a part."""
    places = MarksAtPlaces(marks)
    for key, change in changes.items():
        places.take(key, change)
