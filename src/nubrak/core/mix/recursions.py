"""What a stage does from one sample to the next, compiled: recursions that no array operation has. All of
them let go of the interpreter, so that parts are worked on side by side.
"""

from __future__ import annotations

import numba
import numpy as np
from numpy.typing import NDArray

from nubrak.core.mix.dynamics import LEVEL_STEP

_VALUES = 2 * LEVEL_STEP  # of both channels in a step
BENT_FRAMES = 1024  # at a time: what lies near is read soon
_ONE_DB = np.log(10.0) / 20.0


@numba.njit(cache=True, nogil=True, fastmath={"reassoc", "nsz"})
def taken_in(sound: NDArray[np.float32]) -> tuple[NDArray[np.float64], float, bool]:
    """Sound (frames, 2) as stages work on it, its largest sample, and whether all of it are numbers."""
    out = np.empty(sound.shape, np.float64)
    values, made = sound.reshape(-1), out.reshape(-1)
    largest, strange = np.float32(0.0), np.float32(0.0)
    for k in range(len(values)):
        x = values[k]
        made[k] = x
        largest = max(largest, abs(x))
        strange += x * np.float32(0.0)
    return out, float(largest), bool(strange == 0.0)


@numba.njit(cache=True, nogil=True)
def add_mono(out: NDArray[np.float32], sound: NDArray[np.float32]) -> None:
    """Add a signal (frames,) to both sides of ``out`` (frames, 2)."""
    for n in range(len(out)):
        out[n, 0] += sound[n]
        out[n, 1] += sound[n]


@numba.njit(cache=True, nogil=True)
def handed_on(sound: NDArray[np.float64], begin: int, frames: int, most: float) -> NDArray[np.float32]:
    """A stretch of sound (…, 2) as it leaves stages, (frames, 2), nothing over ``most``."""
    out = np.empty((frames, 2), np.float32)
    for n in range(frames):
        for c in range(2):
            out[n, c] = min(max(sound[begin + n, c], -most), most)
    return out


@numba.njit(cache=True, nogil=True)
def placed(sound: NDArray[np.float32], left: float, right: float) -> NDArray[np.float32]:
    """Sound (frames, 2) with a gain for each side."""
    out = np.empty_like(sound)
    for n in range(len(sound)):
        out[n, 0], out[n, 1] = sound[n, 0] * np.float32(left), sound[n, 1] * np.float32(right)
    return out


