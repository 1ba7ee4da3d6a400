"""Ringing out: how long each stroke of a source goes on sounding, told from that recording.

A stroke is followed for as long as nothing else is heard over it and it is louder than what the others put
there as a rule; where it then still rings, it goes on as the source's other strokes do from the same level
on. What is heard of those is more than the drum itself wherever others sound as well, so the ones that fall
soonest say how it falls. So a floor tom is long and a closed hat is short, and an open hat among closed ones
is as long as it is. A soft stroke is over when it is as far under the usual ones as they are when they are.
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
_USUAL_PERCENTILE = 75  # of a source's strokes: as loud as it is usually struck
_LEAST_DB = 24.0  # even the softest stroke is left until it has fallen so far
_OTHERS_OVER_DB = 10.0  # over what the drum itself is by then: others are heard
_OTHERS_PERCENTILE, _FEWEST_STEPS = 60, 50
_SOONEST_PERCENTILE = 25  # of strokes: nothing else was heard with those
_HEARD_SHARE = 0.35
_FEWEST = 3  # strokes that say how the others go on
_LAST_DB = 10.0  # of what is known, to go on from where nothing is known any more
_LEVELS_WITHIN = round(0.2 / STEP_S)
_FLAT_SHARE = 0.12  # of how fast it fell until there
_FALLEN_FIRST_DB = 22.0  # nearer to the stroke what is flat is its own: a ride's wash under its ping
_FLAT_DB = 10.0 * STEP_S  # a step: a cymbal's wash falls by more than 10 dB a second
_OVER_KNEE_DB = 4.0  # so far over where it is flat, the floor does not bend it yet
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
    long_level = np.concatenate([level, np.full(_STEPS + 1, FLOOR_DB)])
    until_s = _until(time_s, others_s)
    shown = np.unique(np.linspace(0, len(time_s) - 1, min(len(time_s), _MOST)).astype(np.int64))
    usual = _usual(*_followed(long_level, time_s[shown], until_s[shown], floor), until_s[shown])
    loudest = _loudest(long_level, time_s)
    # Now that it is known when the drum itself is over, what is left there is the others'.
    floor = max(floor, _others_db(level, time_s, loudest, usual))
    usual = _usual(*_followed(long_level, time_s[shown], until_s[shown], floor), until_s[shown])
    soft_db = np.maximum(np.percentile(loudest, _USUAL_PERCENTILE) - loudest, 0.0)
    fallen_by = np.maximum(fallen_db - soft_db, min(_LEAST_DB, fallen_db))
    out = np.empty(len(time_s))
    for at in range(0, len(time_s), _AT_ONCE):
        part = slice(at, at + _AT_ONCE)
        fallen, heard = _followed(long_level, time_s[part], until_s[part], floor)
        there = heard & (fallen <= -fallen_by[part, None])
        last = np.maximum(heard.sum(axis=1) - 1, 0)
        so_far = np.where(heard[:, 0], fallen[np.arange(len(last)), last], 0.0)
        # From the level it was last heard at, as the others went on from there.
        left = _steps_to(usual, -fallen_by[part]) - _steps_to(usual, np.minimum(so_far, 0.0))
        ends = np.where(there.any(axis=1), there.argmax(axis=1), last + np.maximum(left, 0.0))
        out[part] = np.minimum((ends + 1.0) * STEP_S, LONGEST_S)
    return out


def _loudest(level: NDArray[np.float64], time_s: NDArray[np.float64]) -> NDArray[np.float64]:
    """How loud strokes get, (n,) in dB."""
    first = np.floor(time_s / STEP_S + 1e-6).astype(np.int64)
    rows = np.clip(first[:, None] + np.arange(_LOUDEST_WITHIN), 0, len(level) - 1)
    return np.asarray(level[rows].max(axis=1))


def _others_db(
    level: NDArray[np.float64],
    time_s: NDArray[np.float64],
    loudest: NDArray[np.float64],
    usual: NDArray[np.float64],
) -> float:
    """How loud it is, in dB, where strokes that fall as usual have all fallen far under what is heard."""
    at = np.arange(len(level))
    first = np.floor(time_s / STEP_S + 1e-6).astype(np.int64)
    last = np.searchsorted(first, at, side="right") - 1
    since = at - first[np.maximum(last, 0)]
    own = np.where(
        last >= 0, loudest[np.maximum(last, 0)] + usual[np.clip(since, 0, len(usual) - 1)], FLOOR_DB
    )
    ahead = np.append(first, len(level) + _STEPS)[last + 1] - at
    theirs = (level > own + _OTHERS_OVER_DB) & (ahead > _WINDOW_STEPS)
    if theirs.sum() < _FEWEST_STEPS:
        return FLOOR_DB
    return float(np.percentile(level[theirs], _OTHERS_PERCENTILE))


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
    until = _until_steps(until_s)
    softest = np.minimum.accumulate(after, axis=1)
    over = (after > softest + _AGAIN_DB) | (after < floor)
    over[:, :_LOUDEST_WITHIN] = False
    over |= np.arange(_STEPS) >= until[:, None]
    return np.logical_not(np.logical_or.accumulate(over, axis=1))


def _until_steps(until_s: NDArray[np.float64]) -> NDArray[np.int64]:
    """The steps in which nothing but the stroke was struck, (n,)."""
    return np.asarray(np.minimum(until_s / STEP_S, _STEPS + _WINDOW_STEPS).astype(np.int64) - _WINDOW_STEPS)


def _usual(
    fallen: NDArray[np.float64], heard: NDArray[np.bool_], until_s: NDArray[np.float64]
) -> NDArray[np.float64]:
    """How far strokes have fallen at each step as a rule, (steps,), never up again; and from where nothing is
    known, as steeply as before.
    """
    # Those that are heard when most have gone under the floor are not as strokes are as a rule.
    left = _until_steps(until_s)[:, None] > np.arange(fallen.shape[1])
    enough = np.maximum(left.sum(axis=0) * _HEARD_SHARE, min(_FEWEST, len(fallen)))
    known = int(np.argmin(np.append(heard.sum(axis=0) >= enough, False)))
    curve = np.array(
        [
            np.percentile(fallen[heard[:, step], step], _SOONEST_PERCENTILE)
            for step in range(max(known, 1))
            if known
        ]
    )
    if len(curve) < 2:
        curve = np.zeros(2)
    curve = _without_floor(np.minimum.accumulate(np.minimum(curve, 0.0)))
    begin = min(int(np.searchsorted(-curve, -curve[-1] - _LAST_DB)), len(curve) - 2)
    slope = min((curve[-1] - curve[begin]) / (len(curve) - 1 - begin), _SLOWEST_DB)
    more = np.arange(1, fallen.shape[1] - len(curve) + 1)
    return np.concatenate([curve, curve[-1] + slope * more])


def _without_floor(curve: NDArray[np.float64]) -> NDArray[np.float64]:
    """A curve (steps,) that never rises, until shortly before it stops falling: from there on it is the room,
    the amplifiers and the others that are heard. A drum's own tail falls more slowly than its stroke, but it
    falls.
    """
    step = np.arange(1, len(curve))
    ahead = np.minimum(step + _LEVELS_WITHIN, len(curve) - 1)
    long_enough = ahead - step >= _LEVELS_WITHIN // 2
    falls = (curve[step] - curve[ahead]) / np.maximum(ahead - step, 1)
    flat = (
        long_enough
        & (falls < np.minimum(_FLAT_SHARE * -curve[step] / step, _FLAT_DB))
        & (curve[step] < -_FALLEN_FIRST_DB)
    )
    if not flat.any():
        return curve
    over = curve > curve[step[int(np.argmax(flat))]] + _OVER_KNEE_DB
    return curve[: max(int(np.argmin(np.append(over, False))), 2)]


def _steps_to(usual: NDArray[np.float64], fallen_db: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.searchsorted(-usual, -fallen_db).astype(np.float64)
