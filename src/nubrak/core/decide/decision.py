"""Decide: which candidates count as hits, and why. One pass over arrays; nothing is analysed again."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from nubrak.core.decide.doubt import doubt_by_lines, doubt_of
from nubrak.core.decide.evidence import Evidence
from nubrak.core.decide.marks import of_whole_sounds, rows_of_marks
from nubrak.core.decide.rules import (
    apply_hold_off,
    apply_re_arm,
    no_twin_of_what_was_dropped,
    of_one_sound,
    surest_of_near,
)
from nubrak.core.decide.settings import USUAL_MARGIN_DB, CurvePoint, FindSettings, Mark
from nubrak.core.decide.states import Decisions, State, among
from nubrak.core.decide.suggest import suggest_below, suggest_threshold
from nubrak.core.pieces import Material, Piece
from nubrak.core.spill import NEVER_DB

_NATS_PER_DB = 0.35  # what a decibel of margin or threshold is worth in log odds
_MOST_NATS = 8.0
_SPILL_SPEAKS_DB = 14.0  # a candidate further over the spill than this is not explained by it


def decide(
    evidence: Evidence,
    stroke_probability: NDArray[np.float64],
    settings: FindSettings,
    marks: list[Mark],
    piece: Piece,
    material: Material,
    span_s: tuple[float, float] | None = None,
) -> Decisions:
    """Evidence and its chance (n,), settings and marks to a decision for every candidate. Outside ``span_s``
    only marks count.
    """
    count = len(evidence.level_db)
    level, rise, time = evidence.level_db, evidence.rise_db, evidence.time_s
    margin = settings.spill_margin_db
    rise_needed = material.rise_db if settings.rise_db is None else settings.rise_db
    hold_off_ms = next(
        value
        for value in (settings.hold_off_ms, material.hold_off_ms, piece.hold_off_ms)
        if value is not None
    )
    re_arm = next((value for value in (settings.re_arm_db, material.re_arm_db) if value is not None), 0.0)
    weighs = material.weighs and settings.surety_percent > 0
    # Nothing asked leaves it to the evidence, which may hear a click over a body that only falls.
    rises = (rise >= rise_needed) | (rise_needed <= 0)
    over_spill = level - evidence.spill_db

    if weighs:
        strokes = surest_of_near(
            evidence.attack_s,
            level,
            stroke_probability,
            stroke_probability >= settings.surety_percent / 100.0,
            hold_off_ms / 1000.0,
        )
        suggestion = suggest_below(level, strokes, over_spill > _SPILL_SPEAKS_DB)
    else:
        apart = over_spill >= margin if margin is not None else np.ones(count, bool)
        suggestion = suggest_threshold(level[rises & apart], material.least_span_db)
    threshold = suggestion.threshold_db if settings.threshold_db is None else settings.threshold_db
    line = threshold + _curve(settings.curve, time)
    if weighs:
        log_odds = _leaned_log_odds(
            stroke_probability, over_spill, margin, level, suggestion.threshold_db, float(threshold)
        )
        needed = np.log(settings.surety_percent / (100.0 - settings.surety_percent))
        spilt = (log_odds < needed) & (over_spill < _SPILL_SPEAKS_DB)
        unlike = (log_odds < needed) & ~spilt
    else:
        log_odds = np.zeros(count)
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
    marked, attack = of_whole_sounds(rows_of_marks(time, marks), time, attack, level, log_odds)
    for row, mark in marked.items():
        state[row] = State.DROPPED if mark.kind == "drop" else State.KEPT
    other = np.full(count, -1, np.int64)
    no_twin_of_what_was_dropped(attack, state, other)
    apply_hold_off(attack, level, log_odds, state, other, hold_off_ms / 1000.0)
    if re_arm > 0:
        apply_re_arm(level, evidence.before_db, state, other, re_arm)
    if marked:
        apply_hold_off(attack, level, log_odds, unmarked, other.copy(), hold_off_ms / 1000.0)
        if re_arm > 0:
            apply_re_arm(level, evidence.before_db, unmarked, other.copy(), re_arm)
    else:
        unmarked = state
    if weighs:
        doubt = doubt_of(
            log_odds - needed,
            level - line if settings.threshold_db is not None or settings.curve else None,
            rise - rise_needed,
            state,
        )
    else:
        doubt = doubt_by_lines(
            level - line,
            rise - rise_needed,
            over_spill - margin if margin is not None else np.full(count, 200.0),
            state,
            suggestion.gap_db,
        )

    doubt[of_one_sound(attack, state, other)] = 0.0
    hit_s = np.where(among(state, (State.HIT, State.KEPT)), attack, time)
    moved = np.zeros(count)
    for row, mark in marked.items():
        if mark.to_s is not None and mark.kind != "drop":
            moved[row] = mark.to_s - hit_s[row]
            hit_s[row] = mark.to_s
    added = [mark for mark in marks if mark.kind == "add" and not any(mark is m for m in marked.values())]
    decisions = Decisions(
        time_s=hit_s,
        found_s=time,
        level_db=level,
        strength_db=level if evidence.strength_db is None else evidence.strength_db,
        rise_db=rise,
        row=np.arange(count),
        state=state,
        other=other,
        moved_s=moved,
        doubt=doubt,
        stroke_probability=stroke_probability,
        spill_db=evidence.spill_db,
        spill_from=evidence.spill_from,
        spill_at_s=evidence.spill_at_s,
        line_db=line,
        unmarked=unmarked == State.HIT,
        attack_s=attack,
        threshold_db=float(threshold),
        hold_off_ms=float(hold_off_ms),
        re_arm_db=float(re_arm),
        rise_needed_db=rise_needed,
        margin_db=margin if margin is not None else 0.0,
        weighs=weighs,
        suggestion=suggestion,
        sources=evidence.names,
    )
    return _in_time(decisions, added)


def _curve(points: list[CurvePoint], time_s: NDArray[np.float64]) -> NDArray[np.float64]:
    """The offset of a drawn curve at each time, (n,): straight between its points, level before and after
    them.
    """
    if not points:
        return np.zeros(len(time_s))
    return np.interp(time_s, [point.time_s for point in points], [point.offset_db for point in points])


def _leaned_log_odds(
    stroke_probability: NDArray[np.float64],
    over_spill_db: NDArray[np.float64],
    margin_db: float | None,
    level_db: NDArray[np.float64],
    suggested_db: float,
    threshold_db: float,
) -> NDArray[np.float64]:
    """Log odds of each candidate, (n,), as a person leans on them: a smaller margin lets spill pass, and a
    threshold set under the suggested one says that softer strokes count, unless they are spill.
    """
    log_odds = np.clip(
        np.log(np.maximum(stroke_probability, 1e-9) / np.maximum(1.0 - stroke_probability, 1e-9)),
        -_MOST_NATS,
        _MOST_NATS,
    )
    explained = over_spill_db < _SPILL_SPEAKS_DB
    if margin_db is None:
        log_odds = np.where(explained, _MOST_NATS, log_odds)
    elif margin_db != USUAL_MARGIN_DB:
        log_odds = log_odds + np.where(explained, _NATS_PER_DB * (USUAL_MARGIN_DB - margin_db), 0.0)
    if threshold_db < suggested_db:
        log_odds = log_odds + np.where(
            explained | (level_db >= suggested_db), 0.0, _NATS_PER_DB * (suggested_db - threshold_db)
        )
    return log_odds


def _in_time(decisions: Decisions, added: list[Mark]) -> Decisions:
    """Decisions in order of time, with a row for every hit added by hand where no candidate is."""
    d, more = decisions, len(added)
    if not more and bool(np.all(np.diff(d.time_s) >= 0)):
        return d
    times = np.array([mark.time_s if mark.to_s is None else mark.to_s for mark in added])
    usual, strong = d.level_db[d.unmarked], d.strength_db[d.unmarked]
    new: dict[str, float | NDArray[np.float64]] = {
        "time_s": times,
        "found_s": np.array([mark.time_s for mark in added]),
        "level_db": float(np.median(usual)) if len(usual) else -12.0,
        "strength_db": float(np.median(strong)) if len(strong) else -12.0,
        "rise_db": 0.0,
        "row": -1,
        "state": int(State.ADDED),
        "other": -1,
        "moved_s": 0.0,
        "doubt": 0.0,
        "stroke_probability": 1.0,
        "spill_db": NEVER_DB,
        "spill_from": -1,
        "spill_at_s": np.nan,
        "line_db": d.threshold_db,
        "unmarked": False,
        "attack_s": times,
    }
    order = np.argsort(np.concatenate([d.time_s, times]), kind="stable")
    place = np.argsort(order, kind="stable")
    columns: dict[str, Any] = {}
    for name, value in new.items():
        old = getattr(d, name)
        columns[name] = np.concatenate([old, np.broadcast_to(np.asarray(value, old.dtype), more)])[order]
    columns["other"] = np.where(columns["other"] >= 0, place[np.maximum(columns["other"], 0)], -1)
    return replace(d, **columns)
