"""Decide: which candidates count as hits, and why. One pass over arrays; nothing is analysed again."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import IntEnum
from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import AfterValidator, BaseModel, Field

from nubrak.core.evidence import Evidence
from nubrak.core.material import Material, MaterialId
from nubrak.core.pieces import Piece
from nubrak.core.spill import NEVER_DB
from nubrak.core.suggest import Suggestion, suggest_below, suggest_threshold

MARK_REACH_S = 0.008  # a mark finds its candidate again within this
_AT_S = 0.0005  # and speaks of the very place within this
USUAL_MARGIN_DB = 4.0
_NATS_PER_DB = 0.35  # what a decibel of margin or threshold is worth in log odds
_SURE_NATS = 3.0
_MOST_NATS = 8.0
_SURER = 1.4
_SPILL_SPEAKS_DB = 14.0  # a candidate further over the spill than this is not explained by it


class CurvePoint(BaseModel):
    """A point of the curve that the threshold follows."""

    time_s: float = Field(ge=0, le=86400)
    offset_db: float = Field(ge=-60, le=60, description="how far over (or under) the threshold the line runs here, in dB")


def _in_order(points: list[CurvePoint]) -> list[CurvePoint]:
    return sorted(points, key=lambda point: point.time_s)


class FindSettings(BaseModel):
    """How one part's hits are told from everything else its source heard."""

    material: MaterialId | None = Field(default=None, description="the starting point; empty: what fits the piece")
    threshold_db: float | None = Field(default=None, ge=-96, le=0, description="the lowest level, in dBFS, at which a candidate counts; empty follows the suggestion")
    curve: Annotated[list[CurvePoint], AfterValidator(_in_order)] = Field(default=[], max_length=500, description="where the threshold follows a fading or growing take")
    rise_db: float | None = Field(default=None, ge=3, le=40, description="how far, in dB, the level must jump above what rang just before; empty: the material's own")
    hold_off_ms: float | None = Field(default=None, ge=5, le=500, description="the shortest time between two hits, in ms; empty: the piece's own")
    re_arm_db: float | None = Field(
        default=None, ge=0, le=40, description="how far, in dB, the level must fall under a hit before the next can count; empty: the material's own",
    )
    low_hz: float | None = Field(default=None, ge=20, le=18000, description="the detector hears from here, in Hz; empty: the piece's own")
    high_hz: float | None = Field(default=None, ge=40, le=22000, description="the detector hears up to here, in Hz; empty: the piece's own")
    spill_margin_db: float | None = Field(
        default=USUAL_MARGIN_DB, ge=-12, le=24, description="how far, in dB, a candidate must stand over what others spill here; empty switches it off",
    )
    spill_from: list[str] | None = Field(default=None, max_length=64, description="the parts that leak into this one; empty: learnt from the recording")
    surety_percent: float = Field(default=50, ge=0, le=95, description="how likely all evidence together must make it; 0 leaves it to threshold, rise and margin")


class Mark(BaseModel):
    """What a person decided about one place. It outlives every setting."""

    kind: Literal["keep", "drop", "add"]
    time_s: float = Field(ge=0, le=86400, description="the attack it speaks of, in seconds of the session")
    to_s: float | None = Field(default=None, ge=0, le=86400, description="where the hit was moved to; empty leaves it where it is")
    velocity: int | None = Field(default=None, ge=1, le=127, description="the velocity set by hand; empty measures it")
    note: int | None = Field(default=None, ge=0, le=127, description="the note set by hand; empty takes the part's")
    note_s: float | None = Field(default=None, ge=0, le=86400, description="where its note was put by hand; empty leaves that to the part's timing")


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

    ``strength_db`` (n,) how hard it was struck; ``row`` (n,) is the candidate's row or -1 for a hit added by hand; ``found_s`` (n,) where it was found, ``time_s`` (n,) where
    the hit is; ``state`` (n,) holds ``State``; ``other`` (n,) the row of the candidate that held this one off, or -1;
    ``moved_s`` (n,) how far a person moved it; ``doubt`` (n,) 0 to 1, how likely the decision is wrong; ``chance`` (n,) 0 to 1, how likely all evidence makes it a stroke;
    ``spill_db``, ``spill_from``, ``spill_at_s`` (n,) what other strokes spill there, whose, and when; ``line_db`` (n,) the threshold
    at that moment; ``unmarked`` (n,) whether it would be a hit if nothing had been marked by hand; ``attack_s`` (n,) where the sound that it belongs to began.
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
    chance: NDArray[np.float64]
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
    table = np.zeros(len(State), bool)
    table[list(states)] = True
    return table[state]


