"""Decide: which candidates count as hits, and why. One pass over arrays; nothing is analysed again."""

from __future__ import annotations

from dataclasses import dataclass
from enum import IntEnum
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from nubrak.core.find import Candidates, level_in_band, rise_in_band
from nubrak.core.pieces import Piece
from nubrak.core.spill import Spill
from nubrak.core.suggest import Suggestion, suggest_threshold

MARK_REACH_S = 0.008  # a mark finds its candidate again within this


class FindSettings(BaseModel):
    """How one part's hits are told from everything else its source heard."""

    threshold_db: float | None = Field(default=None, ge=-96, le=0, description="the lowest level, in dBFS, at which a candidate counts; empty follows the suggestion")
    rise_db: float | None = Field(default=None, ge=3, le=40, description="how far, in dB, the level must jump above what rang just before; empty: the piece's own")
    hold_off_ms: float | None = Field(default=None, ge=5, le=500, description="the shortest time between two hits, in ms; empty: the piece's own")
    spill_margin_db: float | None = Field(default=4.0, ge=-12, le=24, description="how far, in dB, a candidate must stand over what others spill here; empty switches it off")


class Mark(BaseModel):
    """What a person decided about one place. It outlives every setting."""

    kind: Literal["keep", "drop", "add"]
    time_s: float = Field(ge=0, le=86400, description="the attack it speaks of, in seconds of the session")
    velocity: int | None = Field(default=None, ge=1, le=127, description="the strength of an added hit; empty measures it")


class State(IntEnum):
    """What a candidate was found to be. The numbers go to the front end, which gives each a shape."""

    UNDER = 0  # under the threshold
    HIT = 1
    SOFT_RISE = 2  # loud enough, but it does not rise enough
    HELD_OFF = 3  # too close to a louder one
    SPILL = 4
    DROPPED = 5  # by hand
    KEPT = 6  # by hand, counts
    ADDED = 7  # by hand, counts


COUNTS = (State.HIT, State.KEPT, State.ADDED)


@dataclass(frozen=True)
class Evidence:
    """What ``decide`` looks at, one row per candidate: all (n,)."""

    time_s: NDArray[np.float64]
    level_db: NDArray[np.float64]
    rise_db: NDArray[np.float64]


@dataclass(frozen=True)
class Decisions:
    """The outcome for every candidate, added hits included as rows of their own, in order of time.

    ``row`` (n,) is the candidate's row or -1 for a hit added by hand; ``state`` (n,) holds ``State``; ``other`` (n,) the
    row of the candidate that held this one off, or -1; ``doubt`` (n,) 0 to 1; ``spill_db`` (n,) what other strokes spill there.
    """

    time_s: NDArray[np.float64]
    level_db: NDArray[np.float64]
    rise_db: NDArray[np.float64]
    row: NDArray[np.int64]
    state: NDArray[np.int8]
    other: NDArray[np.int64]
    doubt: NDArray[np.float64]
    spill_db: NDArray[np.float64]
    spill_from: NDArray[np.int64]
    threshold_db: float
    hold_off_ms: float
    rise_needed_db: float
    margin_db: float
    suggestion: Suggestion
    sources: tuple[str, ...] = ()

    @property
    def counts(self) -> NDArray[np.bool_]:
        """(n,) whether each row is a hit."""
        return np.isin(self.state, COUNTS)


def evidence_for(candidates: Candidates, piece: Piece) -> Evidence:
    """The candidates as a part of this piece hears them: levels and rises in the piece's band."""
    rise_db = candidates.rise_db if piece.mixed else rise_in_band(candidates, piece.low_hz, piece.high_hz)
    return Evidence(candidates.time_s, level_in_band(candidates, piece.low_hz, piece.high_hz), rise_db)


