"""Everything on the time line moved: of the whole session, or of what lies in one clip."""

from __future__ import annotations

from collections.abc import Callable

from nubrak.core.mix import GapMark
from nubrak.core.problem import Problem
from nubrak.core.session.document import Document, Part
from nubrak.core.time_line import FIRST_BAR_S, LAST_S, OnTimeLine, found, walk


def shift_all(document: Document, by_s: float) -> None:
    """Everything on the time line later by ``by_s``, or earlier; a ``Problem`` where that is outside it."""
    bar_one_s = document.tempo.bar_one_s + by_s
    beside = document.tempo.model_copy(update={"bar_one_s": 0.0})
    # Bar one may stand before everything else.
    times = [*found(document.model_copy(update={"tempo": beside}), OnTimeLine)]
    times.remove(0.0)
    inside = not times or (min(times) + by_s >= 0 and max(times) + by_s <= LAST_S)
    if not inside or not -FIRST_BAR_S <= bar_one_s <= LAST_S:
        raise Problem("The session would reach beyond its day.", todo="Move it by less.")
    moved = walk(document, OnTimeLine, lambda time_s: time_s + by_s)
    for name in type(document).model_fields:
        setattr(document, name, getattr(moved, name))
    document.origin_s = None if document.origin_s is None else document.origin_s - by_s


def move_with_clip(part: Part, begin_s: float, end_s: float, by_s: float) -> Part:
    """A part whose recording between two times goes ``by_s`` later, with everything that stands on it: what
    was set by hand of its strokes goes wherever it had been put, all else where it lies inside.
    """
    return walk(part.model_copy(update={"marks": {}}), OnTimeLine, _inside(begin_s, end_s, by_s)).model_copy(
        update={
            "marks": {
                key: walk(mark, OnTimeLine, lambda time_s: _held(time_s + by_s))
                if begin_s <= mark.time_s < end_s
                else mark
                for key, mark in part.marks.items()
            }
        }
    )


def marks_with_clip(
    marks: dict[str, GapMark], begin_s: float, end_s: float, by_s: float
) -> dict[str, GapMark]:
    """What was set of the gaps behind strokes that go ``by_s`` later goes with them."""
    return {key: walk(mark, OnTimeLine, _inside(begin_s, end_s, by_s)) for key, mark in marks.items()}


def _inside(begin_s: float, end_s: float, by_s: float) -> Callable[[float], float]:
    return lambda time_s: _held(time_s + by_s) if begin_s <= time_s <= end_s else time_s


def _held(time_s: float) -> float:
    return min(max(time_s, 0.0), LAST_S)
