"""Loudness after ITU-R BS.1770-5: K-weighting, blocks of 400 ms, gated absolutely at -70 LKFS and relatively
10 LU under the rest.
"""

from __future__ import annotations

from collections.abc import Iterable
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.signal import sosfilt

from nubrak.core.signal.level import INAUDIBLE, db_to_gain, power_ratio_to_db

SILENT_LKFS = -120.0  # what silence reads
_BLOCK_S, _HOP_S = 0.4, 0.1  # gating blocks and how far apart they begin (BS.1770: 75 % overlap)
_ABSOLUTE_LKFS, _RELATIVE_LU = -70.0, 10.0  # the two gates of BS.1770
_OFFSET = -0.691  # of BS.1770: a sine of 997 Hz at 0 dBFS in one channel reads −3.01
# The analogue prototypes behind the standard's coefficients at 48 kHz, so that any rate gets the same curve:
# a shelf of about 4 dB over 1.7 kHz and a high-pass at 38 Hz (values as derived from the standard's table,
# from memory; checked against it in the tests).
_SHELF_HZ, _SHELF_DB, _SHELF_Q = 1681.974450955533, 3.999843853973347, 0.7071752369554196
# Of the second filter; BS.1770 gives it as coefficients at 48 kHz, which these reproduce.
_PASS_HZ, _PASS_Q = 38.13547087602444, 0.5003270373238773


@lru_cache(maxsize=16)
def k_weighting(rate_hz: int) -> NDArray[np.float64]:
    """The two filters of the standard as second-order sections, (2, 6)."""
    k = np.tan(np.pi * _SHELF_HZ / rate_hz)
    high = db_to_gain(_SHELF_DB)
    band = high**0.4996667741545416
    down = 1.0 + k / _SHELF_Q + k * k
    shelf = [
        (high + band * k / _SHELF_Q + k * k) / down,
        2.0 * (k * k - high) / down,
        (high - band * k / _SHELF_Q + k * k) / down,
        1.0,
        2.0 * (k * k - 1.0) / down,
        (1.0 - k / _SHELF_Q + k * k) / down,
    ]
    k = np.tan(np.pi * _PASS_HZ / rate_hz)
    down = 1.0 + k / _PASS_Q + k * k
    high_pass = [1.0, -2.0, 1.0, 1.0, 2.0 * (k * k - 1.0) / down, (1.0 - k / _PASS_Q + k * k) / down]
    return np.array([shelf, high_pass])


def loudness_lkfs(windows: Iterable[NDArray[np.floating]], rate_hz: int) -> float:
    """The gated loudness of a signal given in consecutive ``windows`` (frames, channels), in LKFS;
    ``SILENT_LKFS`` where nothing passes the gates. Left and right weigh the same; a signal shorter than a
    block is measured as one block.
    """
    hop = round(_HOP_S * rate_hz)
    weighting, state = k_weighting(rate_hz), np.zeros((2, 0, 2))
    powers: list[NDArray[np.float64]] = [np.zeros(0)]
    begun, count = 0.0, 0  # of the hop that the next window goes on with
    for window in windows:
        if not state.shape[1]:
            state = np.zeros((2, window.shape[1], 2))
        weighted, state = _weighted(weighting, window.T, state)
        first = min((hop - count) % hop, weighted.shape[1])
        begun, count = begun + _power(weighted[:, :first]), count + first
        if count == hop:
            powers.append(np.array([begun]))
            begun, count = 0.0, 0
        if first == weighted.shape[1]:
            continue
        whole = (weighted.shape[1] - first) // hop
        cut = weighted[:, first : first + whole * hop].reshape(len(weighted), whole, hop)
        powers.append(np.einsum("cij,cij->i", cut, cut))
        last = weighted[:, first + whole * hop :]
        begun, count = _power(last), last.shape[1]
    hops = np.concatenate(powers)
    per_block = round(_BLOCK_S / _HOP_S)
    if len(hops) < per_block:
        blocks = np.array([(float(hops.sum()) + begun) / max(len(hops) * hop + count, 1)])
    else:
        sums = np.cumsum(np.concatenate([np.zeros(1), hops]))
        blocks = (sums[per_block:] - sums[:-per_block]) / (per_block * hop)
    level = _lkfs(blocks)
    loud = blocks[level > _ABSOLUTE_LKFS]
    if not len(loud):
        return SILENT_LKFS
    loud = loud[_lkfs(loud) > _lkfs(np.array([loud.mean()]))[0] - _RELATIVE_LU]
    return float(_lkfs(np.array([loud.mean()]))[0])


def _power(weighted: NDArray[np.float64]) -> float:
    return float(np.einsum("ij,ij->", weighted, weighted))


def _weighted(
    weighting: NDArray[np.float64], window: NDArray[np.floating], state: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """A window (channels, frames) after the filters, and the state they are left in, (2, channels, 2). Sides
    that are alike are filtered once.
    """
    if len(window) == 2 and np.array_equal(window[0], window[1]) and np.array_equal(state[:, 0], state[:, 1]):
        one, after = _weighted(weighting, window[:1], state[:, :1])
        return np.repeat(one, 2, axis=0), np.repeat(after, 2, axis=1)
    if not window.shape[1]:
        return window.astype(np.float64), state
    weighted, after = sosfilt(weighting, window + window.dtype.type(INAUDIBLE), axis=1, zi=state)
    return weighted, after


def _lkfs(power: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.asarray(_OFFSET + power_ratio_to_db(power, 1e-14))
