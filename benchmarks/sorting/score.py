"""Scoring pieces: strokes and answers matched within a window of time, class by class."""

from __future__ import annotations

import numpy as np
from mir_eval.util import match_events
from numpy.typing import NDArray

from benchmarks.sorting.heard import Heard
from nubrak.core.sort.sounds import SOUNDS, piece_of

WITHIN_S = 0.025
_TOGETHER_S = 0.02  # strokes of a class that are nearer are one

COARSE = {
    **dict.fromkeys(("kick",), "kick"),
    **dict.fromkeys(("snare", "snare/side", "clap"), "snare or clap"),
    **dict.fromkeys(("hi-hat/closed", "hi-hat/half", "hi-hat/open", "hi-hat/pedal"), "hat"),
    **dict.fromkeys(("rack-tom", "mid-tom", "floor-tom"), "tom"),
    **dict.fromkeys(("crash", "ride", "ride/bell"), "cymbal"),
}
CLASSES = ("kick", "snare or clap", "hat", "tom", "cymbal", "other")


def coarse_counts(one: Heard, probability: NDArray[np.float32], threshold: float = 0.5) -> NDArray[np.int64]:
    """Strokes, answers and right ones per coarse class, (6, 3), at ±25 ms."""
    out = np.zeros((6, 3), np.int64)
    of = np.array([CLASSES.index(COARSE.get(s, "other")) for s in SOUNDS])
    for k in range(6):
        likely = 1 - np.prod(1 - probability[:, of == k], axis=1)
        told = _held_off(one.time_s, likely, threshold)
        truth, unheard = (
            np.array([t for t, s, _, _, heard in one.truth if of[SOUNDS.index(s)] == k and heard == asked])
            for asked in (True, False)
        )
        truth = truth[np.diff(truth, prepend=-1.0) > _TOGETHER_S]
        matched = match_events(truth, told, WITHIN_S)
        free = np.ones(len(told), bool)
        free[[answer for _, answer in matched]] = False
        if len(unheard) and len(told):
            free &= np.abs(told[:, None] - unheard[None]).min(axis=1) <= WITHIN_S
            told = told[~free]
        out[k] = len(truth), len(told), len(matched)
    return out


def onset_counts(
    one: Heard, probability: NDArray[np.floating], threshold: float, within_s: float
) -> NDArray[np.int64]:
    """Moments at which anything that can be heard is struck, moments told, and right ones, (3,)."""
    told = _held_off(one.time_s, 1 - np.prod(1 - probability.astype(np.float64), axis=1), threshold)
    truth = np.unique([t for t, _, _, _, heard in one.truth if heard])
    unheard = np.array([t for t, _, _, _, heard in one.truth if not heard])
    truth = truth[np.diff(truth, prepend=-1.0) > _TOGETHER_S]
    matched = match_events(truth, told, within_s)
    false = np.delete(told, [answer for _, answer in matched])
    if len(unheard) and len(false):
        false = false[np.abs(false[:, None] - unheard[None]).min(axis=1) > within_s]
    return np.array([len(truth), len(matched) + len(false), len(matched)])


def piece_counts(
    one: Heard, probability: NDArray[np.floating], piece: str, threshold: float
) -> NDArray[np.int64]:
    """Strokes, answers and right ones of one piece, (3,), at ±25 ms."""
    rows = [k for k, sound in enumerate(SOUNDS) if piece_of(sound) == piece]
    told = _held_off(one.time_s, 1 - np.prod(1 - probability[:, rows].astype(np.float64), axis=1), threshold)
    truth = np.unique([t for t, s, _, _, heard in one.truth if piece_of(s) == piece and heard])
    matched = match_events(truth, told, WITHIN_S)
    return np.array([len(truth), len(told), len(matched)])


def _held_off(
    time_s: NDArray[np.float64], likely: NDArray[np.float64], threshold: float
) -> NDArray[np.float64]:
    """The times that are likely enough, of those closer than two strokes can be the likeliest."""
    kept: list[float] = []
    for row in np.argsort(-likely, kind="stable"):
        if likely[row] <= threshold:
            break
        if all(abs(time_s[row] - other) >= _TOGETHER_S for other in kept):
            kept.append(float(time_s[row]))
    return np.sort(np.array(kept))


def f_of(counts: NDArray[np.int64]) -> NDArray[np.float64]:
    """F from strokes, answers and right ones in the last axis."""
    return 2 * counts[..., 2] / np.maximum(counts[..., 0] + counts[..., 1], 1)