def decide(evidence: Evidence, settings: FindSettings, marks: list[Mark], piece: Piece, spill: Spill | None = None) -> Decisions:
    """Settings, marks and, where other microphones were there, their spill, to a decision for every candidate."""
    count = len(evidence.time_s)
    level, rise, time = evidence.level_db, evidence.rise_db, evidence.time_s
    spill_db = spill.level_db if spill is not None else np.full(count, -200.0)
    spill_from = spill.source if spill is not None else np.full(count, -1, np.int64)
    margin = settings.spill_margin_db
    stands_out = level - spill_db - margin if margin is not None else np.full(count, 200.0)
    rise_needed = piece.rise_db if settings.rise_db is None else settings.rise_db
    rises = rise >= rise_needed
    suggestion = suggest_threshold(level[rises & (stands_out >= 0)], piece.least_span_db)
    threshold = suggestion.threshold_db if settings.threshold_db is None else settings.threshold_db
    hold_off_ms = piece.hold_off_ms if settings.hold_off_ms is None else settings.hold_off_ms

    state = np.full(count, State.HIT, np.int8)
    state[stands_out < 0] = State.SPILL
    state[~rises] = State.SOFT_RISE
    state[level < threshold] = State.UNDER
    other = np.full(count, -1, np.int64)
    marked = _rows_of_marks(time, marks)
    for row, mark in marked.items():
        state[row] = State.DROPPED if mark.kind == "drop" else State.KEPT
    _hold_off(time, level, state, other, hold_off_ms / 1000.0)
    doubt = _doubt(level - threshold, rise - rise_needed, stands_out, state, suggestion.gap_db)

    added = [mark for mark in marks if mark.kind == "add" and not any(mark is m for m in marked.values())]
    decisions = Decisions(
        time_s=time, level_db=level, rise_db=rise, row=np.arange(count), state=state, other=other, doubt=doubt,
        spill_db=spill_db, spill_from=spill_from, threshold_db=float(threshold), hold_off_ms=float(hold_off_ms),
        rise_needed_db=rise_needed, margin_db=margin if margin is not None else 0.0, suggestion=suggestion,
        sources=spill.names if spill is not None else (),
    )
    return _with_added(decisions, added) if added else decisions


def _rows_of_marks(time_s: NDArray[np.float64], marks: list[Mark]) -> dict[int, Mark]:
    """The candidate each mark speaks of: the nearest within reach. The latest mark on a candidate wins."""
    rows: dict[int, Mark] = {}
    if len(time_s):
        for mark in marks:
            right = int(np.searchsorted(time_s, mark.time_s))
            near = [row for row in (right - 1, right) if 0 <= row < len(time_s)]
            row = min(near, key=lambda r: abs(time_s[r] - mark.time_s))
            if abs(time_s[row] - mark.time_s) <= MARK_REACH_S:
                rows[row] = mark
    return rows


def _hold_off(time_s: NDArray[np.float64], level_db: NDArray[np.float64], state: NDArray[np.int8], other: NDArray[np.int64], hold_s: float) -> None:
    """Of hits closer than ``hold_s``, let the loudest stand. Hits kept by hand always stand and hold others off."""
    rows = np.nonzero((state == State.HIT) | (state == State.KEPT))[0]
    if len(rows) < 2:
        return
    near = np.diff(time_s[rows]) < hold_s
    crowded = rows[np.concatenate([near, [False]]) | np.concatenate([[False], near])]
    kept = state[crowded] == State.KEPT
    order = np.lexsort((time_s[crowded], -level_db[crowded], ~kept))
    # Plain lists: a loop over single numbers is several times faster on them than on arrays.
    times, is_kept, rank = time_s[crowded].tolist(), kept.tolist(), order.tolist()
    held_by = [-1] * len(times)
    for at in rank:
        if held_by[at] >= 0 and not is_kept[at]:
            continue
        for step in (-1, 1):
            next_to = at + step
            while 0 <= next_to < len(times) and abs(times[next_to] - times[at]) < hold_s:
                if held_by[next_to] < 0 and not is_kept[next_to]:
                    held_by[next_to] = at
                next_to += step
    by = np.array(held_by, np.int64)
    held = (by >= 0) & ~kept
    state[crowded[held]] = State.HELD_OFF
    other[crowded[held]] = crowded[by[held]]


def _doubt(over_db: NDArray[np.float64], rise_over_db: NDArray[np.float64], stands_out_db: NDArray[np.float64], state: NDArray[np.int8], gap_db: float) -> NDArray[np.float64]:
    """How likely each decision is wrong: 0.5 on the line, falling with the distance to the nearest line that would change it."""
    scale = 1.5 + 3.0 / (1.0 + max(gap_db, 0.0))
    lines = np.stack([over_db / scale, rise_over_db / 2.0, stands_out_db / 2.5])
    doubt = 0.5 * np.exp(-np.abs(lines.min(axis=0)))
    doubt[np.isin(state, (State.KEPT, State.DROPPED))] = 0.0
    held = state == State.HELD_OFF
    doubt[held] = np.minimum(doubt[held], 0.2)
    return np.asarray(doubt)


