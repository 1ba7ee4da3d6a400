"""Plain strokes for tests, which stay as they are whatever the kits that ship sound like: modes of struck
membranes and metal, and noise, shaped as the strength asks.

Membranes ring in the modes of a circular membrane (ratios from the zeros of Bessel functions, as in Fletcher
and Rossing, The Physics of Musical Instruments, from memory), falling in pitch as the head relaxes; metal
rings in many close modes. A harder stroke is not only louder: it is brighter and longer. Everything follows
from the generator that is handed in.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.signal import butter, lfilter, sosfilt

Audio = NDArray[np.float32]
# Modes of an ideal membrane against its lowest: zeros of Bessel functions.
MEMBRANE = np.array([1.0, 1.593, 2.135, 2.295, 2.653, 2.917, 3.155, 3.5, 3.6, 4.06])


def _time(length_s: float, rate_hz: int) -> NDArray[np.float64]:
    return np.arange(round(length_s * rate_hz)) / rate_hz


@lru_cache(maxsize=256)
def _band_filter(low_hz: float, high_hz: float, rate_hz: int) -> NDArray[np.float64]:
    return np.asarray(butter(2, [low_hz, min(high_hz, 0.45 * rate_hz)], "bandpass", fs=rate_hz, output="sos"))


def _band(noise: NDArray[np.float64], low_hz: float, high_hz: float, rate_hz: int) -> NDArray[np.float64]:
    return np.asarray(sosfilt(_band_filter(low_hz, high_hz, rate_hz), noise))


def _modes(
    t: NDArray[np.float64],
    hz: NDArray[np.float64],
    level: NDArray[np.float64],
    decay_s: NDArray[np.float64],
    phase: NDArray[np.float64],
    bend: float = 0.0,
    bend_s: float = 0.03,
) -> NDArray[np.float64]:
    """A sum of decaying sines; ``bend`` is how far all start above their pitch, as a share."""
    warp = t + bend * bend_s * (1.0 - np.exp(-t / bend_s))
    out = np.zeros(len(t))
    for f, a, d, p in zip(hz, level, decay_s, phase, strict=True):
        used = min(len(t), int(np.searchsorted(t, 7.0 * d)))
        out[:used] += a * np.exp(-t[:used] / d) * np.sin(2 * np.pi * f * warp[:used] + p)
    return out


@lru_cache(maxsize=64)
def _metal(
    length_s: float,
    rate_hz: int,
    plate: int,
    count: int,
    low_hz: float,
    high_hz: float,
    decay_s: float,
    tilt: float,
) -> NDArray[np.float64]:
    """A dense cluster of metal modes: how the plate number ``plate`` rings, the same every time it is
    struck.
    """
    rng = np.random.default_rng(plate)
    t = _time(length_s, rate_hz)
    hz = np.exp(rng.uniform(np.log(low_hz), np.log(high_hz), count))
    level = (hz / low_hz) ** tilt * rng.lognormal(0, 0.5, count)
    decay = decay_s * (low_hz / hz) ** 0.35 * rng.lognormal(0, 0.25, count)
    return _modes(t, hz, level, decay, rng.uniform(0, 2 * np.pi, count)) / np.sqrt(count)


def _level(audio: NDArray[np.float64], strength: float, peak: float, rate_hz: int) -> Audio:
    """Normalised to ``peak`` at full strength and to the square of the strength below it, with a short fade
    at the end.
    """
    audio = audio / max(float(np.abs(audio).max()), 1e-9) * peak * strength**2
    fade = min(len(audio), rate_hz // 50)
    audio[-fade:] *= np.linspace(1, 0, fade)
    return audio.astype(np.float32)


def kick(rng: np.random.Generator, strength: float, rate_hz: int) -> Audio:
    """A bass drum with a felt beater: a low mode that bends down, a shell, and the beater's knock."""
    t = _time(0.55, rate_hz)
    f = 53.0 * (1 + rng.normal(0, 0.004))
    body = _modes(
        t,
        f * np.array([1.0, 1.59, 2.14]),
        np.array([1.0, 0.28, 0.12]),
        np.array([0.15, 0.09, 0.05]),
        np.array([0.25, 1.0, 2.0]),
        bend=1.1 + 0.7 * strength,
        bend_s=0.018,
    )
    knock = _band(rng.standard_normal(len(t)), 1400, 5200, rate_hz) * np.exp(-t / 0.0045)
    thud = _band(rng.standard_normal(len(t)), 120, 600, rate_hz) * np.exp(-t / 0.016)
    rise = 1 - np.exp(-t / 0.0009)
    return _level((body + 0.55 * strength * knock + 0.5 * thud) * rise, strength, 0.9, rate_hz)


