"""Ringing out: how long each stroke of a source goes on sounding, told from that recording.

A stroke is followed for as long as nothing else is heard over it; where it then still rings, it goes on as
the source's other strokes do from the same level on. So a floor tom is long and a closed hat is short, and an
open hat among closed ones is as long as it is.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from nubrak.core.find import STEP_S
from nubrak.core.signal import FLOOR_DB, db_to_power, power_to_db

LONGEST_S = 8.0  # a crash that nobody stops
_STEPS = round(LONGEST_S / STEP_S)
_MOST, _AT_ONCE = 400, 1000  # strokes that say how a source rings, and those followed at a time
_LOUDEST_WITHIN = 3  # steps: a stroke is as loud as it gets by then
_AGAIN_DB = 15.0  # over the softest so far: something else is heard; modes of a drum that beat swell by less
_OVER_FLOOR_DB = 6.0  # nearer to it, the floor is read and not the stroke
_FLOOR_PERCENTILE = 5
_WINDOW_STEPS = 3  # a frame hears so far ahead
_TOGETHER_S = 0.03  # strokes of other pieces so soon after one began with it
_FEWEST = 3  # strokes that say how the others go on
_LAST_DB = 10.0  # of what is known, to go on from where nothing is known any more
_SLOWEST_DB = -0.08  # a step: 60 dB in 7.5 s


def ring_out_s(
    band_envelope: NDArray[np.float16],
    time_s: NDArray[np.float64],
    others_s: NDArray[np.float64],
    fallen_db: float,
) -> NDArray[np.float64]:
    """How long the strokes at ``time_s`` (n,), in order, take to fall by ``fallen_db`` for good, (n,) in s.

    ``band_envelope`` is (steps, regions) in dBFS; ``others_s`` (m,), in order, are where strokes of other
    pieces are heard in it. What is not heard, for another stroke comes before, is what
    the source's strokes do as a rule.
    """
    if not len(time_s):
        return np.zeros(0)
    if not len(band_envelope):
        return np.full(len(time_s), LONGEST_S)
    level = power_to_db((0.5 * db_to_power(band_envelope.astype(np.float64))).sum(axis=1))
    floor = float(np.percentile(level, _FLOOR_PERCENTILE)) + _OVER_FLOOR_DB
    level = np.concatenate([level, np.full(_STEPS + 1, FLOOR_DB)])
    until_s = _until(time_s, others_s)
    shown = np.unique(np.linspace(0, len(time_s) - 1, min(len(time_s), _MOST)).astype(np.int64))
    usual = _usual(*_followed(level, time_s[shown], until_s[shown], floor))
    out = np.empty(len(time_s))
    for at in range(0, len(time_s), _AT_ONCE):
        part = slice(at, at + _AT_ONCE)
        fallen, heard = _followed(level, time_s[part], until_s[part], floor)
        there = heard & (fallen <= -fallen_db)
        last = np.maximum(heard.sum(axis=1) - 1, 0)
        so_far = np.where(heard[:, 0], fallen[np.arange(len(last)), last], 0.0)
        # From the level it was last heard at, as the others went on from there.
        left = _steps_to(usual, np.full(len(last), -fallen_db)) - _steps_to(usual, np.minimum(so_far, 0.0))
        ends = np.where(there.any(axis=1), there.argmax(axis=1), last + np.maximum(left, 0.0))
        out[part] = np.minimum((ends + 1.0) * STEP_S, LONGEST_S)
    return out


def _until(time_s: NDArray[np.float64], others_s: NDArray[np.float64]) -> NDArray[np.float64]:
    """How long it is from each stroke to the next of them, or of others, (n,) in s."""
    others_s = np.append(others_s, np.inf)
    other = others_s[np.searchsorted(others_s, time_s + _TOGETHER_S)]
    return np.minimum(np.append(time_s[1:], np.inf), other) - time_s


def _followed(
    level: NDArray[np.float64], time_s: NDArray[np.float64], until_s: NDArray[np.float64], floor: float
) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
    """How far strokes have fallen for good at each step, (n, steps) in dB, and at which they are heard."""
    first = np.floor(time_s / STEP_S + 1e-6).astype(np.int64)
    after = level[np.clip(first[:, None] + np.arange(_STEPS), 0, len(level) - 1)]
    loudest = after[:, :_LOUDEST_WITHIN].max(axis=1, keepdims=True)
    heard = _heard(after, until_s, floor)
    # Modes that beat go down and up: fallen is what comes no higher any more.
    fallen = np.where(heard, after - loudest, -np.inf)
    return np.maximum.accumulate(fallen[:, ::-1], axis=1)[:, ::-1], heard


def _heard(after: NDArray[np.float64], until_s: NDArray[np.float64], floor: float) -> NDArray[np.bool_]:
    """At which steps each stroke is what is heard, (n, steps): for ``until_s`` (n,), until something rises,
    and over the floor.
    """
    until = np.minimum(until_s / STEP_S, _STEPS + _WINDOW_STEPS).astype(np.int64) - _WINDOW_STEPS
    softest = np.minimum.accumulate(after, axis=1)
    over = (after > softest + _AGAIN_DB) | (after < floor)
    over[:, :_LOUDEST_WITHIN] = False
    over |= np.arange(_STEPS) >= until[:, None]
    return np.logical_not(np.logical_or.accumulate(over, axis=1))


def _usual(fallen: NDArray[np.float64], heard: NDArray[np.bool_]) -> NDArray[np.float64]:
    """How far strokes have fallen at each step as a rule, (steps,), never up again; and from where nothing is
    known, as steeply as before.
    """
    fewest = min(_FEWEST, len(fallen))
    known = int(np.argmin(np.append(heard.sum(axis=0) >= fewest, False)))
    curve = np.array([np.median(fallen[heard[:, step], step]) for step in range(max(known, 1)) if known])
    if len(curve) < 2:
        curve = np.zeros(2)
    curve = np.minimum.accumulate(np.minimum(curve, 0.0))
    begin = min(int(np.searchsorted(-curve, -curve[-1] - _LAST_DB)), len(curve) - 2)
    slope = min((curve[-1] - curve[begin]) / (len(curve) - 1 - begin), _SLOWEST_DB)
    more = np.arange(1, fallen.shape[1] - len(curve) + 1)
    return np.concatenate([curve, curve[-1] + slope * more])


def _steps_to(usual: NDArray[np.float64], fallen_db: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.searchsorted(-usual, -fallen_db).astype(np.float64)