def _with_added(decisions: Decisions, added: list[Mark]) -> Decisions:
    """Decisions with a row for every hit added by hand where no candidate is."""
    times = np.array([mark.time_s for mark in added])
    usual = decisions.level_db[decisions.counts]
    level = np.full(len(added), float(np.median(usual)) if len(usual) else -12.0)
    old_place = np.argsort(np.argsort(np.concatenate([decisions.time_s, times]), kind="stable"), kind="stable")
    order = np.argsort(np.concatenate([decisions.time_s, times]), kind="stable")

    def merged(old: NDArray[np.generic], new: object) -> NDArray[np.generic]:
        return np.concatenate([old, np.full(len(added), new, old.dtype) if np.isscalar(new) else np.asarray(new, old.dtype)])[order]

    other = np.where(decisions.other >= 0, old_place[np.maximum(decisions.other, 0)], -1)
    return Decisions(
        time_s=merged(decisions.time_s, times), level_db=merged(decisions.level_db, level), rise_db=merged(decisions.rise_db, 0.0),  # type: ignore[arg-type]
        row=merged(decisions.row, -1), state=merged(decisions.state, int(State.ADDED)), other=merged(other, -1),  # type: ignore[arg-type]
        doubt=merged(decisions.doubt, 0.0), spill_db=merged(decisions.spill_db, -200.0), spill_from=merged(decisions.spill_from, -1),  # type: ignore[arg-type]
        threshold_db=decisions.threshold_db, hold_off_ms=decisions.hold_off_ms, rise_needed_db=decisions.rise_needed_db,
        margin_db=decisions.margin_db, suggestion=decisions.suggestion, sources=decisions.sources,
    )


def reason(decisions: Decisions, index: int) -> str:
    """Why row ``index`` counts or not, in one sentence with its numbers."""
    d, i = decisions, index
    level, over = d.level_db[i], d.level_db[i] - d.threshold_db
    state = State(int(d.state[i]))
    if state is State.ADDED:
        return f"Counts: added by hand at {clock(d.time_s[i])}."
    if state is State.KEPT:
        return f"Counts: kept by hand; it stands at {db(level)} dBFS, {_over(over, 'the threshold')}."
    if state is State.DROPPED:
        return f"Does not count: dropped by hand; it stands at {db(level)} dBFS, {_over(over, 'the threshold')}."
    if state is State.UNDER:
        return f"Does not count: {db(level)} dBFS is {-over:.1f} dB under the threshold."
    if state is State.SOFT_RISE:
        return f"Does not count: it rises {d.rise_db[i]:.1f} dB over what rang before, and {d.rise_needed_db:.1f} dB are asked for."
    if state is State.HELD_OFF:
        by = int(d.other[i])
        apart = (d.time_s[i] - d.time_s[by]) * 1000
        where = "after" if apart >= 0 else "before"
        return f"Does not count: {abs(apart):.0f} ms {where} a stroke of {db(d.level_db[by])} dBFS, inside the hold-off of {d.hold_off_ms:.0f} ms."
    beyond = level - d.spill_db[i]
    name = d.sources[int(d.spill_from[i])] if 0 <= d.spill_from[i] < len(d.sources) else ""
    if state is State.SPILL:
        return f"Does not count: {db(level)} dBFS is {_over(beyond, f'what {name} spills here')}, and {d.margin_db:.1f} dB are asked for."
    spilt = f" and {_over(beyond, f'what {name} spills here')}" if name and beyond < 30 else ""
    return f"Counts: {db(level)} dBFS is {over:.1f} dB over the threshold{spilt}; it rises {d.rise_db[i]:.1f} dB."


def db(level_db: float) -> str:
    """A level with one digit and a true minus sign."""
    return f"{level_db:.1f}".replace("-", "−")


def clock(time_s: float) -> str:
    """Seconds as minutes and seconds to the millisecond."""
    return f"{int(time_s // 60)}:{time_s % 60:06.3f}"


def _over(amount_db: float, what: str) -> str:
    return f"{abs(amount_db):.1f} dB {'over' if amount_db >= 0 else 'under'} {what}"
