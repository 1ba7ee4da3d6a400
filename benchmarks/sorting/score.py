"""Scoring pieces: strokes and answers matched within a window of time, class by class."""

from __future__ import annotations

import numpy as np
from mir_eval.util import match_events
from numpy.typing import NDArray

from benchmarks.sorting.heard import Heard
from nubrak.core.sort.sounds import SOUNDS, piece_of

WITHIN_S = 0.025
ONE_EVENT_S = 0.02  # strokes of a class that are nearer are one

COARSE = {
    **dict.fromkeys(("kick",), "kick"),
    **dict.fromkeys(("snare", "snare/side", "clap"), "snare or clap"),
    **dict.fromkeys(("hi-hat/closed", "hi-hat/half", "hi-hat/open", "hi-hat/pedal"), "hat"),
    **dict.fromkeys(("rack-tom", "mid-tom", "floor-tom"), "tom"),
    **dict.fromkeys(("crash", "ride", "ride/bell"), "cymbal"),
}
CLASSES = ("kick", "snare or clap", "hat", "tom", "cymbal", "other")


def counted(
    wanted: NDArray[np.float64], free: NDArray[np.float64], answers: NDArray[np.float64], within_s: float
) -> NDArray[np.int64]:
    """Strokes wanted, answers and right ones, (3,); an answer at a stroke that is ``free`` is neither right
    nor false.
    """
    pairs = match_events(wanted, answers, within_s) if len(wanted) and len(answers) else []
    false = np.delete(answers, [answer for _, answer in pairs])
    if len(free) and len(false):
        false = false[np.abs(false[:, None] - free[None]).min(axis=1) > within_s]
    return np.array([len(wanted), len(pairs) + len(false), len(pairs)])


def _counts_of(
    one: Heard, probability: NDArray[np.floating], of: NDArray[np.bool_], threshold: float, within_s: float
) -> NDArray[np.int64]:
    """What is counted of some of the sounds taken as one, (3,)."""
    return counted(*_times(one, probability, of, threshold), within_s)


def _times(
    one: Heard, probability: NDArray[np.floating], of: NDArray[np.bool_], threshold: float
) -> tuple[NDArray[np.float64], ...]:
    """When some of the sounds, taken as one, are wanted, may be told or not, and are told."""
    likely = 1.0 - np.prod(1.0 - probability[:, of].astype(np.float64), axis=1)
    wanted, free = (
        np.unique([t for t, sound, _, _, heard in one.truth if of[SOUNDS.index(sound)] and heard == asked])
        for asked in (True, False)
    )
    return wanted[np.diff(wanted, prepend=-1.0) > ONE_EVENT_S], free, _held_off(one.time_s, likely, threshold)


def coarse_counts(one: Heard, probability: NDArray[np.floating], threshold: float = 0.5) -> NDArray[np.int64]:
    """Strokes, answers and right ones per coarse class, (6, 3), at ±25 ms; two pieces of a class at one
    moment are two.
    """
    pieces = np.array([piece_of(sound) for sound in SOUNDS])
    coarse = np.array([COARSE.get(sound, "other") for sound in SOUNDS])
    out = np.zeros((len(CLASSES), 3), np.int64)
    for k, name in enumerate(CLASSES):
        each = [
            _times(one, probability, pieces == piece, threshold)
            for piece in np.unique(pieces[coarse == name])
        ]
        wanted, free, told = (np.sort(np.concatenate(times)) for times in zip(*each, strict=True))
        out[k] = counted(wanted, free, told, WITHIN_S)
    return out


def onset_counts(
    one: Heard, probability: NDArray[np.floating], threshold: float, within_s: float
) -> NDArray[np.int64]:
    """Moments at which anything that can be heard is struck, moments told, and right ones, (3,)."""
    return _counts_of(one, probability, np.ones(len(SOUNDS), bool), threshold, within_s)


def piece_counts(
    one: Heard, probability: NDArray[np.floating], piece: str, threshold: float
) -> NDArray[np.int64]:
    """Strokes, answers and right ones of one piece, (3,), at ±25 ms."""
    of = np.array([piece_of(sound) == piece for sound in SOUNDS])
    return _counts_of(one, probability, of, threshold, WITHIN_S)


def _held_off(
    time_s: NDArray[np.float64], likely: NDArray[np.float64], threshold: float
) -> NDArray[np.float64]:
    """The times that are likely enough, of those closer than two strokes can be the likeliest."""
    kept: list[float] = []
    for row in np.argsort(-likely, kind="stable"):
        if likely[row] <= threshold:
            break
        if all(abs(time_s[row] - other) >= ONE_EVENT_S for other in kept):
            kept.append(float(time_s[row]))
    return np.sort(np.array(kept))


def f_of(counts: NDArray[np.int64]) -> NDArray[np.float64]:
    """F from strokes, answers and right ones in the last axis."""
    return 2 * counts[..., 2] / np.maximum(counts[..., 0] + counts[..., 1], 1)