def decide(
    evidence: Evidence, chance: NDArray[np.float64], settings: FindSettings, marks: list[Mark], piece: Piece, material: Material,
    span_s: tuple[float, float] | None = None,
) -> Decisions:
    """Evidence and its chance (n,), settings and marks to a decision for every candidate. Outside ``span_s`` only marks count."""
    count = len(evidence.level_db)
    level, rise, time = evidence.level_db, evidence.rise_db, evidence.time_s
    margin = settings.spill_margin_db
    rise_needed = material.rise_db if settings.rise_db is None else settings.rise_db
    hold_off_ms = next(value for value in (settings.hold_off_ms, material.hold_off_ms, piece.hold_off_ms) if value is not None)
    re_arm = next((value for value in (settings.re_arm_db, material.re_arm_db) if value is not None), 0.0)
    weighs = material.weighs and settings.surety_percent > 0
    # Nothing asked leaves it to the evidence, which may hear a click over a body that only falls.
    rises = (rise >= rise_needed) | (rise_needed <= 0)
    over_spill = level - evidence.spill_db

    if weighs:
        strokes = _single(evidence.attack_s, level, chance, chance >= settings.surety_percent / 100.0, hold_off_ms / 1000.0)
        suggestion = suggest_below(level, strokes, over_spill > _SPILL_SPEAKS_DB)
    else:
        apart = over_spill >= margin if margin is not None else np.ones(count, bool)
        suggestion = suggest_threshold(level[rises & apart], material.least_span_db)
    threshold = suggestion.threshold_db if settings.threshold_db is None else settings.threshold_db
    line = threshold + _curve(settings.curve, time)
    if weighs:
        odds = _odds(chance, over_spill, margin, level, suggestion.threshold_db, float(threshold))
        needed = np.log(settings.surety_percent / (100.0 - settings.surety_percent))
        spilt = (odds < needed) & (over_spill < _SPILL_SPEAKS_DB)
        unlike = (odds < needed) & ~spilt
    else:
        odds = np.zeros(count)
        spilt = over_spill < margin if margin is not None else np.zeros(count, bool)
        unlike = np.zeros(count, bool)

    state = np.full(count, State.HIT, np.int8)
    state[unlike] = State.UNLIKE
    state[spilt] = State.SPILL
    state[~rises] = State.SOFT_RISE
    state[level < line] = State.UNDER
    if span_s is not None:
        state[(time < span_s[0]) | (time >= span_s[1])] = State.OUTSIDE
    unmarked = state.copy()
    attack = evidence.attack_s
    marked, attack = _of_whole_sounds(_rows_of_marks(time, marks), time, attack, level, odds)
    for row, mark in marked.items():
        state[row] = State.DROPPED if mark.kind == "drop" else State.KEPT
    other = np.full(count, -1, np.int64)
    _no_twin_of_what_was_dropped(attack, state, other)
    _hold_off(attack, level, odds, state, other, hold_off_ms / 1000.0)
    if re_arm > 0:
        _re_arm(level, evidence.before_db, state, other, re_arm)
    if marked:
        _hold_off(attack, level, odds, unmarked, other.copy(), hold_off_ms / 1000.0)
        if re_arm > 0:
            _re_arm(level, evidence.before_db, unmarked, other.copy(), re_arm)
    else:
        unmarked = state
    if weighs:
        doubt = _doubt(odds - needed, level - line if settings.threshold_db is not None or settings.curve else None, rise - rise_needed, state)
    else:
        doubt = _doubt_by_lines(level - line, rise - rise_needed, over_spill - margin if margin is not None else np.full(count, 200.0), state, suggestion.gap_db)

    doubt[_of_one_sound(attack, state, other)] = 0.0
    hit_s = np.where(among(state, (State.HIT, State.KEPT)), attack, time)
    moved = np.zeros(count)
    for row, mark in marked.items():
        if mark.to_s is not None and mark.kind != "drop":
            moved[row] = mark.to_s - hit_s[row]
            hit_s[row] = mark.to_s
    added = [mark for mark in marks if mark.kind == "add" and not any(mark is m for m in marked.values())]
    decisions = Decisions(
        time_s=hit_s, found_s=time, level_db=level, strength_db=level if evidence.strength_db is None else evidence.strength_db,
        rise_db=rise, row=np.arange(count), state=state, other=other, moved_s=moved, doubt=doubt,
        chance=chance,
        spill_db=evidence.spill_db, spill_from=evidence.spill_from, spill_at_s=evidence.spill_at_s, line_db=line,
        unmarked=unmarked == State.HIT, attack_s=attack, threshold_db=float(threshold),
        hold_off_ms=float(hold_off_ms), re_arm_db=float(re_arm), rise_needed_db=rise_needed, margin_db=margin if margin is not None else 0.0,
        weighs=weighs, suggestion=suggestion, sources=evidence.names,
    )
    return _in_time(decisions, added)


