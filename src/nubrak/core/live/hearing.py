"""Hearing: the compiled part of a trigger. Every sample goes through the bands, every hop gives a level, and
where a level leaps a candidate opens, listens on for as long as was declared, and is measured.

Nothing here depends on how the samples are handed over: hops are counted from the first sample on. Nothing
grows: levels and samples stand in rings.
"""

from __future__ import annotations

from typing import NamedTuple

import numba
import numpy as np
from numpy.typing import NDArray

from nubrak.core.live.bands import BANDS, SECTIONS, hop_samples, sections
from nubrak.core.live.features import FEATURES

HOPS = 256  # of levels that are kept: 180 ms
SAMPLES = 8192  # of each microphone that are kept: over 40 ms at 192 kHz
_BEFORE, _GAP = 24, 3  # hops that tell what rang before, and those between them and now
_OPENS, _OPENS_HIGH = 1.26, 2.0  # by so much (power) a level leaps over all that was before: 1 dB, 3 dB
_AGAIN = 1.5  # and over what is listened to already, 1.8 dB
_REACH, _RISES = 24, 8  # hops in which an attack is looked for, and of them those in which it can lie
LONG, OWN = 220, 4  # of a known beginning, in pairs of samples: 10 ms at 44.1 kHz; how many a piece has
_SHIFT, _FEWEST = 16, 10  # pairs of samples by which one may lie beside the other, and that tell anything
_HIGH = 4  # from this band on: what a stick does to a skin that still rings
_HEARD_AGO = 18  # hops in which what was loud elsewhere still arrives: 12 ms, 4 m
RING_HOPS, RING_STEPS = 8, 56  # what rings after a stroke is known in steps of 5.6 ms, for 310 ms
_UPDATES = 16  # of how hard each piece was struck; more change little
_LEAST = 1e-13
MOST_EVENTS = 64  # candidates of one block of samples that are told


class Kit(NamedTuple):
    """What was learnt of a kit, per microphone c and piece i (a piece has the number of its microphone), and
    how each part is to be listened to.
    """

    inside: NDArray[np.float64]  # (c, BANDS)
    heard: NDArray[np.float64]  # (c, i, BANDS) power at c of a usual stroke on i
    usual: NDArray[np.float64]  # (c,) power inside of its usual loud strokes
    profile_db: NDArray[np.float64]  # (c, BANDS) its bands against the loudest of them
    noise: NDArray[np.float64]  # (c, BANDS) power that is always there
    floor: NDArray[np.float64]  # (c,) power inside under which nothing is looked at
    own: NDArray[np.float32]  # (c, OWN, LONG) how its strokes begin, as far as they are known
    spilt: NDArray[np.float32]  # (c, i, LONG) how strokes of the others begin there
    rings: NDArray[np.float64]  # (c, RING_STEPS) power inside after a stroke, against the stroke
    kind: NDArray[np.int64]  # (c,)
    look_ahead: int  # hops


class Memory(NamedTuple):
    """What was heard so far. Fields of one number are arrays of one, for the compiled code to change."""

    sections: NDArray[np.float64]
    filters: NDArray[np.float64]  # (c, BANDS, SECTIONS, 2)
    energy: NDArray[np.float64]  # (c, BANDS) of the hop that is under way
    levels: NDArray[np.float64]  # (c, BANDS, HOPS)
    whole: NDArray[np.float64]  # (c, HOPS) inside
    high: NDArray[np.float64]  # (c, HOPS)
    samples: NDArray[np.float32]  # (c, SAMPLES)
    heard: NDArray[np.int64]  # samples so far, hops so far
    opened: NDArray[np.int64]  # (c,) the hop at which the candidate under way opened, or -1
    again: NDArray[np.int64]  # (c,) the hop at which it leapt once more, or -1
    onset: NDArray[np.int64]  # (c,) the sample at which the last candidate began
    struck: NDArray[np.int64]  # (c,) the sample of the last hit
    struck_power: NDArray[np.float64]  # (c,) and its power inside
    hop: int


def memory(channels: int, rate_hz: int) -> Memory:
    """Nothing heard yet."""
    long_ago = -(1 << 40)
    return Memory(
        sections(rate_hz),
        np.zeros((channels, BANDS, SECTIONS, 2)),
        np.zeros((channels, BANDS)),
        np.full((channels, BANDS, HOPS), _LEAST),
        np.full((channels, HOPS), _LEAST),
        np.full((channels, HOPS), _LEAST),
        np.zeros((channels, SAMPLES), np.float32),
        np.zeros(2, np.int64),
        np.full(channels, -1, np.int64),
        np.full(channels, -1, np.int64),
        np.full(channels, long_ago, np.int64),
        np.full(channels, long_ago, np.int64),
        np.full(channels, _LEAST),
        hop_samples(rate_hz),
    )


