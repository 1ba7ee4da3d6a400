"""Second look: the doubtful places of a session, worst first, and what is alike to a place."""

from __future__ import annotations

from bisect import bisect_left
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nubrak.core.decide.states import Decisions, State
from nubrak.core.find import Candidates

WORTH_A_LOOK = 0.05  # from this doubt on, one in twenty is wrong: fewer are not worth a person’s time
_SIMILAR = 0.6  # from here on two strokes pass for one sound, as in find/search
_ONE_PLACE_S = 0.012  # nearer than this, two candidates are seen and decided as one


@dataclass(frozen=True)
class Place:
    """One doubtful decision: the part, its row among the part's decisions, and how likely it is wrong."""

    part_id: str
    index: int
    time_s: float
    doubt: float


def places(decisions: dict[str, Decisions], at_least: float = WORTH_A_LOOK) -> list[Place]:
    """All doubtful decisions of all parts, worst first. Of several at one place of a part, only the worst:
    what a person decides there decides them all.
    """
    found = [
        Place(part_id, int(row), float(d.time_s[row]), float(d.doubt[row]))
        for part_id, d in decisions.items()
        for row in np.nonzero(d.doubt >= at_least)[0]
    ]
    found.sort(key=lambda place: (-place.doubt, place.time_s, place.part_id))
    by_hand = (State.KEPT, State.DROPPED, State.ADDED)
    taken = {
        part_id: np.sort(d.time_s[np.isin(d.state, by_hand)]).tolist() for part_id, d in decisions.items()
    }
    out = []
    for place in found:
        near = taken[place.part_id]
        after = bisect_left(near, place.time_s)
        if all(abs(time_s - place.time_s) > _ONE_PLACE_S for time_s in near[max(after - 1, 0) : after + 1]):
            near.insert(after, place.time_s)
            out.append(place)
    return out


def similar_to(candidates: Candidates, decisions: Decisions, index: int) -> NDArray[np.int64]:
    """Rows of ``decisions`` that sound like row ``index`` and were decided the same way, itself among them,
    (m,).
    """
    row = int(decisions.row[index])
    same_way = decisions.counts == decisions.counts[index]
    if row < 0 or not candidates.similarity.shape[1]:
        return np.array([index], np.int64)
    sound = int(candidates.similarity[row].argmax())
    if candidates.similarity[row, sound] < _SIMILAR:
        return np.array([index], np.int64)
    like = np.zeros(len(decisions.row), bool)
    known = decisions.row >= 0
    of = decisions.row[known]
    like[known] = (candidates.similarity[of].argmax(axis=1) == sound) & (
        candidates.similarity[of, sound] >= _SIMILAR
    )
    return np.nonzero(like & same_way & ~np.isin(decisions.state, (State.OUTSIDE,)))[0]