def snare(rng: np.random.Generator, strength: float, rate_hz: int, rim: bool = False) -> Audio:
    """A snare drum: two heads, wires that rattle after them, and the stick."""
    t = _time(0.5, rate_hz)
    f = 186.0 * (1 + rng.normal(0, 0.005))
    head = _modes(
        t,
        f * MEMBRANE[:6],
        np.array([1.0, 0.7, 0.35, 0.3, 0.2, 0.15]),
        0.085 / MEMBRANE[:6] ** 0.7,
        rng.uniform(-0.3, 0.3, 6),
        bend=0.12 * strength,
        bend_s=0.012,
    )
    wires = _band(rng.standard_normal(len(t)), 1600, 9500, rate_hz) * (
        np.exp(-t / (0.035 + 0.045 * strength)) * (1 - np.exp(-t / 0.0022))
    )
    buzz = _band(rng.standard_normal(len(t)), 400, 2600, rate_hz) * np.exp(-t / 0.045)
    stick = _band(rng.standard_normal(len(t)), 2500, 11000, rate_hz) * np.exp(-t / 0.0022)
    rise = 1 - np.exp(-t / 0.00035)
    ring = (
        _modes(t, np.array([486.0, 1120.0]), np.array([0.5, 0.3]), np.array([0.09, 0.05]), np.zeros(2))
        if rim
        else 0.0
    )
    mix = 0.75 * head + (0.75 + 0.5 * strength) * wires + 0.4 * buzz + 0.9 * strength * stick + ring
    return _level(mix * rise, strength, 0.85, rate_hz)


def _tom(rng: np.random.Generator, strength: float, rate_hz: int, f: float, length_s: float) -> Audio:
    t = _time(length_s * 3.2, rate_hz)
    f *= 1 + rng.normal(0, 0.003)
    head = _modes(
        t,
        f * MEMBRANE[:8],
        np.array([1.0, 0.55, 0.3, 0.25, 0.2, 0.12, 0.1, 0.08]) * np.linspace(1, 0.5 + 0.5 * strength, 8),
        length_s / MEMBRANE[:8] ** 1.1,
        rng.uniform(-0.4, 0.4, 8),
        bend=0.1 + 0.14 * strength,
        bend_s=0.05,
    )
    stick = _band(rng.standard_normal(len(t)), 900, 6000, rate_hz) * np.exp(-t / 0.004)
    air = _band(rng.standard_normal(len(t)), 150, 900, rate_hz) * np.exp(-t / 0.03)
    return _level(
        (head + 0.35 * strength * stick + 0.22 * air) * (1 - np.exp(-t / 0.0006)), strength, 0.85, rate_hz
    )


def rack_tom(rng: np.random.Generator, strength: float, rate_hz: int) -> Audio:
    """A small tom."""
    return _tom(rng, strength, rate_hz, 128.0, 0.26)


def floor_tom(rng: np.random.Generator, strength: float, rate_hz: int) -> Audio:
    """A large tom on the floor."""
    return _tom(rng, strength, rate_hz, 74.0, 0.42)


def _hat(rng: np.random.Generator, strength: float, rate_hz: int, decay_s: float, chick: float) -> Audio:
    length_s = min(decay_s * 6 + 0.05, 1.6)
    t = _time(length_s, rate_hz)
    ring = _metal(length_s, rate_hz, 71, 130, 3100, 15500, decay_s, 0.35)
    wash = _band(rng.standard_normal(len(t)), 5200, 15500, rate_hz) * np.exp(-t / (decay_s * 0.8))
    stick = _band(rng.standard_normal(len(t)), 3000, 14000, rate_hz) * np.exp(-t / 0.0016)
    clap = _band(rng.standard_normal(len(t)), 900, 4200, rate_hz) * np.exp(-t / 0.006)
    mix = 0.9 * ring + 0.5 * wash + (0.4 + 0.9 * strength) * stick * (1 - chick) + chick * clap
    return _level(mix * (1 - np.exp(-t / 0.0004)), strength, 0.55, rate_hz)


def hat_closed(rng: np.random.Generator, strength: float, rate_hz: int) -> Audio:
    """A closed hi-hat."""
    return _hat(rng, strength, rate_hz, 0.035 + 0.02 * round(strength * 8) / 8, 0.1)


def hat_open(rng: np.random.Generator, strength: float, rate_hz: int) -> Audio:
    """An open hi-hat."""
    return _hat(rng, strength, rate_hz, 0.32, 0.05)


def hat_pedal(rng: np.random.Generator, strength: float, rate_hz: int) -> Audio:
    """A hi-hat closed with the foot."""
    return _hat(rng, strength, rate_hz, 0.03, 0.8)