class Heard(NamedTuple):
    """The candidates of one block: their microphone, the sample at which each began, the sample by which it
    was measured, what is known of it, (n, features), its power inside, and its power by bands, (n, BANDS).
    """

    channel: NDArray[np.int64]
    attack: NDArray[np.int64]
    at: NDArray[np.int64]
    features: NDArray[np.float32]
    power: NDArray[np.float64]
    bands: NDArray[np.float64]


def room_for_heard() -> Heard:
    """Where a block's candidates are put."""
    return Heard(
        np.zeros(MOST_EVENTS, np.int64),
        np.zeros(MOST_EVENTS, np.int64),
        np.zeros(MOST_EVENTS, np.int64),
        np.zeros((MOST_EVENTS, len(FEATURES)), np.float32),
        np.zeros(MOST_EVENTS),
        np.zeros((MOST_EVENTS, BANDS)),
    )


@numba.njit(cache=True, nogil=True)
def levels_of(block: NDArray[np.float32], memory: Memory, out: NDArray[np.float64]) -> int:
    """The levels alone of a block (frames, c): (hops, c, BANDS) into ``out``; how many hops there were."""
    done = 0
    for n in range(len(block)):
        if _taken_in(block, n, memory):
            for c in range(out.shape[1]):
                for b in range(BANDS):
                    out[done, c, b] = max(memory.energy[c, b] / memory.hop, _LEAST)
                    memory.energy[c, b] = 0.0
            memory.heard[1] += 1
            done += 1
    return done


@numba.njit(cache=True, nogil=True)
def _taken_in(block: NDArray[np.float32], n: int, memory: Memory) -> bool:
    """One sample of every microphone; whether it ends a hop."""
    place = memory.heard[0] % SAMPLES
    for c in range(block.shape[1]):
        x = block[n, c]
        if not (-1e6 < x < 1e6):
            x = np.float32(0.0)
        memory.samples[c, place] = x
        for b in range(BANDS):
            y = x + 1e-15
            for s in range(SECTIONS):
                f = memory.sections[b, s]
                z = memory.filters[c, b, s]
                made = f[0] * y + z[0]
                z[0] = f[1] * y - f[3] * made + z[1]
                z[1] = f[2] * y - f[4] * made
                y = made
            memory.energy[c, b] += y * y
    memory.heard[0] += 1
    return bool(memory.heard[0] % memory.hop == 0)


@numba.njit(cache=True, nogil=True)
def hear(block: NDArray[np.float32], begin: int, kit: Kit, memory: Memory, out: Heard) -> tuple[int, int]:
    """Samples of a block (frames, c) from ``begin`` on, up to the end of the first hop in which candidates
    were measured: how many candidates there are, and how far it came.
    """
    channels, found = block.shape[1], 0
    for n in range(begin, len(block)):
        if not _taken_in(block, n, memory):
            continue
        t = memory.heard[1]
        place = t % HOPS
        for c in range(channels):
            whole, high = _LEAST, _LEAST
            for b in range(BANDS):
                power = max(memory.energy[c, b] / memory.hop, _LEAST)
                memory.energy[c, b] = 0.0
                memory.levels[c, b, place] = power
                whole += kit.inside[c, b] * power
                if b >= _HIGH:
                    high += power
            memory.whole[c, place] = whole
            memory.high[c, place] = high
        memory.heard[1] += 1
        for c in range(channels):
            if memory.opened[c] < 0 and _leaps(c, t, kit, memory):
                memory.opened[c], memory.again[c] = t, -1
                memory.onset[c] = _onset(c, memory)
            elif memory.opened[c] >= 0 and _leaps_again(c, t, memory):
                memory.again[c] = t
            if memory.opened[c] >= 0 and t - memory.opened[c] >= kit.look_ahead and found < MOST_EVENTS:
                _measure(c, t, kit, memory, out, found)
                # What leapt once more while it was listened to is a candidate of its own.
                memory.opened[c], memory.again[c] = memory.again[c], -1
                if memory.opened[c] >= 0:
                    memory.onset[c] = _onset_in(c, t - memory.opened[c], memory)
                found += 1
        if found:
            return found, n + 1
    return found, len(block)