def _single(
    time_s: NDArray[np.float64], level_db: NDArray[np.float64], chance: NDArray[np.float64], strokes: NDArray[np.bool_], hold_s: float,
) -> NDArray[np.bool_]:
    """The ``strokes`` (n,) without those that have a surer, or as sure and louder, one beside them inside the hold-off."""
    rows = _in_order_of_time(np.nonzero(strokes)[0], time_s)
    worth = 1000.0 * np.round(np.minimum(chance[rows], 0.95), 1) + level_db[rows]
    near = np.diff(time_s[rows]) < hold_s
    beaten = np.zeros(len(rows), bool)
    beaten[:-1] |= near & (worth[1:] > worth[:-1])
    beaten[1:] |= near & (worth[:-1] >= worth[1:])
    out = strokes.copy()
    out[rows[beaten]] = False
    return out


def _in_order_of_time(rows: NDArray[np.int64], time_s: NDArray[np.float64]) -> NDArray[np.int64]:
    times = time_s[rows]
    return rows if bool(np.all(times[1:] >= times[:-1])) else rows[np.argsort(times, kind="stable")]


def _curve(points: list[CurvePoint], time_s: NDArray[np.float64]) -> NDArray[np.float64]:
    """The offset of a drawn curve at each time, (n,): straight between its points, level before and after them."""
    if not points:
        return np.zeros(len(time_s))
    return np.interp(time_s, [point.time_s for point in points], [point.offset_db for point in points])


def _odds(
    chance: NDArray[np.float64], over_spill_db: NDArray[np.float64], margin_db: float | None, level_db: NDArray[np.float64], suggested_db: float, threshold_db: float,
) -> NDArray[np.float64]:
    """Log odds of each candidate, (n,), as a person leans on them: a smaller margin lets spill pass, and a threshold set under the
    suggested one says that softer strokes count, unless they are spill.
    """
    odds = np.clip(np.log(np.maximum(chance, 1e-9) / np.maximum(1.0 - chance, 1e-9)), -_MOST_NATS, _MOST_NATS)
    explained = over_spill_db < _SPILL_SPEAKS_DB
    if margin_db is None:
        odds = np.where(explained, _MOST_NATS, odds)
    elif margin_db != USUAL_MARGIN_DB:
        odds = odds + np.where(explained, _NATS_PER_DB * (USUAL_MARGIN_DB - margin_db), 0.0)
    if threshold_db < suggested_db:
        odds = odds + np.where(explained | (level_db >= suggested_db), 0.0, _NATS_PER_DB * (suggested_db - threshold_db))
    return odds


