"""Sameness: which hits of a part are one and the same recorded sound, as in programmed drums; told by
subtracting one from the other.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.fft import next_fast_len, rfft

from nubrak.core.signal import cross_correlation, power_ratio_to_db, windows_at

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
_MOST_GROUPS = 64  # sounds of one part; a programmed one has a handful


@dataclass(frozen=True)
class Sameness:
    """Groups of hits that null: ``group`` (n,) the group of each hit or -1, ``residual_db`` (n,) what is left
    of each when the first of its group, brought to its level and place, is taken off, 0 where there is no
    group.
    """

    group: NDArray[np.int64]
    residual_db: NDArray[np.float64]

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
    next one begins. Where many in a row have no copy, the rest is taken for played as well.
    """
    count = len(attack_s)
    group, left_db = np.full(count, -1, np.int64), np.zeros(count)
    if count < 2:
        return Sameness(group, left_db)
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
