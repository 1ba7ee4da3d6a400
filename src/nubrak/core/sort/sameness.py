"""Sameness: which hits of a part are one and the same recorded sound, as in programmed drums; told by
subtracting one from the other.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.fft import irfft, next_fast_len, rfft

from nubrak.core.signal import cross_correlation, power_ratio_to_db, windows_at

# What is left of a stroke after taking another off: under this nobody hears two sounds (common practice).
SAME_DB = -30.0
_LENGTH_S = 0.12
_LEAST_S = 0.02
_REACH_S = 0.004
_FINE = 16
_ROUNDS = 4
_MOST_GROUPS = 64


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
    next one begins.
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
    open_rows = np.argsort(-length, kind="stable").tolist()
    number = 0
    tried: set[int] = set()
    while open_rows and number < _MOST_GROUPS:
        first = open_rows.pop(0)
        if first in tried:
            continue
        tried.add(first)
        others = np.array([row for row in range(count) if group[row] < 0 and row != first], np.int64)
        if not len(others):
            break
        residual = _left_db(windows[first], windows[others], np.minimum(length[others], length[first]), reach)
        same = others[residual < SAME_DB]
        if not len(same):
            continue
        group[first], left_db[first] = number, -120.0
        group[same], left_db[same] = number, residual[residual < SAME_DB]
        open_rows = [row for row in open_rows if group[row] < 0]
        number += 1
    return Sameness(group, left_db)


def _left_db(
    model: NDArray[np.float64], rows: NDArray[np.float64], length: NDArray[np.int64], reach: int
) -> NDArray[np.float64]:
    """What is left of each row (m, columns) over its ``length`` (m,) when ``model`` (columns,) at its best
    place and level is taken off, in dB.
    """
    out = np.zeros(len(rows))
    for size in np.unique(length):
        which = np.nonzero(length == size)[0]
        head = model[reach : reach + size]
        fit = cross_correlation(rows[which], head, 2 * reach + 1)
        whole = np.abs(fit).argmax(axis=1)
        energy_head = max(float(head @ head), 1e-20)
        columns = whole[:, None] + np.arange(size)
        heard = np.take_along_axis(rows[which], columns, axis=1)
        energy = np.maximum(np.einsum("ij,ij->i", heard, heard), 1e-20)
        best = 1.0 - np.take_along_axis(fit, whole[:, None], axis=1)[:, 0] ** 2 / (energy_head * energy)
        near = np.nonzero(best < 0.05)[0]
        if len(near):
            best[near] = np.minimum(best[near], _between_samples(head, heard[near]))
        out[which] = power_ratio_to_db(best, 1e-12)
    return out


def _between_samples(head: NDArray[np.float64], heard: NDArray[np.float64]) -> NDArray[np.float64]:
    """The share left when ``head`` (size,) may also lie between samples, (m,)."""
    size = len(head)
    fft = next_fast_len(2 * size, real=True)
    turn = 2j * np.pi * np.arange(fft // 2 + 1) / fft
    spectrum = rfft(head, fft)
    centre, width = np.zeros(len(heard)), 1.0
    best = np.ones(len(heard))
    energy = np.maximum(np.einsum("ij,ij->i", heard, heard), 1e-20)
    for _ in range(_ROUNDS):
        offsets = np.linspace(-width, width, _FINE + 1)
        shares = np.empty((len(offsets), len(heard)))
        for row, offset in enumerate(offsets):
            shifted = irfft(spectrum[None] * np.exp(-turn[None] * (centre + offset)[:, None]), fft)[:, :size]
            shares[row] = 1.0 - np.einsum("ij,ij->i", shifted, heard) ** 2 / (
                np.einsum("ij,ij->i", shifted, shifted) * energy
            )
        at = shares.argmin(axis=0)
        best = np.minimum(best, shares[at, np.arange(len(heard))])
        centre = centre + offsets[at]
        width *= 2.5 / _FINE
    return np.maximum(best, 0.0)
