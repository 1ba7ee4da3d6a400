"""States: what a candidate can be found to be, and the decisions over all of them as columns."""

from __future__ import annotations

from dataclasses import dataclass
from enum import IntEnum
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from nubrak.core.decide.suggest import Suggestion


class State(IntEnum):
    """What a candidate was found to be. The numbers go to the front end, which gives each a shape."""

    UNDER = 0  # under the threshold
    HIT = 1
    SOFT_RISE = 2  # loud enough, but it does not rise enough
    HELD_OFF = 3  # too close to a surer one
    SPILL = 4
    DROPPED = 5  # by hand
    KEPT = 6  # by hand, counts
    ADDED = 7  # by hand, counts
    UNLIKE = 8  # all evidence together speaks against a stroke
    NOT_ARMED = 9  # the level had not fallen enough after the hit before
    OUTSIDE = 10  # outside the range that is looked at


COUNTS = (State.HIT, State.KEPT, State.ADDED)


@dataclass(frozen=True)
class Decisions:
    """The outcome for every candidate, added hits included as rows of their own, in order of time.

    ``strength_db`` (n,) how hard it was struck; ``row`` (n,) is the candidate's row or -1 for a hit added by
    hand; ``found_s`` (n,) where it was found, ``time_s`` (n,) where the hit is; ``state`` (n,) holds
    ``State``; ``other`` (n,) the row of the candidate that held this one off, or -1; ``moved_s`` (n,) how far
    a person moved it; ``doubt`` (n,) 0 to 1, how likely the decision is wrong; ``stroke_probability`` (n,) 0
    to 1, how likely all evidence makes it a stroke; ``spill_db``, ``spill_from``, ``spill_at_s`` (n,) what
    other strokes spill there, whose, and when; ``line_db`` (n,) the threshold at that moment; ``unmarked``
    (n,) whether it would be a hit if nothing had been marked by hand; ``attack_s`` (n,) where the sound that
    it belongs to began.
    """

    time_s: NDArray[np.float64]
    found_s: NDArray[np.float64]
    level_db: NDArray[np.float64]
    strength_db: NDArray[np.float64]
    rise_db: NDArray[np.float64]
    row: NDArray[np.int64]
    state: NDArray[np.int8]
    other: NDArray[np.int64]
    moved_s: NDArray[np.float64]
    doubt: NDArray[np.float64]
    stroke_probability: NDArray[np.float64]
    spill_db: NDArray[np.float64]
    spill_from: NDArray[np.int64]
    spill_at_s: NDArray[np.float64]
    line_db: NDArray[np.float64]
    unmarked: NDArray[np.bool_]
    attack_s: NDArray[np.float64]
    threshold_db: float
    hold_off_ms: float
    re_arm_db: float
    rise_needed_db: float
    margin_db: float
    weighs: bool
    suggestion: Suggestion
    sources: tuple[str, ...] = ()

    @property
    def counts(self) -> NDArray[np.bool_]:
        """(n,) whether each row is a hit."""
        return among(self.state, COUNTS)


def among(state: NDArray[np.int8], states: tuple[State, ...]) -> NDArray[np.bool_]:
    """Whether each state (n,) is one of ``states``; a table of so few values is read faster than searched."""
    return _table(states)[state]


@lru_cache(maxsize=64)
def _table(states: tuple[State, ...]) -> NDArray[np.bool_]:
    table = np.zeros(len(State), bool)
    table[list(states)] = True
    table.setflags(write=False)
    return table
