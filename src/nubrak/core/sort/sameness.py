"""Sameness: which hits of a part are one and the same recorded sound, as in programmed drums; told by
subtracting one from the other.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.fft import next_fast_len, rfft

from nubrak.core.signal import cross_correlation, power_ratio_to_db, windows_at
from nubrak.core.sort.ringing_over import fit_one_sound, is_noise, left_of

# What is left of a stroke after taking another off: under this nobody hears two sounds (common practice).
SAME_DB = -30.0
_LENGTH_S = 0.12  # what of a stroke is compared
_LEAST_S = 0.02  # and at least, where the next one is near
_REACH_S = 0.004  # how far two may be laid from their attacks: each is timed to a millisecond or two
_FIRST_REACHES = 5  # 20 ms: most of a stroke, and a fifth of what is compared
_LOOKS, _ROUNDS = 9, 2  # to 1/64 of a sample, and by a parabola far closer
_NEARLY = 0.05  # of its energy left at whole samples: between them it may be nothing
_ALIKE = 0.985  # of 1: the same sound stays over 0.99 as far off as two may be laid
_MOST_ALONE = 40  # strokes in a row without a copy: then a player played them
# Strokes that are fitted at once, and before them those whose ringing is heard under them.
_AT_ONCE, _AT_ONCE_S, _BEFORE = 96, 30.0, 12
_FEWEST = 6  # strokes that one sound is fitted to
_SAME_NOISE_DB = -15.0  # of what is left, where two strokes of noise have nothing in common
_NEAR_DB = -6.0  # more is left of a stroke: another sound, which the fit is better without
_AFTER_S = 4.0  # of what rings after the last
_PART = 4  # a sound of a quarter of the strokes is fitted by itself
_MOST_GROUPS = 64  # sounds of one part; a programmed one has a handful

# Strokes that differ by less are at one level (common practice: a player's differ by several dB), and how
# many there must be to say so.
_FLAT_DB, _FEW_TO_COMPARE = 1.5, 8


@dataclass(frozen=True)
class Sameness:
    """Groups of hits that null: ``group`` (n,) the group of each hit or -1, ``residual_db`` (n,) what is left
    of each when the first of its group, brought to its level and place, is taken off, 0 where there is no
    group.
    """

    group: NDArray[np.int64]
    residual_db: NDArray[np.float64]

    @property
    def copies(self) -> int:
        """How many hits have a copy."""
        return int(np.count_nonzero(self.group >= 0))

    @property
    def groups(self) -> int:
        """How many sounds they are copies of."""
        return len(np.unique(self.group[self.group >= 0]))

    @property
    def programmed(self) -> bool:
        """Whether at least half of the hits are copies of few sounds."""
        return len(self.group) >= 4 and float(np.mean(self.group >= 0)) >= 0.5


def same_sounds(mono: NDArray[np.float32], attack_s: NDArray[np.float64], rate_hz: int) -> Sameness:
    """The null test over the hits at ``attack_s`` (n,), in order, of ``mono`` (frames,).

    Each hit not yet in a group is laid over every other at the place and level that leave least
    (cross-correlation, refined between samples by band-limited interpolation, since a sample placed on a grid
    of ticks rarely starts on a sample), and those that leave less than ``SAME_DB`` of their energy are its
    group. Level may differ: a sample at another velocity is the same sound. Strokes are compared until the
    next one begins. Those that are left are compared once more with what rings under them taken off, by
    fitting one sound to all.
    """
    if len(attack_s) < 2:
        return Sameness(np.full(len(attack_s), -1, np.int64), np.zeros(len(attack_s)))
    return _with_those_that_ring(mono, attack_s, rate_hz, by_pairs(mono, attack_s, rate_hz))


def what_is_same(told: Sameness, strength_db: NDArray[np.float64]) -> str:
    """What is copied, and whether the levels (n,) of the strokes differ: one does not say the other."""
    count, copies, groups = len(told.group), told.copies, told.groups
    if not count:
        return "The part has no hits yet."
    low_db, high_db = np.percentile(strength_db, [5, 95])
    spread_db = float(high_db - low_db)
    flat = count >= _FEW_TO_COMPARE and spread_db < _FLAT_DB
    give = " Recovery and Accents below give them a player's."
    if not copies:
        if not flat:
            return "Every stroke is a sound of its own, as a player's are."
        return (
            f"Every stroke is a sound of its own, but nearly all lie within {spread_db:.1f} dB: their levels "
            f"were made even.{give}"
        )
    worst = float(told.residual_db[told.group >= 0].max())
    said = (
        f"{copies} of {count} hits are copies of {groups} sound{'' if groups == 1 else 's'}: taken off each "
        f"other, {worst:.0f} dB or less is left."
    ).replace("-", "−")
    if flat:
        return f"{said} Nearly all lie within {spread_db:.1f} dB: their levels are programmed.{give}"
    return f"{said} Their levels differ by {spread_db:.0f} dB." if told.programmed else said


def by_pairs(mono: NDArray[np.float32], attack_s: NDArray[np.float64], rate_hz: int) -> Sameness:
    """The null test by laying each hit over every other, whatever rings under them. Where many in a row have
    no copy, the rest is taken for played as well.
    """
    count = len(attack_s)
    group, left_db = np.full(count, -1, np.int64), np.zeros(count)
    begins = np.round(attack_s * rate_hz).astype(np.int64)
    gaps = np.append(np.diff(attack_s), _LENGTH_S)
    reach = round(_REACH_S * rate_hz)
    whole = round(_LENGTH_S * rate_hz)
    length = np.clip(((gaps - _REACH_S) * rate_hz).astype(np.int64), round(_LEAST_S * rate_hz), whole)
    windows = windows_at(mono, begins - reach, whole + 2 * reach).astype(np.float64)
    heads = _magnitudes(windows[:, : round(_LEAST_S * rate_hz) + 2 * reach])
    open_rows = np.argsort(-length, kind="stable").tolist()
    number = alone = 0
    tried: set[int] = set()
    while open_rows and number < _MOST_GROUPS and alone < _MOST_ALONE:
        first = open_rows.pop(0)
        if first in tried:
            continue
        tried.add(first)
        alone += 1
        others = np.nonzero((heads @ heads[first] > _ALIKE) & (group < 0))[0]
        others = others[others != first]
        if not len(others):
            continue
        residual = _left_db(windows[first], windows[others], np.minimum(length[others], length[first]), reach)
        same = others[residual < SAME_DB]
        if not len(same):
            continue
        alone = 0
        group[first], left_db[first] = number, -120.0
        group[same], left_db[same] = number, residual[residual < SAME_DB]
        open_rows = [row for row in open_rows if group[row] < 0]
        number += 1
    return Sameness(group, left_db)


def _with_those_that_ring(
    mono: NDArray[np.float32], attack_s: NDArray[np.float64], rate_hz: int, pairs: Sameness
) -> Sameness:
    """The groups with the strokes that are copies only once what rings under them is taken off."""
    group, left_db = pairs.group.copy(), pairs.residual_db.copy()
    # Groups of a few strokes that ring alike may be parts of one: all are tried as one sound first.
    group, left_db = _fitted(mono, attack_s, rate_hz, group, left_db, np.arange(len(group)))
    sizes = np.bincount(group[group >= 0], minlength=1)
    most = max(_FEWEST, len(group) // _PART)
    several = [number for number in np.argsort(-sizes, kind="stable").tolist() if sizes[number] >= most]
    for number in several if (sizes > 0).sum() > 1 else []:
        rows = np.nonzero((group == number) | (group < 0))[0]
        group, left_db = _fitted(mono, attack_s, rate_hz, group, left_db, rows)
    return Sameness(group, left_db)


def _fitted(
    mono: NDArray[np.float32],
    attack_s: NDArray[np.float64],
    rate_hz: int,
    group: NDArray[np.int64],
    left_db: NDArray[np.float64],
    rows: NDArray[np.int64],
) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """Groups and what is left, (n,) each, once these rows were tried as one sound, so many at once."""
    group, left_db = group.copy(), left_db.copy()
    end = 0
    while end < len(rows):
        begin = end
        end = min(begin + _AT_ONCE, int(np.searchsorted(attack_s[rows], attack_s[rows[begin]] + _AT_ONCE_S)))
        judged = rows[begin:end]
        before = np.searchsorted(attack_s[rows], attack_s[rows[begin]] - _AFTER_S)
        block = rows[max(begin - _BEFORE, int(before)) : end]
        if len(block) < _FEWEST or not (group[judged] < 0).any():
            continue
        fitted = _fitted_db(mono, attack_s, block, rate_hz)[-len(judged) :]
        same = judged[fitted < 0.0]
        if len(same) < 2 or not (group[same] < 0).any():
            # What a player played here, he did before and after.
            break
        known = np.unique(group[same][group[same] >= 0])
        number = int(known[0]) if len(known) else int(group.max()) + 1
        alone = same[group[same] < 0]
        left_db[alone] = fitted[np.isin(judged, alone)]
        group[same] = number
        group[np.isin(group, known)] = number
    return np.unique(group, return_inverse=True)[1] - int((group < 0).any()), left_db


def _fitted_db(
    mono: NDArray[np.float32], attack_s: NDArray[np.float64], rows: NDArray[np.int64], rate_hz: int
) -> NDArray[np.float64]:
    """What is left of each of these strokes, (m,) in dB, when one sound explains them all; 0 where it does
    not.
    """
    gaps_s = np.append(np.diff(attack_s), _LENGTH_S)[rows] - _REACH_S
    window = np.clip(
        (gaps_s * rate_hz).astype(np.int64), round(_LEAST_S * rate_hz), round(_LENGTH_S * rate_hz)
    )
    first = max(round((attack_s[rows[0]] - _LENGTH_S) * rate_hz), 0)
    end = round((attack_s[rows[-1]] + _AFTER_S) * rate_hz)
    heard = mono[first:end].astype(np.float64)
    place = attack_s[rows] * rate_hz - first
    out = np.zeros(len(rows))
    if not heard.any():
        return out
    inside = np.arange(len(rows))
    # Once with all of them, once more with those alone that it explains.
    for _ in range(2):
        fit = fit_one_sound(heard, place[inside], window[inside], rate_hz)
        left = power_ratio_to_db(left_of(heard, fit, window[inside]))
        limit_db = _SAME_NOISE_DB if is_noise(fit.sound, round(_LENGTH_S * rate_hz)) else SAME_DB
        same = left < limit_db
        if same.all() or np.count_nonzero(left < _NEAR_DB) < _FEWEST:
            break
        inside, left, same = inside[left < _NEAR_DB], left[left < _NEAR_DB], same[left < _NEAR_DB]
    out[inside[same]] = left[same]
    return out


def _magnitudes(heads: NDArray[np.float64]) -> NDArray[np.float32]:
    """How much of each frequency the heads of strokes (n, columns) hold, (n, frequencies), of length 1 each:
    the product of two says whether they may be the same at all.

    What two signals have in common at any place is at most the sum over frequencies of the product of their
    magnitudes (Cauchy and Schwarz), so two that null are all but equal in these; two strokes of noise are at
    pi / 4, the mean of a Rayleigh pair's product over its power.
    """
    columns = heads.shape[1]
    # Fades out, so that what a window's end cuts off weighs little where one lies a little later.
    taper = np.cos(np.linspace(0.0, np.pi / 2, columns)) ** 2
    magnitude = np.abs(rfft(heads * taper, axis=1)).astype(np.float32)
    return np.asarray(magnitude / np.maximum(np.linalg.norm(magnitude, axis=1, keepdims=True), 1e-20))


def _left_db(
    model: NDArray[np.float64], rows: NDArray[np.float64], length: NDArray[np.int64], reach: int
) -> NDArray[np.float64]:
    """What is left of each row (m, columns) over its ``length`` (m,) when ``model`` (columns,) at its best
    place and level is taken off, in dB; 0 where it is far from nothing.
    """
    out = np.zeros(len(rows))
    likely = np.nonzero(_may_be_same(model, rows, length, reach))[0]
    for size in np.unique(length[likely]):
        which = likely[length[likely] == size]
        head = model[reach : reach + size]
        share, place = _left_share(head, rows[which], 2 * reach + 1)
        near = np.nonzero(share < _NEARLY)[0]
        if len(near):
            columns = place[near][:, None] + np.arange(size)
            heard = np.take_along_axis(rows[which[near]], columns, axis=1)
            share[near] = np.minimum(share[near], _between_samples(head, heard))
        out[which] = power_ratio_to_db(share)
    return out


def _may_be_same(
    model: NDArray[np.float64], rows: NDArray[np.float64], length: NDArray[np.int64], reach: int
) -> NDArray[np.bool_]:
    """Which rows (m, columns) may be the model, (m,), by their first stretch alone.

    What is left of the first stretch at its own best place and level is at most what is left of it at the
    best of the whole. So where that alone is too much of the whole row's energy, the whole is too far.
    """
    size = min(int(length.min()), _FIRST_REACHES * reach)
    share, place = _left_share(model[reach : reach + size], rows[:, : size + 2 * reach], 2 * reach + 1)
    energy = np.cumsum(rows * rows, axis=1)
    at = np.arange(len(rows))
    first = energy[at, place + size - 1] - energy[at, place]
    most = energy[at, np.minimum(length + 2 * reach, rows.shape[1]) - 1]
    return np.asarray(share * first < _NEARLY * np.maximum(most, 1e-20))


def _left_share(
    head: NDArray[np.float64], rows: NDArray[np.float64], lags: int
) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """The share of each row's energy (m,) that is left when ``head`` (size,) is taken off at its best place,
    and that place, (m,).
    """
    fit = cross_correlation(rows, head, lags)
    place = np.abs(fit).argmax(axis=1)
    sums = np.concatenate([np.zeros((len(rows), 1)), np.cumsum(rows * rows, axis=1)], axis=1)
    at = np.arange(len(rows))
    energy = np.maximum(sums[at, place + len(head)] - sums[at, place], 1e-20)
    taken = fit[at, place] ** 2 / (max(float(head @ head), 1e-20) * energy)
    return np.maximum(1.0 - taken, 0.0), place


def _between_samples(head: NDArray[np.float64], heard: NDArray[np.float64]) -> NDArray[np.float64]:
    """The share left of each row (m, size) when ``head`` (size,) may also lie between samples, (m,).

    The product of both at any offset is a sum over their cross spectrum: the offset is narrowed down by a few
    looks around the best so far, without shifting anything.
    """
    size = next_fast_len(2 * len(head), real=True)
    spectrum = rfft(head, size)
    cross = np.conj(rfft(heard, size)) * spectrum
    weight = np.full(cross.shape[1], 2.0 / size)
    weight[0] = weight[-1] = 1.0 / size
    cross *= weight
    turn = -2j * np.pi * np.arange(cross.shape[1]) / size
    energy = np.maximum(float(head @ head) * np.einsum("ij,ij->i", heard, heard), 1e-20)
    centre, width, best = np.zeros(len(heard)), 1.0, np.zeros(len(heard))
    looks = np.linspace(-1.0, 1.0, _LOOKS)
    for _ in range(_ROUNDS):
        # The turn of each look is one step on from the one before.
        step = np.exp(turn * (width * (looks[1] - looks[0])))
        now = cross * np.exp(turn[None] * (centre - width)[:, None])
        fits = np.empty((_LOOKS, len(heard)))
        for number in range(_LOOKS):
            fits[number] = now.real.sum(axis=1)
            now *= step
        centre, best = _top(fits, centre, width, best)
        width *= 2.0 / (_LOOKS - 1)
    return np.maximum(1.0 - best / energy, 0.0)


def _top(
    fits: NDArray[np.float64], centre: NDArray[np.float64], width: float, best: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Where between the looks (looks, m) from ``centre - width`` to ``centre + width`` the square of the
    product is largest, by a parabola through the best and its neighbours, and how large it is there.
    """
    at, rows = np.clip((fits**2).argmax(axis=0), 1, len(fits) - 2), np.arange(fits.shape[1])
    before, top, after = fits[at - 1, rows], fits[at, rows], fits[at + 1, rows]
    bend = before - 2.0 * top + after
    off = np.clip(0.5 * (before - after) / np.where(bend == 0.0, np.inf, bend), -1.0, 1.0)
    peak = top - 0.25 * (before - after) * off
    step = 2.0 * width / (len(fits) - 1)
    return centre - width + (at + off) * step, np.maximum(best, np.maximum(peak**2, (fits**2).max(axis=0)))