def crash(rng: np.random.Generator, strength: float, rate_hz: int) -> Audio:
    """A crash cymbal: the wash blooms after the stick and falls slowly."""
    t = _time(2.6, rate_hz)
    ring = _metal(2.6, rate_hz, 83, 220, 340, 12500, 1.15, 0.1)
    wash = (
        _band(rng.standard_normal(len(t)), 2600, 14000, rate_hz) * (1 - np.exp(-t / 0.012)) * np.exp(-t / 0.5)
    )
    stick = _band(rng.standard_normal(len(t)), 1500, 12000, rate_hz) * np.exp(-t / 0.004)
    return _level(
        (ring * (1 - 0.6 * np.exp(-t / 0.02)) + 0.55 * strength * wash + 0.55 * stick)
        * (1 - np.exp(-t / 0.0005)),
        strength,
        0.7,
        rate_hz,
    )


def ride(rng: np.random.Generator, strength: float, rate_hz: int, bell: bool = False) -> Audio:
    """A ride cymbal: a clear stick over a quiet wash; on the bell a few strong modes."""
    t = _time(1.9, rate_hz)
    ring = _metal(1.9, rate_hz, 97, 150, 420, 11000, 0.75, -0.05)
    bow = _modes(
        t,
        np.array([2960.0, 4310.0, 5870.0]),
        np.array([0.5, 0.4, 0.25]),
        np.array([0.08, 0.06, 0.05]),
        np.zeros(3),
    )
    dome = _modes(
        t,
        np.array([806.0, 1543.0, 2230.0, 3410.0]),
        np.array([0.9, 0.8, 0.5, 0.4]),
        np.array([0.6, 0.5, 0.35, 0.3]),
        np.zeros(4),
    )
    stick = _band(rng.standard_normal(len(t)), 2800, 13000, rate_hz) * np.exp(-t / 0.003)
    return _level(
        (0.75 * ring + (dome if bell else 0.6 * bow) + 0.9 * stick) * (1 - np.exp(-t / 0.0003)),
        strength,
        0.6,
        rate_hz,
    )


def clap(rng: np.random.Generator, strength: float, rate_hz: int) -> Audio:
    """Two hands: a cupped burst with a smaller one just after."""
    t = _time(0.3, rate_hz)
    f = 1150.0 * (1 + rng.normal(0, 0.08))
    noise = rng.standard_normal(len(t))
    cup = _band(noise, f * 0.7, f * 1.6, rate_hz) + 0.5 * _band(noise, 2200, 7500, rate_hz)
    later = 0.004 + 0.003 * rng.random()
    burst = (
        np.exp(-t / 0.009)
        + 0.5 * np.where(t > later, np.exp(-(t - later) / 0.02), 0.0)
        + 0.06 * np.exp(-t / 0.06)
    )
    return _level(cup * burst * (1 - np.exp(-t / 0.0003)), strength, 0.8, rate_hz)


def tambourine(rng: np.random.Generator, strength: float, rate_hz: int) -> Audio:
    """Jingles: a handful of small plates that meet more than once."""
    t = _time(0.45, rate_hz)
    out = np.zeros(len(t))
    jingles = np.random.default_rng(59)
    for _ in range(7):
        begin = int(rate_hz * abs(rng.normal(0, 0.006)))
        hz = jingles.uniform(4200, 14500, 9)
        ring = _modes(
            t, hz, jingles.uniform(0.3, 1, 9), np.full(9, 0.07 + 0.04 * strength), rng.uniform(0, 6, 9)
        )
        out[begin:] += ring[: len(t) - begin] * rng.uniform(0.5, 1)
    hit = _band(rng.standard_normal(len(t)), 300, 1200, rate_hz) * np.exp(-t / 0.012)
    return _level((out + 1.4 * strength * hit) * (1 - np.exp(-t / 0.0004)), strength, 0.6, rate_hz)


def shaker(rng: np.random.Generator, strength: float, rate_hz: int) -> Audio:
    """Grains in an egg: noise that swells and stops."""
    t = _time(0.22, rate_hz)
    peak_s = 0.018 - 0.008 * strength
    swell = (t / peak_s) ** 1.4 * np.exp(1.4 * (1 - t / peak_s))
    grains = rng.standard_normal(len(t)) * (rng.random(len(t)) < 0.35)
    return _level(
        lfilter([1, -0.6], [1], _band(grains, 4200, 15500, rate_hz)) * swell, strength, 0.5, rate_hz
    )


STROKES: dict[str, Callable[[np.random.Generator, float, int], Audio]] = {
    "kick": kick,
    "snare": snare,
    "rack-tom": rack_tom,
    "floor-tom": floor_tom,
    "hat-closed": hat_closed,
    "hat-open": hat_open,
    "hat-pedal": hat_pedal,
    "crash": crash,
    "ride": ride,
    "clap": clap,
    "tambourine": tambourine,
    "shaker": shaker,
}
