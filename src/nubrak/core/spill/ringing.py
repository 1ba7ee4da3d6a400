"""Ringing: how a part's own strokes go on sounding, and what of a candidate that explains.

A drum's ring may swell again long after the stroke: modes that beat, a room that answers, a sound with an
echo of its own. It does so after every stroke alike. So the band envelope after the part's own strokes,
relative to each, gives what is due after any stroke; a new stroke stands over it.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from nubrak.core.find import EDGES_HZ, REGIONS, STEP_S, power_at
from nubrak.core.pieces import Piece
from nubrak.core.signal import FLOOR_DB, db_to_power, power_to_db

_LAGS = 50  # of 10 ms
_FRAMES = 2  # steps of the envelope that a level is read over
_AT_LEAST_S = 0.015  # a stroke itself is no ringing
_LOUD_DB = 15.0  # strokes so far under the usual loudest teach no ringing
_AS_LOUD_DB = 6.0  # so loud, the next stroke ends what is followed
_QUANTILE = 0.3  # what most have after them and few stand over: a soft stroke now and then does not count
_FEWEST = 3  # strokes that teach
_MOST = 200  # and as many as make it steady
_LOOK_BACK = 8  # strokes whose ringing may still be heard
_PAST_FRAMES = 10  # steps, the 100 ms before
# Longer nothing is followed; gone is 30 dB down; 6 dB up again is the next stroke.
_LONGEST_RING_S, _GONE_DB, _AGAIN_DB = 4.0, 30.0, 6.0
# An echo is among the next six, softer by so much, no sooner than a flam, and as regular as a wall; one that
# comes sooner than a hand or foot strikes again, hardly softer.
_ECHO_STEPS, _ECHO_DB, _ECHO_FROM_S, _ECHO_WITHIN_S = 6, 4.0, 0.03, 0.002
_AGAIN_S, _SOON_DB, _REGULAR = 0.06, 1.0, 0.2
_CRASH_REGION = 4  # 2 to 6 kHz
_LATER_STEPS = (20, 50)  # a fifth to half a second after
_MOST_DB, _LEAST = 60.0, 1e-14  # no more is told apart, and the power of silence
NOT_DUE_DB = 40.0  # how far over nothing everything stands


def over_ringing(
    band_envelope: NDArray[np.float16], time_s: NDArray[np.float64], own: NDArray[np.float64]
) -> NDArray[np.float64]:
    """How far each candidate at ``time_s`` (n,) stands over what its part's own strokes make ring there, in
    low, middle and high, (n, 3) in dB, ``NOT_DUE_DB`` where nothing is due. ``own`` (n,) is how likely each
    is a stroke of the part's own.

    ``band_envelope`` is (steps, REGIONS) in dBFS.
    """
    out = np.full((len(time_s), 3), NOT_DUE_DB)
    strokes = np.nonzero(own > 0.7)[0]
    if len(strokes) < _FEWEST or not len(band_envelope):
        return out
    here_db = _in_pairs(power_at(band_envelope, time_s, _FRAMES))
    after_db = _template(band_envelope, time_s[strokes], here_db[strokes])
    last = np.searchsorted(time_s[strokes], time_s - _AT_LEAST_S) - 1
    due = np.full_like(out, -np.inf)
    for back in range(_LOOK_BACK):
        row = last - back
        lag = np.round((time_s - time_s[strokes[np.maximum(row, 0)]]) / STEP_S).astype(np.int64)
        rings = (row >= 0) & (lag < _LAGS)
        due[rings] = np.maximum(due[rings], here_db[strokes[row[rings]]] + after_db[lag[rings]])
    return np.clip(np.where(np.isfinite(due), here_db - due, NOT_DUE_DB), -10.0, NOT_DUE_DB)


def over_past(band_envelope: NDArray[np.float16], time_s: NDArray[np.float64]) -> NDArray[np.float64]:
    """How far each candidate stands over the loudest of the 100 ms before it, in low, middle and high, (n, 3)
    in dB.

    ``band_envelope`` is (steps, REGIONS) in dBFS, ``time_s`` (n,).
    """
    if not len(band_envelope):
        return np.full((len(time_s), 3), NOT_DUE_DB)
    before = power_at(band_envelope, time_s - (_PAST_FRAMES + 2) * STEP_S, _PAST_FRAMES)
    return np.clip(_in_pairs(power_at(band_envelope, time_s, _FRAMES)) - _in_pairs(before), -40.0, NOT_DUE_DB)


def echo_share(
    time_s: NDArray[np.float64], level_db: NDArray[np.float64], own: NDArray[np.float64]
) -> NDArray[np.float64]:
    """How regularly something softer follows the part's own strokes just as late as each candidate follows
    the last louder one, (n,): the share of strokes, 0 to 1, that are followed so. No hand is as regular as a
    wall or a ring.

    ``time_s`` and ``level_db`` are (n,), in order of time; ``own`` (n,) is how likely each is a stroke of
    the part's own.
    """
    strokes = np.nonzero(own > 0.7)[0]
    first = _regular(time_s, level_db, strokes)
    # What follows so regularly is none of the strokes it is counted by.
    return np.maximum(first, _regular(time_s, level_db, strokes[first[strokes] < _REGULAR]))


def _regular(
    time_s: NDArray[np.float64], level_db: NDArray[np.float64], strokes: NDArray[np.int64]
) -> NDArray[np.float64]:
    out = np.zeros(len(time_s))
    if len(strokes) < 2 * _FEWEST:
        return out
    begin, lags, rows = time_s[strokes], [], []
    for step in range(1, _ECHO_STEPS + 1):
        later = strokes + step
        inside = later < len(time_s)
        lag = time_s[later[inside]] - begin[inside]
        softer = level_db[strokes[inside]] - level_db[later[inside]]
        softer_by = np.where(lag < _AGAIN_S, _SOON_DB, _ECHO_DB)
        taken = (softer > softer_by) & (lag > _ECHO_FROM_S) & (lag < _LAGS * STEP_S)
        lags.append(lag[taken])
        rows.append(later[inside][taken])
    lag, row = np.concatenate(lags), np.concatenate(rows)
    known = np.sort(lag)
    share = (
        np.searchsorted(known, lag + _ECHO_WITHIN_S, side="right")
        - np.searchsorted(known, lag - _ECHO_WITHIN_S)
    ) / len(strokes)
    np.maximum.at(out, row, np.minimum(share, 1.0))
    return out


def rings_s(
    band_envelope: NDArray[np.float16], time_s: NDArray[np.float64], piece: Piece
) -> NDArray[np.float64]:
    """How long each candidate at ``time_s`` (n,) rings in its piece's own band, (n,) in s: until it has
    fallen ``_GONE_DB``, or until the band envelope rises again, which is the next stroke.
    """
    out = np.full(len(time_s), _LONGEST_RING_S)
    if not len(band_envelope):
        return out
    inside = (EDGES_HZ[1:] > piece.low_hz) & (EDGES_HZ[:-1] < piece.high_hz)
    level = power_to_db((0.5 * db_to_power(band_envelope.astype(np.float64)))[:, inside].sum(axis=1))
    steps = round(_LONGEST_RING_S / STEP_S)
    level = np.concatenate([level, np.full(steps + 2, FLOOR_DB)])
    first = np.floor(time_s / STEP_S + 1e-6).astype(np.int64)
    after = level[np.minimum(first[:, None] + np.arange(steps), len(level) - 1)]
    loudest = after[:, :3].max(axis=1, keepdims=True)
    least = np.minimum.accumulate(after, axis=1)
    over = (after < loudest - _GONE_DB) | (after > least + _AGAIN_DB)
    over[:, :3] = False
    return np.where(over.any(axis=1), over.argmax(axis=1) * STEP_S, out)


def _in_pairs(power: NDArray[np.float64]) -> NDArray[np.float64]:
    """Power per region (..., REGIONS) as levels of low, middle and high, (..., 3)."""
    return power_to_db(power.reshape(*power.shape[:-1], REGIONS // 2, 2).sum(axis=-1))


def _template(
    band_envelope: NDArray[np.float16], at_s: NDArray[np.float64], level_db: NDArray[np.float64]
) -> NDArray[np.float64]:
    """The band envelope after a stroke relative to it, (_LAGS, 3) in dB, from strokes at ``at_s`` (m,) of
    ``level_db`` (m, 3).

    A stroke is followed until the next that is about as loud. What lies between, soft strokes or a swelling,
    is told apart by how regular it is: the template keeps to what most strokes have after them.
    """
    whole = level_db.max(axis=1)
    usual = np.percentile(whole, 80)
    rows = np.nonzero(whole > usual - _LOUD_DB)[0][:_MOST]
    until = np.full(len(rows), np.inf)
    for number, row in enumerate(rows):
        later = np.nonzero(whole[row + 1 : row + 9] > whole[row] - _AS_LOUD_DB)[0]
        if len(later):
            until[number] = at_s[row + 1 + later[0]] - at_s[row]
    lags = np.arange(_LAGS)
    times = at_s[rows][:, None] + lags * STEP_S
    after = (
        _in_pairs(power_at(band_envelope, times.ravel(), _FRAMES)).reshape(len(rows), _LAGS, 3)
        - level_db[rows][:, None]
    )
    after[lags * STEP_S > until[:, None] - 0.035] = np.inf
    heard = np.isfinite(after[..., 0]).sum(axis=0)
    # The quantile of those that are still followed: the others are sorted behind them.
    place = _QUANTILE * np.maximum(heard - 1, 0)
    low = np.floor(place).astype(np.int64)
    after.sort(axis=0)
    below, above = (
        np.take_along_axis(after, at[None, :, None], axis=0)[0]
        for at in (low, np.minimum(low + 1, np.maximum(heard - 1, 0)))
    )
    enough = (heard >= _FEWEST)[:, None]
    below, above = np.where(enough, below, 0.0), np.where(enough, above, 0.0)
    return np.where(enough, below + (above - below) * (place - low)[:, None], -np.inf)


def sustain_ratio(
    band_envelope: NDArray[np.float16], time_s: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """How far what begins at each time (n,) still stands over what was before, a fifth to half a second
    later, in dB, (n,); and how far it then stands over its own first 40 ms, (n,). Only a crash does not fall
    meanwhile: both in the region where it is loudest.

    ``band_envelope`` is (steps, REGIONS) in dBFS.
    """
    level = band_envelope[:, _CRASH_REGION].astype(np.float64)
    power = 0.5 * db_to_power(level)
    if len(power) < _LATER_STEPS[1]:
        return np.zeros(len(time_s)), np.full(len(time_s), -_MOST_DB)
    at = np.floor(time_s / STEP_S + 1e-6).astype(np.int64)
    sums = np.concatenate([[0.0], np.cumsum(power)])

    def mean(first: int, last: int) -> NDArray[np.float64]:
        begin, end = np.clip(at + first, 0, len(power) - 1), np.clip(at + last, 1, len(power))
        return np.asarray((sums[end] - sums[np.minimum(begin, end - 1)]) / np.maximum(end - begin, 1))

    before, now, later = mean(-15, -1), mean(0, 4), mean(*_LATER_STEPS)
    rows = np.clip(at[:, None] + np.arange(*_LATER_STEPS), 0, len(power) - 1)
    usual_later = np.median(power[rows], axis=1)
    over = 10.0 * np.log10(np.maximum(np.minimum(now, later), _LEAST) / np.maximum(before, _LEAST))
    holds = 10.0 * np.log10(np.maximum(usual_later, _LEAST) / np.maximum(now, _LEAST))
    return np.clip(over, -_MOST_DB, _MOST_DB), np.clip(holds, -_MOST_DB, _MOST_DB)
