"""Decide: which candidates count as hits, and why. One pass over arrays; nothing is analysed again."""

from __future__ import annotations

from dataclasses import dataclass, replace
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
from nubrak.core.decide.suggest import Suggestion, suggest_below, suggest_threshold
from nubrak.core.pieces import Material, Piece
from nubrak.core.spill import NEVER_DB

_NATS_PER_DB = 0.35  # what a decibel of margin or threshold is worth in log odds
_MOST_NATS = 8.0  # surer than this (1 in 3000) no evidence is believed, so that a hand can still lean on it
_EDGE_S = 0.005  # how far a stroke may begin before the range that it belongs to
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
    """Evidence and its stroke probability (n,), settings and marks to a decision for every candidate.
    Outside ``span_s`` only marks count.
    """
    level, time = evidence.level_db, evidence.time_s
    asked = _asked(settings, piece, material)
    over_spill = level - evidence.spill_db
    suggestion = _suggestion(evidence, stroke_probability, over_spill, asked, material)
    threshold = suggestion.threshold_db if settings.threshold_db is None else settings.threshold_db
    line = np.interp(time, *threshold_line(float(threshold), settings.curve))
    log_odds = _log_odds(stroke_probability, over_spill, level, suggestion, float(threshold), asked)

    state = _by_evidence(evidence, over_spill, line, log_odds, asked)
    if span_s is not None:
        # A stroke whose attack lies just before the range begins is its first.
        state[(time < span_s[0] - _EDGE_S) | (time >= span_s[1])] = State.OUTSIDE
    unmarked = state.copy()
    marked, attack = of_whole_sounds(rows_of_marks(time, marks), time, evidence.attack_s, level, log_odds)
    for row, mark in marked.items():
        state[row] = State.DROPPED if mark.kind == "drop" else State.KEPT
    other = np.full(len(level), -1, np.int64)
    no_twin_of_what_was_dropped(attack, state, other)
    _hold_off(evidence, attack, log_odds, state, other, asked)
    if marked:
        _hold_off(evidence, attack, log_odds, unmarked, other.copy(), asked)
    else:
        unmarked = state
    by_hand = settings.threshold_db is not None or bool(settings.curve)
    doubt = _doubt(evidence, over_spill, line, log_odds, state, suggestion, asked, by_hand)
    doubt[of_one_sound(attack, state, other)] = 0.0
    hit_s = np.where(among(state, (State.HIT, State.KEPT)), attack, time)
    moved = np.zeros(len(level))
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
        rise_db=evidence.rise_db,
        row=np.arange(len(level)),
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
        hold_off_ms=float(asked.hold_off_ms),
        re_arm_db=float(asked.re_arm_db),
        rise_needed_db=asked.rise_db,
        margin_db=asked.margin_db if asked.margin_db is not None else 0.0,
        weighs=asked.weighs,
        suggestion=suggestion,
        sources=evidence.names,
    )
    return _in_time(decisions, added)


@dataclass(frozen=True)
class _Asked:
    """What settings, material and piece together ask of a stroke."""

    margin_db: float | None  # over the spill; None: spill is not asked about
    rise_db: float
    hold_off_ms: float
    re_arm_db: float
    surety_percent: float
    weighs: bool  # whether all evidence decides, or the lines alone

    @property
    def log_odds(self) -> float:
        return float(np.log(self.surety_percent / (100.0 - self.surety_percent)))

    def rises(self, evidence: Evidence) -> NDArray[np.bool_]:
        # Nothing asked leaves it to the evidence, which may hear a click over a body that only falls.
        return (evidence.rise_db >= self.rise_db) | (self.rise_db <= 0)


def _asked(settings: FindSettings, piece: Piece, material: Material) -> _Asked:
    """Settings, and where they are empty what is usual for the material or the piece."""
    hold_off_ms = (settings.hold_off_ms, material.hold_off_ms, piece.hold_off_ms)
    re_arm_db = (settings.re_arm_db, material.re_arm_db)
    return _Asked(
        margin_db=settings.spill_margin_db,
        rise_db=material.rise_db if settings.rise_db is None else settings.rise_db,
        hold_off_ms=next(value for value in hold_off_ms if value is not None),
        re_arm_db=next((value for value in re_arm_db if value is not None), 0.0),
        surety_percent=settings.surety_percent,
        weighs=material.weighs and settings.surety_percent > 0,
    )