def _rows_of_marks(time_s: NDArray[np.float64], marks: list[Mark]) -> dict[int, Mark]:
    """The candidate each mark speaks of: the nearest within reach. The latest mark on a candidate wins."""
    rows: dict[int, Mark] = {}
    if not len(time_s) or not marks:
        return rows
    at = np.array([mark.time_s for mark in marks])
    right = np.clip(np.searchsorted(time_s, at), 0, len(time_s) - 1)
    left = np.maximum(right - 1, 0)
    near = np.where(np.abs(time_s[left] - at) <= np.abs(time_s[right] - at), left, right)
    for mark, row, away in zip(marks, near.tolist(), np.abs(time_s[near] - at).tolist(), strict=True):
        if away <= MARK_REACH_S:
            rows[row] = mark
    return rows


def _of_whole_sounds(
    marked: dict[int, Mark], time_s: NDArray[np.float64], attack_s: NDArray[np.float64], level_db: NDArray[np.float64], odds: NDArray[np.float64],
) -> tuple[dict[int, Mark], NDArray[np.float64]]:
    """Where several candidates are steps of one sound, a mark at its attack goes to the step that stands for it; a step that is
    marked at its own place parts from the sound. ``attack_s`` (n,) is the same for all steps of a sound. Returns the marks by row,
    and the attacks.
    """
    if not marked:
        return marked, attack_s
    places, steps = np.unique(attack_s, return_counts=True)
    of_several = set(places[steps > 1].tolist())
    if not of_several:
        return marked, attack_s
    worst_first = np.lexsort((level_db, np.round(np.minimum(odds, _SURE_NATS))))
    stands_for = dict(zip(attack_s[worst_first].tolist(), worst_first.tolist(), strict=True))
    out, parted = {}, attack_s.copy()
    for row, mark in marked.items():
        began_s = float(attack_s[row])
        if began_s in of_several:
            if abs(mark.time_s - began_s) <= _AT_S:
                row = stands_for[began_s]
            elif began_s != time_s[row] and (mark.kind != "drop" or stands_for[began_s] != row):
                parted[row] = time_s[row]
        out[row] = mark
    return out, parted


def _hold_off(
    time_s: NDArray[np.float64], level_db: NDArray[np.float64], odds: NDArray[np.float64], state: NDArray[np.int8], other: NDArray[np.int64], hold_s: float,
) -> None:
    """Of hits closer than ``hold_s``, let the surest stand, of equally sure ones the loudest. Hits kept by hand always stand and
    hold others off.
    """
    rows = np.nonzero((state == State.HIT) | (state == State.KEPT))[0]
    if len(rows) < 2:
        return
    rows = _in_order_of_time(rows, time_s)
    near = np.diff(time_s[rows]) < hold_s
    crowded = rows[np.concatenate([near, [False]]) | np.concatenate([[False], near])]
    kept = state[crowded] == State.KEPT
    order = np.lexsort((time_s[crowded], -level_db[crowded], -np.round(np.minimum(odds[crowded], _SURE_NATS)), ~kept))
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


def _of_one_sound(attack_s: NDArray[np.float64], state: NDArray[np.int8], other: NDArray[np.int64]) -> NDArray[np.bool_]:
    """Which candidates, (n,), were held off by another step of the same sound, and so say nothing of their own."""
    return np.asarray((state == State.HELD_OFF) & (other >= 0) & (attack_s == attack_s[np.maximum(other, 0)]))


def _no_twin_of_what_was_dropped(time_s: NDArray[np.float64], state: NDArray[np.int8], other: NDArray[np.int64]) -> None:
    """Where a person said that nothing was struck, what was held off until then does not step forward."""
    hits = np.nonzero(state == State.HIT)[0]
    for row in np.nonzero(state == State.DROPPED)[0].tolist():
        twins = hits[np.abs(time_s[hits] - time_s[row]) <= MARK_REACH_S]
        state[twins], other[twins] = State.HELD_OFF, row


def _re_arm(level_db: NDArray[np.float64], before_db: NDArray[np.float64], state: NDArray[np.int8], other: NDArray[np.int64], fall_db: float) -> None:
    """A hit counts only when the level has fallen ``fall_db`` under the hit before it, or when it is louder than that one by as much."""
    rows = np.nonzero((state == State.HIT) | (state == State.KEPT))[0].tolist()
    level, before, states = level_db.tolist(), before_db.tolist(), state.tolist()
    last = -1
    for row in rows:
        if last >= 0 and states[row] == State.HIT and before[row] > level[last] - fall_db and level[row] < level[last] + fall_db:
            state[row], other[row] = State.NOT_ARMED, last
            continue
        last = row


