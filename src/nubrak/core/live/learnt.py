"""What a trigger learns before it plays: from ten seconds in which each drum is played softly and hard, or
from a recording of the same kit whose strokes are known.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nubrak.core.live.bands import BANDS, hop_samples
from nubrak.core.live.calibration import ARRIVES_HOPS, BEFORE, GAP, onset_power
from nubrak.core.live.hearing import LONG, OWN, begins, halved, levels_of, memory
from nubrak.core.signal import power_ratio_to_db

_ASSUMED_LEAK = 10.0 ** (-18.0 / 10.0)  # common practice: so a neighbouring drum is heard
_USUAL_SHARE = 80.0  # percentile of the strokes that are usual loud ones
_NOISE_SHARE = 10.0  # percentile of the levels that is always there
_OFFSET_DB = -4.0  # where no stroke tells it
_READ_HOPS = 33  # 23 ms: what Find reads a level from
_UNHEARD = 0.02  # power of a usual stroke where none was heard: -14 dBFS
_LEAST = 1e-13


@dataclass(frozen=True)
class Learnt:
    """Per microphone c and piece i (a piece has the number of its microphone): ``heard`` (c, i, BANDS) the
    power at c of a usual loud stroke on i; ``softest_db`` (c,) how far under the usual the softest of its
    strokes lay; ``floor`` (c, BANDS) the power of what is always there; ``strokes`` (c,) how many it was
    learnt from; ``own`` (c, OWN, LONG) how some of its strokes begin, ``spilt`` (c, i, LONG) how a stroke on
    another begins there, silence where none is known; ``level_offset_db`` (c,) what brings levels of single
    hops to those that Find reads, over 23 ms.
    """

    heard: NDArray[np.float64]
    softest_db: NDArray[np.float64]
    floor: NDArray[np.float64]
    strokes: NDArray[np.int64]
    level_offset_db: NDArray[np.float64]
    own: NDArray[np.float32]
    spilt: NDArray[np.float32]


def unheard(channels: int) -> Learnt:
    """What is assumed of a kit that nothing is known of."""
    heard = np.full((channels, channels, BANDS), _UNHEARD / BANDS * _ASSUMED_LEAK)
    heard[np.arange(channels), np.arange(channels)] = _UNHEARD / BANDS
    return Learnt(
        heard,
        np.full(channels, -24.0),
        np.full((channels, BANDS), 1e-9),
        np.zeros(channels, np.int64),
        np.full(channels, _OFFSET_DB),
        np.zeros((channels, OWN, LONG), np.float32),
        np.zeros((channels, channels, LONG), np.float32),
    )


def band_levels(audio: NDArray[np.float32], rate_hz: int) -> NDArray[np.float64]:
    """The levels of recorded microphones (frames, c) as a trigger hears them, power (hops, c, BANDS)."""
    out = np.zeros((len(audio) // hop_samples(rate_hz), audio.shape[1], BANDS))
    levels_of(np.ascontiguousarray(audio, np.float32), memory(audio.shape[1], rate_hz), out)
    return out


def learn(
    audio: NDArray[np.float32],
    rate_hz: int,
    levels: NDArray[np.float64],
    inside: NDArray[np.float64],
    strokes: list[NDArray[np.int64]],
    listens_hops: int = 8,
) -> Learnt:
    """A kit from its audio (frames, c), its levels (hops, c, BANDS), the hops at which each piece was struck,
    and for how many hops a stroke will be listened to; ``inside`` (c, BANDS) is what each part listens to.
    """
    hops, channels, _ = levels.shape
    base = unheard(channels)
    heard, softest_db, offset_db = base.heard.copy(), base.softest_db.copy(), base.level_offset_db.copy()
    own, spilt, hop = base.own.copy(), base.spilt.copy(), hop_samples(rate_hz)
    floor = np.percentile(levels, _NOISE_SHARE, axis=0) if hops else base.floor
    for i, at in enumerate(strokes):
        at = at[(at > GAP + BEFORE + 5) & (at < hops - ARRIVES_HOPS - listens_hops)]
        if not len(at):
            if hops:
                heard[i, i] = np.maximum(np.percentile(levels[:, i], 99.0, axis=0), _LEAST)
                heard[np.arange(channels) != i, i] = _ASSUMED_LEAK * heard[i, i]
            continue
        home = onset_power(levels[:, i], at, -1, listens_hops)
        size = home @ inside[i]
        by_size = np.argsort(size)
        usual = size[by_size[min(round(_USUAL_SHARE / 100 * len(at)), len(at) - 1)]]
        loud = size >= 0.5 * usual
        rows = at[:, None] + np.arange(min(_READ_HOPS, hops - int(at.max())))
        over = levels[rows, i] @ inside[i]
        offset_db[i] = float(np.median(power_ratio_to_db(over.mean(axis=1) / np.maximum(size, _LEAST))))
        softest_db[i] = float(power_ratio_to_db(size.min() / max(usual, _LEAST)))
        for k, one in enumerate(at[by_size[_spread(len(at))]]):
            own[i, k] = _beginning(audio[:, i], int(one), hop)
        for c in range(channels):
            there = home if c == i else onset_power(levels[:, c], at, -5, ARRIVES_HOPS + listens_hops)
            heard[c, i] = np.exp(np.mean(np.log(there[loud] + _LEAST), axis=0))
            if c != i:
                spilt[c, i] = _beginning(audio[:, c], _arrives(levels[:, c], int(at[by_size[-1]])), hop)
    counts = np.array([len(one) for one in strokes], np.int64)
    return Learnt(heard, softest_db, floor, counts, offset_db, own, spilt)


def _spread(count: int) -> NDArray[np.int64]:
    """Which of so many strokes, from soft to hard, stand for all."""
    return np.unique(np.linspace(0, count - 1, min(count, OWN)).round().astype(np.int64))


def _arrives(levels: NDArray[np.float64], at: int) -> int:
    """The hop in which a stroke that was struck in hop ``at`` leaps in a microphone's levels (hops, BANDS)."""
    around = levels[at - 4 : at + ARRIVES_HOPS].sum(axis=1)
    over = np.nonzero(around > 0.1 * around.max())[0]
    return at - 4 + int(over[0])


def _beginning(signal: NDArray[np.float32], at: int, hop: int) -> NDArray[np.float32]:
    """How what leaps in a hop begins, (LONG,), as likeness is told by."""
    end = (at + 1) * hop
    first = begins(signal[max(end - 24 * hop, 0) : end], 8 * hop) + max(end - 24 * hop, 0)
    out = np.zeros(LONG, np.float32)
    heard = halved(signal[first : first + 2 * LONG])
    out[: len(heard)] = heard
    return out