@numba.njit(cache=True, nogil=True)
def _leaps(c: int, t: int, kit: Kit, memory: Memory) -> bool:
    """Whether a level leaps over all that was shortly before."""
    whole, high = memory.whole[c, t % HOPS], memory.high[c, t % HOPS]
    if whole < kit.floor[c] and high < kit.floor[c]:
        return False
    most, most_high = 0.0, 0.0
    for k in range(t - _GAP - _BEFORE, t - _GAP + 1):
        most = max(most, memory.whole[c, k % HOPS])
        most_high = max(most_high, memory.high[c, k % HOPS])
    return bool((whole > _OPENS * most and whole >= kit.floor[c]) or high > _OPENS_HIGH * most_high)


@numba.njit(cache=True, nogil=True)
def _leaps_again(c: int, t: int, memory: Memory) -> bool:
    """Whether what is listened to leaps over all that it was until now."""
    first = memory.opened[c]
    if t - first < _GAP:
        return False
    most, most_high = 0.0, 0.0
    for k in range(first - _BEFORE, t):
        most = max(most, memory.whole[c, k % HOPS])
        most_high = max(most_high, memory.high[c, k % HOPS])
    return bool(
        memory.whole[c, t % HOPS] > _AGAIN * most or memory.high[c, t % HOPS] > _OPENS_HIGH * most_high
    )


@numba.njit(cache=True, nogil=True)
def _recent(c: int, end: int, count: int, memory: Memory) -> NDArray[np.float32]:
    """The ``count`` samples of a microphone before sample ``end``."""
    out = np.empty(count, np.float32)
    for k in range(count):
        out[k] = memory.samples[c, (end - count + k) % SAMPLES]
    return out


@numba.njit(cache=True, nogil=True)
def _onset(c: int, memory: Memory) -> int:
    return _onset_in(c, 0, memory)


@numba.njit(cache=True, nogil=True)
def _onset_in(c: int, ago: int, memory: Memory) -> int:
    """The sample at which what leapt ``ago`` hops before now began."""
    end = memory.heard[0] - ago * memory.hop
    recent = _recent(c, end, _REACH * memory.hop, memory)
    return max(end - len(recent) + begins(recent, _RISES * memory.hop), 0)


