"""What a person does to single strokes of the recording itself: mend them, and take that back."""

from __future__ import annotations

from collections.abc import Collection
from typing import Literal

from pydantic import Field

from nubrak.core.decide import Mark, clock
from nubrak.core.mix import Mend
from nubrak.core.problem import Problem
from nubrak.core.session.action import Action, Id
from nubrak.core.session.document import Document, Part
from nubrak.core.session.marks import MarkChange, MarksAtPlaces

_SAME_S = 0.008  # nearer than this, two mends speak of one stroke


class MendStroke(Action):
    """Let a stroke sound as another of the recording did, in all microphones; its note is as hard as that
    one was. A mend of the same stroke before gives way.
    """

    kind: Literal["mend"]
    part_id: str
    mend_id: Id
    mend: Mend

    def apply(self, document: Document) -> str:
        part = document.part(self.part_id)
        for key in _at(part, self.mend.time_s):
            _undone(part, key)
        part.mends[self.mend_id] = self.mend
        if self.mend.velocity is not None:
            change = MarkChange(time_s=self.mend.found_s, velocity=self.mend.velocity)
            MarksAtPlaces(part.marks).take(self.mend_id, change)
        where = f"{clock(self.mend.time_s)} with {clock(self.mend.from_s)}"
        return f"{document.part_name(self.part_id)}: mend {where}"


class Unmend(Action):
    """Let strokes sound as they were recorded again."""

    kind: Literal["unmend"]
    part_id: str
    mend_ids: list[str] = Field(min_length=1, max_length=5000)

    def apply(self, document: Document) -> str:
        part = document.part(self.part_id)
        known = [key for key in self.mend_ids if key in part.mends]
        if not known:
            raise Problem("This stroke sounds as it was recorded already.", kind="missing")
        for key in known:
            _undone(part, key)
        count = len(known)
        said = f"{count} stroke{'' if count == 1 else 's'}"
        return f"{document.part_name(self.part_id)}: {said} as recorded again"


def mends_along(here: Part, to: Part, places_s: Collection[float]) -> None:
    """The mends of strokes that go over to another part go with them."""
    going = [
        key
        for key, one in here.mends.items()
        if any(abs(one.found_s - place_s) <= _SAME_S for place_s in places_s)
    ]
    for key in going:
        to.mends[key] = here.mends.pop(key)


def _at(part: Part, time_s: float) -> list[str]:
    return [key for key, one in part.mends.items() if abs(one.time_s - time_s) <= _SAME_S]


def _undone(part: Part, key: str) -> None:
    """Take a mend away, and the velocity it set where nothing else has set another."""
    one = part.mends.pop(key)
    places = MarksAtPlaces(part.marks)
    mark_id = places.near(one.found_s)
    if mark_id is not None and one.velocity is not None and part.marks[mark_id].velocity == one.velocity:
        places.take(mark_id, MarkChange(time_s=one.found_s, velocity=None))
        # The mark that the mend itself made says nothing any more.
        if mark_id == key and part.marks[key] == Mark(kind="keep", time_s=one.found_s):
            del part.marks[key]
