"""Pulse: how strongly a beat of each tempo runs through hits, and where its steps lie in a performance that
wanders.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

# A beat of 35 to 260 a minute, and its sixth part.
_LOW_HZ, _HIGH_HZ = 35.0 / 60.0, 6.0 * 260.0 / 60.0
_PER_STEP = 1.006  # from one looked-at rate to the next
_WINDOW_S, _HOP_S = 10.0, 5.0
_MOST_WINDOWS = 40  # of a long take; they say what all of them say
_TRACK_S, _TRACK_HOP_S = 8.0, 1.0
_MOST_TRACKED = 1500
_WANDERS = np.linspace(-0.045, 0.045, 19)  # of the rate, within a take, logarithmic
_BENDS = 0.012  # of the rate from one window to the next, in passing

_STEPS = int(np.log(_HIGH_HZ / _LOW_HZ) / np.log(_PER_STEP))
RATES_HZ = np.asarray(_LOW_HZ * _PER_STEP ** np.arange(_STEPS + 1), np.float64)


def _turned(
    time_s: NDArray[np.float64], weight: NDArray[np.float64], rates_hz: NDArray[np.float64]
) -> NDArray[np.complex128]:
    """The sums of the phases that weighted hits (n,) have on pulses of some rates (m,), (m,)."""
    return np.exp(2j * np.pi * rates_hz[:, None] * time_s[None]) @ weight


def pulses(time_s: NDArray[np.float64], weight: NDArray[np.float64]) -> NDArray[np.float64]:
    """How strongly a pulse of each of ``RATES_HZ`` runs through hits (n,), in order, 0 to 1, (m,).

    Looked at in windows, so that a tempo that wanders over minutes still shows (local tempograms: Grosche &
    Müller, IEEE TASLP 19(6), 2011).
    """
    begin, end = float(time_s[0]), float(time_s[-1])
    middles = np.arange(begin + _WINDOW_S / 2, max(end - _WINDOW_S / 2, begin + _WINDOW_S / 2) + 1e-6, _HOP_S)
    if len(middles) > _MOST_WINDOWS:
        middles = middles[np.round(np.linspace(0, len(middles) - 1, _MOST_WINDOWS)).astype(int)]
    power, whole = np.zeros(len(RATES_HZ)), 0.0
    for middle in middles:
        left, right = np.searchsorted(time_s, (middle - _WINDOW_S / 2, middle + _WINDOW_S / 2))
        if right - left < 3:
            continue
        near, heavy = time_s[left:right], weight[left:right]
        heavy = heavy * np.cos(np.pi * (near - middle) / _WINDOW_S) ** 2
        power += np.abs(_turned(near - middle, heavy, RATES_HZ)) ** 2
        whole += float(heavy.sum()) ** 2
    return np.sqrt(power / max(whole, 1e-12))


def tracked(
    time_s: NDArray[np.float64], weight: NDArray[np.float64], rate_hz: float
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """A pulse of about ``rate_hz`` that stays with the hits: knots in s and in steps of it, (k,) each.

    Each window of the take says its rate and its phase; a path of rates that bends little is taken (Viterbi),
    and steps are counted along it (predominant local pulse: Grosche & Müller, the same).
    """
    begin, end = float(time_s[0]), float(time_s[-1])
    hop_s = max(_TRACK_HOP_S, (end - begin) / _MOST_TRACKED)
    # As long as some steps last, however slow.
    reach_s = max(_TRACK_S, 8.0 / rate_hz) / 2.0
    # At its ends a window is half empty; there the last rate goes on.
    edge_s = min(reach_s / 2.0, (end - begin) / 3.0)
    middles = np.arange(begin + edge_s, max(end - edge_s, begin + edge_s) + 0.5 * hop_s, hop_s)
    rates = rate_hz * np.exp(_WANDERS)
    sums = np.zeros((len(middles), len(rates)), np.complex128)
    for row, middle in enumerate(middles):
        left, right = np.searchsorted(time_s, (middle - reach_s, middle + reach_s))
        near, heavy = time_s[left:right] - middle, weight[left:right]
        heavy = heavy * np.cos(0.5 * np.pi * near / reach_s) ** 2
        sums[row] = _turned(near, heavy, rates)
    path = _path(np.abs(sums))
    rate = rates[path]
    chosen = sums[np.arange(len(middles)), path]
    phase = -np.angle(chosen) / (2.0 * np.pi)  # where the middle lies between two steps
    steps = np.zeros(len(middles))
    steps[0] = phase[0]
    held = np.abs(chosen) > 1e-9
    for row in range(1, len(middles)):
        expected = steps[row - 1] + 0.5 * (rate[row - 1] + rate[row]) * (middles[row] - middles[row - 1])
        off = (phase[row] - expected + 0.5) % 1.0 - 0.5 if held[row] else 0.0
        steps[row] = expected + off
    before, after = middles[0] - begin + hop_s, max(end - middles[-1], 0.0) + hop_s
    knots_s = np.concatenate([[middles[0] - before], middles, [middles[-1] + after]])
    return knots_s, np.concatenate([[steps[0] - before * rate[0]], steps, [steps[-1] + after * rate[-1]]])


def _path(strength: NDArray[np.float64]) -> NDArray[np.int64]:
    """The columns of (k, m) along which most is gathered and little bent, (k,)."""
    whole = np.maximum(strength.max(axis=1, keepdims=True), 1e-9)
    worth = 6.0 * strength / whole
    width = _WANDERS[1] - _WANDERS[0]
    number = np.arange(strength.shape[1])
    bend = ((number[:, None] - number[None]) * width / _BENDS) ** 2 / 2.0
    best, came = worth[0], np.zeros(strength.shape, np.int64)
    for row in range(1, len(worth)):
        way = best[None] - bend
        came[row] = way.argmax(axis=1)
        best = way[number, came[row]] + worth[row]
    path = np.zeros(len(worth), np.int64)
    path[-1] = int(best.argmax())
    for row in range(len(worth) - 1, 0, -1):
        path[row - 1] = came[row, path[row]]
    return path
