"""What a trigger learns before it plays: from ten seconds in which each drum is played softly and hard, or
from a recording of the same kit whose strokes are known.
"""

from __future__ import annotations

from dataclasses import dataclass, fields
from io import BytesIO

import numpy as np
from numpy.typing import NDArray

from nubrak.core.live.bands import BANDS, HOP_S, hop_samples
from nubrak.core.live.calibration import ARRIVES_HOPS, BEFORE, GAP, onset_power
from nubrak.core.live.hearing import LONG, OWN, RING_HOPS, RING_STEPS, begins, halved, levels_of, memory
from nubrak.core.live.settling import READ_HOPS
from nubrak.core.signal import distance_to_nearest, power_ratio_to_db

_ASSUMED_LEAK = 10.0 ** (-18.0 / 10.0)  # common practice: so a neighbouring drum is heard
_USUAL_SHARE = 80.0  # percentile of the strokes that are usual loud ones
_NOISE_SHARE = 10.0  # percentile of the levels that is always there
_OFFSET_DB = -4.0  # where no stroke tells it
_UNHEARD = 0.02  # power of a usual stroke where none was heard: -14 dBFS
# A drum of a second to -60 dB, where no stroke tells.
_ASSUMED_RING = 10.0 ** (-6.0 * np.arange(RING_STEPS) * RING_HOPS * HOP_S)
_NEAR_HOPS, _LEAST_ALONE, _LOWER = 60, 2, 20.0  # 42 ms; strokes alone that tell; percentile where none is
_FEW, _MOST_LEAVE = 6, 75.0  # strokes that are few; percentile of what many leave
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
    rings: NDArray[np.float64]


def to_bytes(learnt: Learnt) -> bytes:
    """What was learnt as bytes to keep."""
    out = BytesIO()
    arrays = {one.name: getattr(learnt, one.name) for one in fields(learnt)}
    np.savez_compressed(out, **arrays)
    return out.getvalue()


def from_bytes(data: bytes, channels: int) -> Learnt | None:
    """What was kept of a kit of so many microphones; None where it was kept by a version that knew others."""
    with np.load(BytesIO(data), allow_pickle=False) as stored:
        names = [one.name for one in fields(Learnt)]
        if sorted(stored.files) != sorted(names):
            return None
        found = Learnt(**{name: stored[name] for name in names})
    usual = unheard(channels)
    same = all(getattr(found, name).shape == getattr(usual, name).shape for name in names)
    return found if same else None


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
        np.tile(_ASSUMED_RING, (channels, 1)),
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
    rings = base.rings.copy()
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
        rows = at[:, None] + np.arange(min(READ_HOPS, hops - int(at.max())))
        over = levels[rows, i] @ inside[i]
        offset_db[i] = float(np.median(power_ratio_to_db(over.mean(axis=1) / np.maximum(size, _LEAST))))
        softest_db[i] = float(power_ratio_to_db(size.min() / max(usual, _LEAST)))
        for k, one in enumerate(at[by_size[_spread(len(at))]]):
            own[i, k] = _beginning(audio[:, i], int(one), hop)
        rings[i] = _rings(levels[:, i] @ inside[i], at, size)
        # What is heard elsewhere of it is told by strokes that nothing else is struck with.
        alone = loud & _alone(at, [other for k, other in enumerate(strokes) if k != i])
        heard[i, i] = np.exp(np.mean(np.log(home[loud] + _LEAST), axis=0))
        for c in range(channels):
            if c == i:
                continue
            there = np.log(onset_power(levels[:, c], at, -5, ARRIVES_HOPS + listens_hops) + _LEAST)
            if np.count_nonzero(alone) >= _LEAST_ALONE:
                heard[c, i] = np.exp(np.mean(there[alone], axis=0))
                loudest = int(at[alone][np.argmax(size[alone])])
                spilt[c, i] = _beginning(audio[:, c], _arrives(levels[:, c], loudest), hop)
            else:
                # Under what is struck with it, its own is the least of what is heard.
                heard[c, i] = np.exp(np.percentile(there[loud], _LOWER, axis=0))
    counts = np.array([len(one) for one in strokes], np.int64)
    return Learnt(heard, softest_db, floor, counts, offset_db, own, spilt, rings)


def _alone(at: NDArray[np.int64], others: list[NDArray[np.int64]]) -> NDArray[np.bool_]:
    """Which of the hops (n,) nothing else was struck near, (n,)."""
    struck = np.sort(np.concatenate(others)) if others else np.zeros(0, np.int64)
    if not len(struck):
        return np.ones(len(at), bool)
    return np.asarray(distance_to_nearest(at, struck) > _NEAR_HOPS)


def _rings(
    whole: NDArray[np.float64], at: NDArray[np.int64], size: NDArray[np.float64]
) -> NDArray[np.float64]:
    """What is left of a stroke in every step after it, (RING_STEPS,), by the power (hops,) after strokes in
    hops ``at`` (n,) of power ``size`` (n,), until the next one comes: of a few strokes the most that any
    leaves, of many what most leave, as some of them have others' strokes behind them.
    """
    until = np.append(at[1:], len(whole)) - GAP
    loud = np.nonzero(size > 0.1 * size.max())[0]
    left = np.full((len(loud), RING_STEPS), np.nan)
    for row, k in enumerate(loud.tolist()):
        begin, end = int(at[k]), int(min(until[k], len(whole)))
        steps = min(max((end - begin) // RING_HOPS, 0), RING_STEPS)
        stretch = whole[begin : begin + steps * RING_HOPS].reshape(-1, RING_HOPS)
        left[row, :steps] = stretch.max(axis=1, initial=0.0) / size[k]
    known = int(np.isfinite(left).any(axis=0).sum())
    out = np.empty(RING_STEPS)
    out[:known] = (
        np.nanmax(left[:, :known], axis=0)
        if len(loud) <= _FEW
        else np.nanpercentile(left[:, :known], _MOST_LEAVE, axis=0)
    )
    # Beyond what was heard, as it fell until there.
    out[known:] = (out[known - 1] if known else 1.0) * _ASSUMED_RING[: RING_STEPS - known]
    return np.maximum(out, np.concatenate([out[1:], out[-1:]]))


def _spread(count: int) -> NDArray[np.int64]:
    """Which of so many strokes, from soft to hard, stand for all."""
    return np.unique(np.linspace(0, count - 1, min(count, OWN)).round().astype(np.int64))


def _arrives(levels: NDArray[np.float64], at: int) -> int:
    """The hop in which a stroke of hop ``at`` leaps in a microphone's levels (hops, BANDS)."""
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