@numba.njit(cache=True, nogil=True)
def levelled(sound: NDArray[np.float64], levels: NDArray[np.float64], early: int) -> NDArray[np.float64]:
    """Sound (frames, 2) times ``levels`` (steps + 1,), the first of which stands ``early`` samples before it,
    and on a line between them.
    """
    out = np.empty_like(sound)
    heard, made = sound.reshape(-1), out.reshape(-1)
    for step in range(len(levels) - 1):
        begin = step * LEVEL_STEP - early
        gain, slope = levels[step], (levels[step + 1] - levels[step]) / LEVEL_STEP
        if begin >= 0 and begin + LEVEL_STEP <= len(sound):
            one, other = heard[2 * begin : 2 * begin + _VALUES], made[2 * begin : 2 * begin + _VALUES]
            for k in range(_VALUES):
                other[k] = one[k] * (gain + slope * (k // 2))
            continue
        for n in range(max(begin, 0), min(begin + LEVEL_STEP, len(sound))):
            out[n, 0] = sound[n, 0] * (gain + slope * (n - begin))
            out[n, 1] = sound[n, 1] * (gain + slope * (n - begin))
    return out


@numba.njit(cache=True, nogil=True, fastmath={"contract", "nsz"})
def filtered(sections: NDArray[np.float64], sound: NDArray[np.float64]) -> NDArray[np.float64]:
    """Sound (frames, 2) through second-order sections (n, 6), from rest, (frames, 2): transposed direct form
    II, two sections and both channels in one pass.
    """
    out = sound.copy()
    for at in range(0, len(sections), 2):
        b0, b1, b2, _, a1, a2 = sections[at]
        c0, c1, c2, d1, d2 = 1.0, 0.0, 0.0, 0.0, 0.0
        if at + 1 < len(sections):
            c0, c1, c2, _, d1, d2 = sections[at + 1]
        l1 = l2 = r1 = r2 = m1 = m2 = s1 = s2 = 0.0
        for n in range(len(out)):
            x, y = out[n, 0], out[n, 1]
            u, v = b0 * x + l1, b0 * y + r1
            l1, r1 = b1 * x - a1 * u + l2, b1 * y - a1 * v + r2
            l2, r2 = b2 * x - a2 * u, b2 * y - a2 * v
            p, q = c0 * u + m1, c0 * v + s1
            m1, s1 = c1 * u - d1 * p + m2, c1 * v - d1 * q + s2
            m2, s2 = c2 * u - d2 * p, c2 * v - d2 * q
            out[n, 0], out[n, 1] = p, q
    return out


@numba.njit(cache=True, nogil=True, fastmath={"nnan", "nsz", "reassoc"})
def turned_down(
    heard: NDArray[np.float64], curve: tuple[float, float, float], attack: float, release: float
) -> NDArray[np.float64]:
    """How far what is heard (frames, 2) is turned down at the end of each ``LEVEL_STEP``, (steps,) in dB: its
    loudest sample over the curve (threshold in dB, slope, knee in dB), followed up by the coefficient
    ``attack`` a step and down by ``release``.
    """
    threshold, slope, knee = curve
    begins = 10.0 ** ((threshold - knee / 2.0) / 20.0)
    frames, values = len(heard), heard.reshape(-1)
    steps = -(-frames // LEVEL_STEP)
    out = np.empty(steps)
    now = 0.0
    for step in range(steps):
        loudest, wanted = 0.0, 0.0
        if (step + 1) * LEVEL_STEP <= frames:
            near = values[step * _VALUES : (step + 1) * _VALUES]
            for k in range(_VALUES):
                loudest = max(loudest, abs(near[k]))
        else:
            for k in range(step * _VALUES, len(values)):
                loudest = max(loudest, abs(values[k]))
        if loudest > begins:
            over = np.log(loudest) / _ONE_DB - threshold
            wanted = slope * over if over >= knee / 2.0 else slope * (over + knee / 2.0) ** 2 / (2.0 * knee)
        keep = attack if wanted > now else release
        now = keep * now + (1.0 - keep) * wanted
        out[step] = now
    return out


@numba.njit(cache=True, nogil=True)
def gains_of(down_db: NDArray[np.float64], make_up_db: float, wet: float) -> NDArray[np.float64]:
    """What is turned down by ``down_db`` (steps,) and up by ``make_up_db`` is multiplied by, of that the
    share ``wet``: at its beginning and the end of each step, (steps + 1,).
    """
    up = 10.0 ** (make_up_db / 20.0)
    out = np.empty(len(down_db) + 1)
    out[0] = (1.0 - wet) + wet * up
    for step in range(len(down_db)):
        one = down_db[step]
        out[step + 1] = (1.0 - wet) + wet * up * (np.exp(-one * _ONE_DB) if one > 1e-9 else 1.0)
    return out


@numba.njit(cache=True, nogil=True, fastmath=True)
def _add_weighed(out: NDArray[np.float32], heard: NDArray[np.float32], weights: NDArray[np.float32]) -> None:
    """Add to ``out`` (frames,) what ``weights`` (taps,), a multiple of four, make of ``heard``."""
    for k in range(0, len(weights), 4):
        a, b, c, d = weights[k], weights[k + 1], weights[k + 2], weights[k + 3]
        one, two, three, four = heard[k:], heard[k + 1 :], heard[k + 2 :], heard[k + 3 :]
        for n in range(len(out)):
            out[n] += a * one[n] + b * two[n] + c * three[n] + d * four[n]


@numba.njit(cache=True, nogil=True, fastmath=True)
def bent_finely(
    sound: NDArray[np.float32], up: NDArray[np.float32], down: NDArray[np.float32], gain: float
) -> NDArray[np.float32]:
    """Sound (frames,) at a finer rate by the phases ``up`` (times, taps), bent there by the mean of the curve
    between two samples, and brought down again by the phases ``down`` (times, taps); (frames − 2 taps,).
    """
    times, taps = up.shape
    wanted = len(sound) - 2 * taps
    out = np.zeros(wanted, np.float32)
    fine = np.empty((times, BENT_FRAMES + taps + 1), np.float32)
    root, soft, one = np.empty_like(fine), np.float32((2.0 / np.pi) ** 2), np.float32(1.0)
    for begin in range(0, wanted, BENT_FRAMES):
        frames = min(BENT_FRAMES, wanted - begin)
        count = frames + taps + 1
        # One sample before, for the last phase there is what the first here follows.
        heard = sound[max(begin - 1, 0) :]
        late = 0 if begin else 1
        for phase in range(times):
            fine[phase, 0] = 0.0
            fine[phase, late:count] = 0.0
            _add_weighed(fine[phase, late:count], heard, up[phase])
            for n in range(count):
                fine[phase, n] *= np.float32(gain)
                root[phase, n] = np.sqrt(one + soft * fine[phase, n] * fine[phase, n])
        last, last_root = fine[times - 1].copy(), root[times - 1].copy()
        for phase in range(times - 1, 0, -1):
            for n in range(count):
                fine[phase, n] = (fine[phase, n] + fine[phase - 1, n]) / (root[phase, n] + root[phase - 1, n])
        for n in range(1, count):
            fine[0, n] = (fine[0, n] + last[n - 1]) / (root[0, n] + last_root[n - 1])
        for phase in range(times):
            _add_weighed(out[begin : begin + frames], fine[phase, 1:], down[phase])
    return out


@numba.njit(cache=True, nogil=True)
def stroke_levels(
    begins: NDArray[np.int64], told: tuple[float, float, int, int, int], start: int, steps: int
) -> NDArray[np.float64]:
    """The gain of strokes that begin at samples ``begins`` (n,), in order, at sample ``start`` and every
    ``LEVEL_STEP`` from there, (steps + 1,). ``told``: the level of the attack and of the body in dB, in how
    many samples it is there, how long the attack lasts with that, and the body.
    """
    attack_db, body_db, rise, attack, body = told
    out = np.ones(steps + 1)
    last = -1
    for step in range(steps + 1):
        at = start + step * LEVEL_STEP
        while last + 1 < len(begins) and begins[last + 1] <= at:
            last += 1
        if last < 0:
            continue
        since = at - begins[last]
        level = _level_db(since, attack_db, body_db, attack, body)
        if since < rise:
            # Where the stroke before leaves it, this one takes it up.
            left = 0.0
            if last > 0:
                left = _level_db(begins[last] - begins[last - 1], attack_db, body_db, attack, body)
            level = left + (attack_db - left) * _eased(since / rise)
        if level != 0.0:
            out[step] = np.exp(level * _ONE_DB)
    return out


@numba.njit(cache=True, nogil=True)
def _level_db(since: int, attack_db: float, body_db: float, attack: int, body: int) -> float:
    """The level so many samples after a stroke's beginning, once it has risen."""
    if since >= 2 * attack + body // 2 + max(body // 2, 1):
        return 0.0
    over = _eased((since - attack) / max(attack, 1))
    gone = _eased((since - 2 * attack - body // 2) / max(body // 2, 1))
    return (attack_db + (body_db - attack_db) * over) * (1.0 - gone)


@numba.njit(cache=True, nogil=True)
def _eased(share: float) -> float:
    if share <= 0.0:
        return 0.0
    return 1.0 if share >= 1.0 else 0.5 - 0.5 * np.cos(np.pi * share)


@numba.njit(cache=True, nogil=True)
def swept(
    sound: NDArray[np.float64], cutoff: NDArray[np.float64], damping: float, high: bool
) -> NDArray[np.float64]:
    """Sound (frames, 2) through a low-pass or high-pass whose cutoff moves: ``cutoff`` is tan(π f / rate) at
    the end of each ``LEVEL_STEP``, (steps,); from rest.

    The state-variable filter with trapezoidal integration (Zavalishin, "The art of VA filter design", 2012).
    """
    out = np.empty_like(sound)
    frames = len(sound)
    state = np.zeros((2, 2))
    for step in range(len(cutoff)):
        g = cutoff[step]
        a = 1.0 / (1.0 + g * (g + damping))
        for n in range(step * LEVEL_STEP, min((step + 1) * LEVEL_STEP, frames)):
            for c in range(2):
                x = sound[n, c]
                up = (x - (g + damping) * state[c, 0] - state[c, 1]) * a
                band = g * up + state[c, 0]
                low = g * band + state[c, 1]
                state[c, 0] = g * up + band
                state[c, 1] = g * band + low
                out[n, c] = up if high else low
    return out