def _suggestion(
    evidence: Evidence,
    stroke_probability: NDArray[np.float64],
    over_spill_db: NDArray[np.float64],
    asked: _Asked,
    material: Material,
) -> Suggestion:
    """The threshold under the strokes that the evidence is sure of, or in the gap of the levels."""
    level = evidence.level_db
    if asked.weighs:
        sure = stroke_probability >= asked.surety_percent / 100.0
        held_off_s = asked.hold_off_ms / 1000.0
        strokes = surest_of_near(evidence.attack_s, level, stroke_probability, sure, held_off_s)
        return suggest_below(level, strokes, over_spill_db > _SPILL_SPEAKS_DB)
    apart = asked.margin_db is None or over_spill_db >= asked.margin_db
    return suggest_threshold(level[asked.rises(evidence) & apart], material.least_span_db)


def _log_odds(
    stroke_probability: NDArray[np.float64],
    over_spill_db: NDArray[np.float64],
    level_db: NDArray[np.float64],
    suggestion: Suggestion,
    threshold_db: float,
    asked: _Asked,
) -> NDArray[np.float64]:
    """Log odds of each candidate, (n,); 0 where the lines alone decide."""
    if not asked.weighs:
        return np.zeros(len(level_db))
    return _leaned_log_odds(
        stroke_probability, over_spill_db, asked.margin_db, level_db, suggestion.threshold_db, threshold_db
    )


def _by_evidence(
    evidence: Evidence,
    over_spill_db: NDArray[np.float64],
    line_db: NDArray[np.float64],
    log_odds: NDArray[np.float64],
    asked: _Asked,
) -> NDArray[np.int8]:
    """The state of each candidate by itself, (n,): before marks, and before what its neighbours hold off."""
    state = np.full(len(line_db), State.HIT, np.int8)
    if asked.weighs:
        unlikely = log_odds < asked.log_odds
        state[unlikely] = State.UNLIKE
        state[unlikely & (over_spill_db < _SPILL_SPEAKS_DB)] = State.SPILL
    elif asked.margin_db is not None:
        state[over_spill_db < asked.margin_db] = State.SPILL
    state[~asked.rises(evidence)] = State.SOFT_RISE
    state[evidence.level_db < line_db] = State.UNDER
    return state


def _hold_off(
    evidence: Evidence,
    attack_s: NDArray[np.float64],
    log_odds: NDArray[np.float64],
    state: NDArray[np.int8],
    other: NDArray[np.int64],
    asked: _Asked,
) -> None:
    """Hits that come too soon after another, or before the sound has fallen, are marked so in ``state``, and
    after whom in ``other``.
    """
    level = evidence.level_db
    apply_hold_off(attack_s, level, log_odds, state, other, asked.hold_off_ms / 1000.0)
    if asked.re_arm_db > 0:
        apply_re_arm(level, evidence.before_db, state, other, asked.re_arm_db)


def _doubt(
    evidence: Evidence,
    over_spill_db: NDArray[np.float64],
    line_db: NDArray[np.float64],
    log_odds: NDArray[np.float64],
    state: NDArray[np.int8],
    suggestion: Suggestion,
    asked: _Asked,
    by_hand: bool,
) -> NDArray[np.float64]:
    """The probability that each decision is wrong, (n,). A line that was set ``by_hand`` is doubted where it
    passes close by; one that follows the evidence is not.
    """
    over_line, over_rise = evidence.level_db - line_db, evidence.rise_db - asked.rise_db
    if asked.weighs:
        return doubt_of(log_odds - asked.log_odds, over_line if by_hand else None, over_rise, state)
    over_margin = np.full(len(state), 200.0) if asked.margin_db is None else over_spill_db - asked.margin_db
    return doubt_by_lines(over_line, over_rise, over_margin, state, suggestion.gap_db)


def threshold_line(
    threshold_db: float, curve: list[CurvePoint]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """The corners of the threshold as it is decided by: their times in s and their levels in dBFS, both
    (corners,), at least one. Between corners it runs straight, before the first and after the last level.
    """
    times = np.array([point.time_s for point in curve] or [0.0])
    return times, threshold_db + np.array([point.offset_db for point in curve] or [0.0])


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