@numba.njit(cache=True, nogil=True)
def begins(recent: NDArray[np.float32], rises: int) -> int:
    """Where among ``recent`` samples (n,) what leapt at their end began, within the last ``rises``: 40 dB
    under its peak so far, or where it leaves what was before.
    """
    before, peak, first = np.float32(0.0), np.float32(0.0), len(recent) - rises
    for k in range(first):
        before = max(before, abs(recent[k]))
    for k in range(first, len(recent)):
        peak = max(peak, abs(recent[k]))
    line = max(np.float32(0.01) * peak, np.float32(1.5) * before)
    for k in range(first, len(recent)):
        if abs(recent[k]) > line:
            return k
    return max(len(recent) - rises // _RISES, 0)


@numba.njit(cache=True, nogil=True)
def halved(samples: NDArray[np.float32]) -> NDArray[np.float32]:
    """Samples (n,) in pairs, (n / 2,): what likeness is told by goes up to some kilohertz."""
    out = np.empty(len(samples) // 2, np.float32)
    for k in range(len(out)):
        out[k] = samples[2 * k] + samples[2 * k + 1]
    return out


@numba.njit(cache=True, nogil=True)
def brighter(samples: NDArray[np.float32]) -> NDArray[np.float32]:
    """What changes from sample to sample, (n,): a bass that all drums share says little of which it is."""
    out = np.zeros_like(samples)
    for k in range(1, len(samples)):
        out[k] = samples[k] - samples[k - 1]
    return out


@numba.njit(cache=True, nogil=True, fastmath={"reassoc", "contract", "nsz"})
def _likeness(heard: NDArray[np.float32], known: NDArray[np.float32]) -> float:
    """How like what was ``heard`` (n,), which began after ``_SHIFT`` samples give or take as many, is the
    beginning of what is ``known``, (LONG,): their correlation, 0 to 1, where they fit best.
    """
    best = 0.0
    for lag in range(2 * _SHIFT + 1):
        count = min(len(heard) - lag, len(known))
        if count < _FEWEST:
            break
        product, power, known_power = np.float32(0.0), np.float32(1e-20), np.float32(1e-20)
        for k in range(count):
            product += heard[lag + k] * known[k]
            power += heard[lag + k] * heard[lag + k]
            known_power += known[k] * known[k]
        best = max(best, product / np.sqrt(power * known_power))
    return best


@numba.njit(cache=True, nogil=True)
def _loudest(c: int, b: int, first: int, last: int, memory: Memory) -> float:
    most = 0.0
    for k in range(first, last + 1):
        most = max(most, memory.levels[c, b, k % HOPS])
    return most


@numba.njit(cache=True, nogil=True)
def _rises(c: int, first: int, last: int, memory: Memory) -> int:
    """The hop, of those from ``first`` to ``last``, in which a microphone comes near the loudest of them."""
    most = 0.0
    for k in range(first, last + 1):
        most = max(most, memory.whole[c, k % HOPS])
    for k in range(first, last + 1):
        if memory.whole[c, k % HOPS] >= 0.25 * most:
            return k
    return last


@numba.njit(cache=True, nogil=True)
def _db(ratio: float) -> float:
    return 10.0 * np.log10(max(ratio, 1e-12))


@numba.njit(cache=True, nogil=True)
def _measure(c: int, t: int, kit: Kit, memory: Memory, out: Heard, row: int) -> None:
    """Everything that is known of a candidate by hop ``t``, into ``out``."""
    channels = memory.levels.shape[0]
    opened = memory.opened[c]
    now, onset_power = np.zeros(BANDS), np.zeros(BANDS)
    before = np.zeros(BANDS)
    whole, rang, rang_most = 0.0, 0.0, 0.0
    for b in range(BANDS):
        now[b] = _loudest(c, b, opened - 1, t, memory)
        total = 0.0
        for k in range(opened - _GAP - _BEFORE, opened - _GAP + 1):
            total += memory.levels[c, b, k % HOPS]
        before[b] = total / (_BEFORE + 1)
        onset_power[b] = max(now[b] - before[b], 0.005 * now[b])
        whole += kit.inside[c, b] * onset_power[b]
        rang += kit.inside[c, b] * before[b]
    for k in range(opened - 90, opened - _GAP):
        rang_most = max(rang_most, memory.whole[c, k % HOPS])
    out.channel[row], out.attack[row], out.at[row] = c, memory.onset[c], memory.heard[0]
    out.power[row] = whole
    for b in range(BANDS):
        out.bands[row, b] = onset_power[b]
    # How hard each piece would have been struck, by its own microphone alone, and what that puts here.
    heard = np.zeros((channels, BANDS))
    for i in range(channels):
        for b in range(BANDS):
            if i == c:
                heard[i, b] = onset_power[b]
            else:
                was = 0.0
                for k in range(opened - 60, opened - 30):
                    was += memory.levels[i, b, k % HOPS]
                most = _loudest(i, b, max(opened - _HEARD_AGO, 0), t, memory)
                heard[i, b] = max(most - was / 30, 0.0)
    alone = np.zeros(channels)
    for i in range(channels):
        product, norm = 0.0, 1e-20
        for b in range(BANDS):
            product += heard[i, b] * kit.heard[i, i, b]
            norm += kit.heard[i, i, b] ** 2
        alone[i] = product / norm
    spill, from_most, leader = np.zeros(BANDS), 0.0, -1
    for i in range(channels):
        if i == c:
            continue
        theirs = 0.0
        for b in range(BANDS):
            theirs += kit.inside[c, b] * kit.heard[c, i, b] * alone[i]
        if theirs > from_most:
            from_most, leader = theirs, i
        for b in range(BANDS):
            spill[b] = max(spill[b], kit.heard[c, i, b] * alone[i])
    played = _apart(heard, kit)
    own, others = 0.0, 0.0
    regions, spills = np.zeros(3), np.zeros(3)
    befores = np.zeros(3)
    own_spilt = 0.0
    for b in range(BANDS):
        rest = 0.0
        for i in range(channels):
            if i != c:
                rest += kit.heard[c, i, b] * played[i]
        own += kit.inside[c, b] * min(kit.heard[c, c, b] * played[c], onset_power[b])
        others += kit.inside[c, b] * rest
        own_spilt += kit.inside[c, b] * spill[b]
        regions[b // 2] += now[b]
        befores[b // 2] += before[b]
        spills[b // 2] += spill[b]
    floor = 1e-3 * kit.floor[c] + _LEAST
    f = out.features[row]
    f[0] = max(_db(whole / kit.usual[c]), -60.0)
    f[1] = _db(whole / (rang + floor))
    f[2] = _db(whole / (rang_most + floor))
    for r in range(3):
        f[3 + r] = _db(regions[r] / (befores[r] + floor))
        f[6 + r] = min(_db(max(regions[r] - befores[r], 0.01 * regions[r]) / (spills[r] + floor)), 40.0)
    f[9] = min(_db(whole / (own_spilt + floor)), 40.0)
    f[10] = min(_db(whole / (from_most + floor)), 40.0)
    f[11] = min(max(_db((own + _LEAST) / (others + floor)), -30.0), 40.0)
    f[12] = max(_db((own + _LEAST) / kit.usual[c]), -60.0)
    # Who is likeliest to have put it here, how loud that was at home, and how much earlier.
    f[13], f[14] = -60.0, 30.0
    rises = _rises(c, opened - 2, t, memory)
    elsewhere = -60.0
    for i in range(channels):
        if i == c:
            continue
        over = _db(alone[i])
        if kit.kind[i] < 3:
            elsewhere = max(elsewhere, over)
        if i == leader:
            f[13] = max(over, -60.0)
            f[14] = rises - _rises(i, opened - _HEARD_AGO, t, memory)
    f[15] = max(elsewhere, -60.0) - f[0]
    most, most_spill = 0.0, 0.0
    for b in range(BANDS):
        most, most_spill = max(most, onset_power[b]), max(most_spill, spill[b])
    unlike, weights, unlike_spill = 0.0, 0.0, 0.0
    for b in range(BANDS):
        weight = 10.0 ** (kit.profile_db[c, b] / 20.0)
        here = max(_db(onset_power[b] / (most + _LEAST)), -40.0)
        unlike += weight * (here - kit.profile_db[c, b]) ** 2
        there = max(_db(spill[b] / (most_spill + _LEAST)), -40.0)
        unlike_spill += weight * (here - there) ** 2
        weights += weight
    f[16] = np.sqrt(unlike / weights)
    f[17] = np.sqrt(unlike_spill / weights)
    since = (memory.onset[c] - memory.struck[c]) / memory.hop * 0.7
    f[18] = min(max(since, 0.0), 500.0)
    f[19] = _db(whole / memory.struck_power[c]) if since < 500.0 else 40.0
    # Over what its last stroke usually leaves behind it: a head that sounds on, a room that answers.
    step = int((memory.onset[c] - memory.struck[c]) / memory.hop) // RING_HOPS
    f[31] = 40.0
    if 0 <= step < RING_STEPS:
        loudest = 0.0
        for k in range(opened, t + 1):
            loudest = max(loudest, memory.whole[c, k % HOPS])
        f[31] = min(max(_db(loudest / (memory.struck_power[c] * kit.rings[c, step] + floor)), -40.0), 40.0)
    for k in range(4):
        f[20 + k] = 1.0 if kit.kind[c] == k else 0.0
    f[24] = kit.look_ahead * 0.7
    f[25] = channels
    since = memory.heard[0] - memory.onset[c]
    recent = _recent(c, memory.heard[0], min(since + 2 * _SHIFT, SAMPLES), memory)
    heard_now = halved(recent)[: LONG + 2 * _SHIFT]
    bright_now = brighter(heard_now)
    f[27], f[28], f[29], f[30] = 0.0, 0.0, 0.0, 0.0
    for k in range(OWN):
        if kit.own[c, k, 0] != 0.0 or kit.own[c, k, 1] != 0.0:
            f[27] = max(f[27], _likeness(heard_now, kit.own[c, k]))
            f[29] = max(f[29], _likeness(bright_now, brighter(kit.own[c, k])))
    for i in range(channels):
        if i != c and (kit.spilt[c, i, 0] != 0.0 or kit.spilt[c, i, 1] != 0.0):
            f[28] = max(f[28], _likeness(heard_now, kit.spilt[c, i]))
            f[30] = max(f[30], _likeness(bright_now, brighter(kit.spilt[c, i])))
    f[26] = (memory.heard[0] - memory.onset[c]) / memory.hop * 0.7


@numba.njit(cache=True, nogil=True)
def _apart(heard: NDArray[np.float64], kit: Kit) -> NDArray[np.float64]:
    """How hard each piece was struck against its usual strokes, (i,), that together makes what all
    microphones hear, (c, BANDS): by multiplicative updates (Févotte and Idier, "Algorithms for
    nonnegative matrix factorization with the beta-divergence", 2011) at a beta of zero, Itakura
    and Saito's divergence, in which a soft band weighs as much as a loud one. What is always there is part of
    what is heard.
    """
    channels = len(heard)
    out = np.full(channels, 0.1)
    model = np.zeros((channels, BANDS))
    for _ in range(_UPDATES):
        for j in range(channels):
            for b in range(BANDS):
                total = kit.noise[j, b]
                for i in range(channels):
                    total += kit.heard[j, i, b] * out[i]
                model[j, b] = 1.0 / total
        for i in range(channels):
            up, down = 0.0, 1e-30
            for j in range(channels):
                for b in range(BANDS):
                    share = kit.heard[j, i, b] * model[j, b]
                    up += share * model[j, b] * (heard[j, b] + kit.noise[j, b])
                    down += share
            out[i] *= np.sqrt(up / down)
    return out
