"""Calibration: which strokes of which pieces ten seconds hold, in which somebody plays each drum softly and
hard, in any order.

Every stroke is heard by all microphones at once, in a pattern of levels that is its piece's own and that only
shifts as a whole when it is struck harder. Strokes of one pattern are gathered (average linkage: Sokal and
Michener, 1958), and each pattern is given to the microphone that it is loudest in, all of them together
(Kuhn, "The Hungarian method for the assignment problem", 1955).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.cluster.hierarchy import fcluster, linkage
from scipy.ndimage import maximum_filter1d
from scipy.optimize import linear_sum_assignment
from scipy.spatial.distance import squareform

from nubrak.core.signal import power_ratio_to_db

BEFORE, GAP = 24, 3  # hops that tell what rang before, and those between them and the attack
ARRIVES_HOPS = 18  # 12 ms: the way of the sound through a kit
_ONE_STROKE_HOPS = 45  # 30 ms: what leaps within is one stroke, heard by several microphones
_APART_HOPS = 70  # what is loudest for 50 ms to each side may be a stroke
_BEFORE_HOPS, _RISES_HOPS = 40, 20  # 28 ms of what was before, and 14 ms of rising
_LEAPS_DB, _SPAN_DB = 4.0, 40.0  # over what was before; under the loudest of its microphone
_SOFTEST_DB = 24.0  # under the loudest of its piece: who plays softly and hard spans less (common practice)
_CLEAR_DB = 6.0  # what stands so far over the noise is part of a pattern
_ALIKE_DB = 4.0  # strokes of one piece differ by less, band by band, once they are brought to one level
_SPARE = 4  # patterns more than microphones: of what is no piece's
_MOST_EVENTS = 400
_COMMON_DB = 3.0  # what a pattern is worth to a microphone for each doubling of its strokes
_ASKED_DB = 12.0  # and what it is to come when it was asked for
_EARLY_HOPS, _LATE_HOPS = 140, 700  # a tenth and half of a second
_LEAST = 1e-13


def onset_power(
    levels: NDArray[np.float64], at: NDArray[np.int64], first: int, last: int
) -> NDArray[np.float64]:
    """The loudest hop after hops ``at`` (n,) of ``levels`` (hops, …), over what rang before, (n, …)."""
    now = levels[at[:, None] + np.arange(first, last + 1)].max(axis=1)
    before = levels[at[:, None] - np.arange(GAP, GAP + BEFORE)].mean(axis=1)
    return np.asarray(np.maximum(now - before, 0.005 * now))


def strokes_played(
    levels: NDArray[np.float64], inside: NDArray[np.float64], asked: NDArray[np.int64] | None = None
) -> list[NDArray[np.int64]]:
    """The hops at which each piece was struck, one array for each microphone, by the levels (hops, c, BANDS)
    of drums that were played one after the other; ``inside`` (c, BANDS) is what each part listens to,
    ``asked`` (c, 2) from which hop to which each was asked for; a hand may be late.
    """
    channels = levels.shape[1]
    none = [np.zeros(0, np.int64) for _ in range(channels)]
    at = _events(np.einsum("tcb,cb->tc", levels, inside))
    at = at[(at > GAP + BEFORE + 5) & (at < len(levels) - 2 * ARRIVES_HOPS)]
    if not len(at):
        return none
    power = onset_power(levels, at, -2, ARRIVES_HOPS + 8)
    whole_db = power_ratio_to_db(np.einsum("ecb,cb->ec", power, inside) + _LEAST, _LEAST)
    due = np.zeros((len(at), channels), bool)
    if asked is not None:
        due = (at[:, None] > asked[:, 0] - _EARLY_HOPS) & (at[:, None] < asked[:, 1] + _LATE_HOPS)
    group = _gathered(power, np.percentile(levels, 10.0, axis=0))
    loudest = whole_db.max(axis=0)
    names = np.unique(group)
    worth = np.stack(
        [
            np.percentile(whole_db[group == one], 75, axis=0)
            - loudest
            + _COMMON_DB * float(np.log2(min(int(np.count_nonzero(group == one)), 4)))
            + _ASKED_DB * due[group == one].mean(axis=0)
            for one in names
        ]
    )
    patterns, microphones = linear_sum_assignment(-worth)
    out = none
    for k, c in zip(patterns.tolist(), microphones.tolist(), strict=True):
        rows = np.nonzero(group == names[k])[0]
        rows = rows[due[rows, c]] if due[rows, c].any() else rows
        level = whole_db[rows, c]
        kept = at[rows[level > level.max() - _SOFTEST_DB]]
        out[c] = np.array([_opens(levels[:, c] @ inside[c], int(one)) for one in kept], np.int64)
    return out


def _events(whole: NDArray[np.float64]) -> NDArray[np.int64]:
    """The hops in which something is struck, by power (hops, c)."""
    whole_db = power_ratio_to_db(whole + _LEAST, _LEAST)
    if not len(whole_db):
        return np.zeros(0, np.int64)
    # Over all that was shortly before, the rise itself left out: what swells or beats is no stroke.
    most = maximum_filter1d(whole_db, _BEFORE_HOPS, axis=0, origin=0)
    before_db = np.full_like(whole_db, -130.0)
    shift = _RISES_HOPS + _BEFORE_HOPS // 2
    before_db[shift:] = most[:-shift]
    loudest = whole_db.max(axis=0)
    peaks = (whole_db == maximum_filter1d(whole_db, 2 * _APART_HOPS + 1, axis=0)) & (
        whole_db > loudest - _SPAN_DB
    )
    at, channel = np.nonzero(peaks & (whole_db - before_db > _LEAPS_DB))
    relative = whole_db[at, channel] - loudest[channel]
    out, k = [], 0
    while k < len(at):
        together = np.nonzero((at >= at[k]) & (at < at[k] + _ONE_STROKE_HOPS))[0]
        best = int(together[int(np.argmax(relative[together]))])
        out.append((float(relative[best]), _opens(whole[:, channel[best]], int(at[best]))))
        k = int(together[-1]) + 1
    # The loudest of very many: what is left out is noise.
    return np.array(sorted(hop for _, hop in sorted(out)[-_MOST_EVENTS:]), np.int64)


def _opens(whole: NDArray[np.float64], near: int) -> int:
    """The hop in which the rise to the loudest near a hop begins to stand out."""
    peak = max(near - 4, 0) + int(np.argmax(whole[max(near - 4, 0) : near + ARRIVES_HOPS]))
    first = max(peak - 2 * ARRIVES_HOPS, 0)
    line = max(0.03 * whole[peak], 1.5 * whole[max(first - BEFORE, 0) : first].max(initial=0.0))
    over = np.nonzero(whole[first : peak + 1] > line)[0]
    return first + int(over[0]) if len(over) else peak


def _gathered(power: NDArray[np.float64], noise: NDArray[np.float64]) -> NDArray[np.int64]:
    """Which strokes (n, c, BANDS) are of one pattern, (n,) numbers."""
    count = len(power)
    if count == 1:
        return np.ones(1, np.int64)
    flat = power_ratio_to_db(power.reshape(count, -1) + _LEAST, _LEAST)
    clear = flat > power_ratio_to_db(noise.reshape(-1) + _LEAST, _LEAST) + _CLEAR_DB
    apart = np.zeros((count, count))
    for row in range(count):
        both = clear | clear[row]
        off = np.where(both, flat - flat[row], np.nan)
        # Struck harder, all of it is louder by as much; what is under the noise in one says little.
        off -= np.nanmedian(np.where(clear & clear[row], flat - flat[row], np.nan), axis=1, keepdims=True)
        apart[row] = np.nanmean(np.minimum(np.abs(off), 15.0), axis=1)
    apart = np.nan_to_num(0.5 * (apart + apart.T), nan=15.0)
    np.fill_diagonal(apart, 0.0)
    tree = linkage(squareform(apart, checks=False), "average")
    found = fcluster(tree, _ALIKE_DB, "distance")
    most = power.shape[1] + _SPARE
    return np.asarray(found if found.max() <= most else fcluster(tree, most, "maxclust"), np.int64)