def _doubt(odds: NDArray[np.float64], over_line_db: NDArray[np.float64] | None, rise_over_db: NDArray[np.float64], state: NDArray[np.int8]) -> NDArray[np.float64]:
    """How likely each decision is wrong: the chance of the other outcome.

    A threshold that a person set speaks too: near the line it may be wrong as far as the evidence speaks against it.
    """
    # Evidence speaks a little more surely than the trees dare to (reliability table of benchmarks/accuracy.py).
    stroke = 1.0 / (1.0 + np.exp(-_SURER * odds))
    if over_line_db is not None:
        stroke = stroke / (1.0 + np.exp(-np.clip(over_line_db, -40, 40) / 1.5))
    counts = state == State.HIT
    doubt = np.where(counts, 1.0 - stroke, stroke)
    doubt[among(state, (State.KEPT, State.DROPPED, State.OUTSIDE))] = 0.0
    gated = among(state, (State.HELD_OFF, State.NOT_ARMED))
    doubt[gated] *= 0.15
    soft = (state == State.SOFT_RISE) & (rise_over_db < 0)
    doubt[soft] *= np.exp(rise_over_db[soft] / 2.0)
    return np.asarray(np.clip(doubt, 0.0, 0.5 if over_line_db is None else 1.0))


def _doubt_by_lines(
    over_db: NDArray[np.float64], rise_over_db: NDArray[np.float64], stands_out_db: NDArray[np.float64], state: NDArray[np.int8], gap_db: float,
) -> NDArray[np.float64]:
    """Doubt where threshold, rise and margin decide alone: 0.5 on the line, falling with the distance to the nearest line that
    would change it.
    """
    scale = 1.5 + 3.0 / (1.0 + max(gap_db, 0.0))
    lines = np.stack([over_db / scale, rise_over_db / 2.0, stands_out_db / 2.5])
    doubt = 0.5 * np.exp(-np.abs(lines.min(axis=0)))
    doubt[among(state, (State.KEPT, State.DROPPED, State.OUTSIDE))] = 0.0
    held = among(state, (State.HELD_OFF, State.NOT_ARMED))
    doubt[held] = np.minimum(doubt[held], 0.2)
    return np.asarray(doubt)


def _in_time(decisions: Decisions, added: list[Mark]) -> Decisions:
    """Decisions in order of time, with a row for every hit added by hand where no candidate is."""
    d, more = decisions, len(added)
    if not more and bool(np.all(np.diff(d.time_s) >= 0)):
        return d
    times = np.array([mark.time_s if mark.to_s is None else mark.to_s for mark in added])
    usual, strong = d.level_db[d.unmarked], d.strength_db[d.unmarked]
    new: dict[str, float | NDArray[np.float64]] = {
        "time_s": times, "found_s": np.array([mark.time_s for mark in added]), "level_db": float(np.median(usual)) if len(usual) else -12.0,
        "strength_db": float(np.median(strong)) if len(strong) else -12.0, "rise_db": 0.0,
        "row": -1, "state": int(State.ADDED), "other": -1, "moved_s": 0.0, "doubt": 0.0, "chance": 1.0, "spill_db": NEVER_DB, "spill_from": -1, "spill_at_s": np.nan,
        "line_db": d.threshold_db, "unmarked": False, "attack_s": times,
    }
    order = np.argsort(np.concatenate([d.time_s, times]), kind="stable")
    place = np.argsort(order, kind="stable")
    columns: dict[str, Any] = {}
    for name, value in new.items():
        old = getattr(d, name)
        columns[name] = np.concatenate([old, np.broadcast_to(np.asarray(value, old.dtype), more)])[order]
    columns["other"] = np.where(columns["other"] >= 0, place[np.maximum(columns["other"], 0)], -1)
    return replace(d, **columns)
