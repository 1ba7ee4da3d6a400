"""Drums by our own synthesis, with wide parameters: acoustic, electronic, hands and mouths.

Each call of a family draws one instrument; the voice it gives plays that instrument at several strengths.
Membranes ring in the modes of a circular membrane (zeros of Bessel functions, from memory), metal in many
close modes, electronic drums are swept sines, squares and filtered noise.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.signal import butter, sosfilt

from benchmarks.keep import RATE_HZ
from benchmarks.sorting.libraries import VELOCITIES, Voice, from_attack

Audio = NDArray[np.float64]
Play = Callable[[float], Audio]
# Modes of an ideal membrane against its lowest.
MEMBRANE = np.array([1.0, 1.593, 2.135, 2.295, 2.653, 2.917, 3.155, 3.5, 3.6, 4.06])


def _t(length_s: float) -> Audio:
    return np.arange(round(length_s * RATE_HZ)) / RATE_HZ


def _band(
    rng: np.random.Generator, t: Audio, low_hz: float, high_hz: float, grains: Audio | None = None
) -> Audio:
    high_hz = min(high_hz, 0.47 * RATE_HZ)
    sos = butter(2, [min(low_hz, 0.7 * high_hz), high_hz], "bandpass", fs=RATE_HZ, output="sos")
    return np.asarray(sosfilt(sos, rng.standard_normal(len(t)) if grains is None else grains))


def _log(rng: np.random.Generator, low: float, high: float) -> float:
    return float(np.exp(rng.uniform(np.log(low), np.log(high))))


def _ring(
    t: Audio, hz: Audio, level: Audio, decay_s: Audio, phase: Audio, bend: Audio | float = 0.0
) -> Audio:
    """Decaying sines; ``bend`` is a share of the pitch over time, (frames,)."""
    hz, level, decay_s, phase = (
        np.asarray(one, float)[hz < 0.48 * RATE_HZ] for one in (hz, level, decay_s, phase)
    )
    if isinstance(bend, float):
        return _steady(len(t), hz * (1.0 + bend), level, decay_s, phase)
    warp = np.cumsum(1.0 + bend) / RATE_HZ
    out = np.zeros(len(t))
    for f, a, d, p in zip(hz, level, decay_s, phase, strict=True):
        used = min(len(t), round(7.0 * d * RATE_HZ))
        out[:used] += a * np.exp(-t[:used] / d) * np.sin(2 * np.pi * f * warp[:used] + p)
    return out


def _steady(frames: int, hz: Audio, level: Audio, decay_s: Audio, phase: Audio) -> Audio:
    """Decaying sines of one pitch each: powers of complex numbers, as the product of every power within a
    block and of every block's first.
    """
    block, log = 256, (2j * np.pi * hz - 1.0 / decay_s) / RATE_HZ
    first = level[:, None] * np.exp(1j * phase[:, None] + log[:, None] * np.arange(0, frames, block)[None])
    within = np.exp(log[:, None] * np.arange(1, block + 1)[None])
    return np.asarray((first.T @ within).imag.ravel()[:frames])


def _membrane(
    rng: np.random.Generator,
    hz: float,
    decay_s: float,
    stick: float,
    bend: float,
    bend_s: float,
    length_s: float,
) -> Play:
    t, modes = _t(length_s), MEMBRANE[:8] * np.exp(rng.normal(0, 0.02, 8))
    tilt, damp, phase = rng.uniform(0.8, 2.2), rng.uniform(0.5, 1.4), rng.uniform(-0.5, 0.5, 8)
    click_hz, click_s, air = _log(rng, 700, 3000), _log(rng, 0.002, 0.009), rng.uniform(0.05, 0.4)

    def play(strength: float) -> Audio:
        level = np.arange(1, 9) ** -tilt * np.linspace(1, 0.4 + 0.6 * strength, 8)
        body = _ring(
            t,
            hz * modes,
            level,
            decay_s / modes**damp,
            phase,
            bend * (0.4 + 0.6 * strength) * np.exp(-t / bend_s),
        )
        click = _band(rng, t, click_hz, 5 * click_hz) * np.exp(-t / click_s)
        puff = _band(rng, t, 1.2 * hz, 8 * hz) * np.exp(-t / 0.03)
        return (body + stick * (0.3 + 0.7 * strength) * click + air * puff) * (1 - np.exp(-t / 0.0006))

    return play


def _metal(
    rng: np.random.Generator, low_hz: float, high_hz: float, count: int, decay_s: float, tilt: float
) -> tuple:
    hz = np.exp(rng.uniform(np.log(low_hz), np.log(high_hz), count))
    level = (hz / low_hz) ** tilt * rng.lognormal(0, 0.6, count) / np.sqrt(count)
    return (
        hz,
        level,
        decay_s * (low_hz / hz) ** 0.35 * rng.lognormal(0, 0.25, count),
        rng.uniform(0, 6.28, count),
    )


# --- acoustic ---------------------------------------------------------------------------------------------


def kick(rng: np.random.Generator) -> Play:
    """A bass drum, from a dead pillow to an open shell."""
    return _membrane(
        rng,
        _log(rng, 40, 85),
        _log(rng, 0.05, 0.35),
        rng.uniform(0.05, 1.2),
        rng.uniform(0.2, 2.0),
        _log(rng, 0.008, 0.04),
        0.9,
    )


def tom(low_hz: float, high_hz: float) -> Callable[[np.random.Generator], Play]:
    """A tom between two pitches."""

    def one(rng: np.random.Generator) -> Play:
        return _membrane(
            rng,
            _log(rng, low_hz, high_hz),
            _log(rng, 0.1, 0.5),
            rng.uniform(0.05, 0.7),
            rng.uniform(0.02, 0.3),
            _log(rng, 0.02, 0.08),
            1.4,
        )

    return one


def snare(rng: np.random.Generator) -> Play:
    """A snare drum: head, wires, stick; sometimes with much ring, sometimes dry."""
    t, hz = _t(0.6), _log(rng, 140, 290)
    head = _membrane(rng, hz, _log(rng, 0.03, 0.15), rng.uniform(0.2, 1.0), rng.uniform(0, 0.25), 0.012, 0.6)
    wires_s, low_hz, high_hz = _log(rng, 0.03, 0.16), _log(rng, 900, 2600), _log(rng, 6000, 15000)
    wires, rattle_s = rng.uniform(0.3, 1.4), _log(rng, 0.0005, 0.004)

    def play(strength: float) -> Audio:
        noise = _band(rng, t, low_hz, high_hz) * np.exp(-t / (wires_s * (0.6 + 0.5 * strength)))
        return 0.8 * head(strength) + wires * noise * (1 - np.exp(-t / rattle_s))

    return play


def side_stick(rng: np.random.Generator) -> Play:
    """The stick laid across: a few short modes of wood and rim."""
    t, count = _t(0.25), int(rng.integers(3, 7))
    hz = np.exp(rng.uniform(np.log(380), np.log(3200), count))
    decay, phase = np.exp(rng.uniform(np.log(0.006), np.log(0.035), count)), rng.uniform(0, 6.28, count)
    level, snap = rng.uniform(0.3, 1, count), rng.uniform(0.1, 0.9)

    def play(strength: float) -> Audio:
        click = _band(rng, t, 1800, 9000) * np.exp(-t / 0.003)
        return _ring(t, hz, level, decay, phase) + snap * (0.3 + 0.7 * strength) * click

    return play


def hat(rng: np.random.Generator) -> dict[str, Play]:
    """One pair of hats in all its ways."""
    low_hz, tilt, clang = _log(rng, 1800, 5200), rng.uniform(-0.2, 0.6), rng.uniform(0.3, 1.0)
    metal = _metal(rng, low_hz, _log(rng, 11000, 17000), 90, 1.0, tilt)
    shut_s, open_s = _log(rng, 0.012, 0.06), _log(rng, 0.22, 0.7)
    half_s = _log(rng, max(0.09, 1.8 * shut_s), 0.6 * open_s)
    foot, wash_hz = rng.uniform(0.3, 1.2), _log(rng, 4500, 8000)

    def way(decay_s: float, stick: float, clap: float) -> Play:
        t = _t(min(decay_s * 6 + 0.06, 1.8))
        hz, level, decay, phase = metal
        ring = _ring(t, hz, level, decay_s * decay, phase)

        def play(strength: float) -> Audio:
            wash = _band(rng, t, wash_hz, 16000) * np.exp(-t / (0.8 * decay_s))
            tip = _band(rng, t, 3000, 15000) * np.exp(-t / 0.0018)
            chick = _band(rng, t, 700, 5000) * np.exp(-t / 0.008)
            mix = clang * ring + 0.5 * wash + stick * (0.2 + 0.8 * strength) * tip + clap * chick
            return mix * (1 - np.exp(-t / 0.0004))

        return play

    return {
        "hi-hat/closed": way(shut_s, 0.9, 0.1),
        "hi-hat/half": way(half_s, 0.7, 0.05),
        "hi-hat/open": way(open_s, 0.6, 0.0),
        "hi-hat/pedal": way(1.1 * shut_s, 0.05, foot),
    }


def crash(rng: np.random.Generator) -> Play:
    """A crash: a wash that blooms and falls slowly."""
    length_s = 2.8
    t, decay_s = _t(length_s), _log(rng, 0.4, 1.6)
    hz, level, decay, phase = _metal(
        rng, _log(rng, 250, 700), _log(rng, 9000, 15000), 120, decay_s, rng.uniform(-0.2, 0.3)
    )
    ring, bloom_s, low = _ring(t, hz, level, decay, phase), _log(rng, 0.004, 0.03), _log(rng, 1800, 4000)

    def play(strength: float) -> Audio:
        wash = _band(rng, t, low, 15000) * (1 - np.exp(-t / bloom_s)) * np.exp(-t / (0.5 * decay_s))
        tip = _band(rng, t, 1500, 13000) * np.exp(-t / 0.004)
        return ring * (1 - 0.5 * np.exp(-t / bloom_s)) + (0.2 + 0.5 * strength) * wash + 0.5 * strength * tip

    return play


def ride(bell: bool) -> Callable[[np.random.Generator], Play]:
    """A ride on its bow or its bell."""

    def one(rng: np.random.Generator) -> Play:
        t, decay_s = _t(2.2), _log(rng, 0.35, 1.1)
        hz, level, decay, phase = _metal(
            rng, _log(rng, 300, 700), 12000, 100, decay_s, rng.uniform(-0.3, 0.1)
        )
        ring = _ring(t, hz, level, decay, phase) * rng.uniform(0.3, 0.9)
        few = 5 if bell else 3
        tone_hz = np.exp(rng.uniform(np.log(600 if bell else 2200), np.log(4200 if bell else 6500), few))
        tone_s = rng.uniform(0.2, 0.7, few) if bell else rng.uniform(0.04, 0.12, few)
        tone = _ring(t, tone_hz, rng.uniform(0.4, 1, few), tone_s, np.zeros(few)) * (0.8 if bell else 0.4)

        def play(strength: float) -> Audio:
            tip = _band(rng, t, 2800, 14000) * np.exp(-t / 0.003)
            return (ring + tone + (0.3 + 0.8 * strength) * tip) * (1 - np.exp(-t / 0.0003))

        return play

    return one


def clap(rng: np.random.Generator) -> Play:
    """Hands: one cupped burst or several of a crowd."""
    t, count = _t(0.4), int(rng.integers(1, 6))
    low_hz, wide = _log(rng, 600, 1500), rng.uniform(1.8, 6.0)
    at_s, tail_s = np.sort(rng.uniform(0, rng.uniform(0.004, 0.03), count)), _log(rng, 0.015, 0.11)
    at_s[0] = 0.0

    def play(strength: float) -> Audio:
        shape = sum(np.where(t >= at, np.exp(-(t - at) / 0.006), 0.0) for at in at_s)
        shape = shape + 0.6 * np.where(t >= at_s[-1], np.exp(-(t - at_s[-1]) / tail_s), 0.0)
        return _band(rng, t, low_hz, wide * low_hz) * shape

    return play


def tambourine(rng: np.random.Generator) -> Play:
    """Jingles that meet more than once."""
    t, low_hz, head = _t(0.5), _log(rng, 3200, 6500), rng.uniform(0, 1.2)
    decay_s, spread_s = _log(rng, 0.03, 0.15), _log(rng, 0.002, 0.02)
    hz = rng.uniform(low_hz, 15000, (6, 6))

    def play(strength: float) -> Audio:
        out = np.zeros(len(t))
        for jingle in hz:
            begin = int(RATE_HZ * abs(rng.normal(0, spread_s)))
            ring = _ring(t, jingle, rng.uniform(0.3, 1, 6), np.full(6, decay_s), rng.uniform(0, 6, 6))
            out[begin:] += ring[: len(t) - begin]
        return out + head * strength * _band(rng, t, 300, 1400) * np.exp(-t / 0.012)

    return play


def shaker(rng: np.random.Generator) -> Play:
    """Grains that swell and stop, and often fall back once more."""
    t, low_hz, rise_s, sharp = _t(0.35), _log(rng, 1800, 7500), _log(rng, 0.004, 0.05), rng.uniform(0.8, 3.0)
    dense, high_hz = _log(rng, 0.02, 1.0), rng.uniform(9000, 17000)
    back_s, back = rng.uniform(0.025, 0.1), rng.uniform(0.15, 0.7) if rng.random() < 0.4 else 0.0

    def swell(at_s: float, peak_s: float) -> Audio:
        x = np.maximum(t - at_s, 0.0) / peak_s
        return np.asarray(x**sharp * np.exp(sharp * (1 - x)))

    def play(strength: float) -> Audio:
        peak_s = rise_s * (1.3 - 0.5 * strength)
        shape = swell(0.0, peak_s) + back * swell(back_s, 0.6 * peak_s)
        grains = rng.standard_normal(len(t)) * (rng.random(len(t)) < dense)
        return _band(rng, t, low_hz, high_hz, grains=grains) * shape

    return play


def cowbell(rng: np.random.Generator) -> Play:
    """Two strong modes of bent iron."""
    t, hz = _t(0.6), _log(rng, 420, 950)
    parts = hz * np.array([1.0, rng.uniform(1.4, 1.6), rng.uniform(2.3, 3.2), rng.uniform(4, 6)])
    decay, level = (
        _log(rng, 0.03, 0.25) * np.array([1, 1, 0.6, 0.4]),
        np.array([1, 0.8, 0.4, 0.3]) * rng.uniform(0.5, 1.2, 4),
    )

    def play(strength: float) -> Audio:
        tip = _band(rng, t, 2000, 9000) * np.exp(-t / 0.003)
        return _ring(t, parts, level, decay, np.zeros(4)) + 0.5 * strength * tip

    return play


def woodblock(rng: np.random.Generator) -> Play:
    """A block or a pair of claves."""
    t, hz = _t(0.25), _log(rng, 550, 2800)
    parts = hz * np.array([1.0, rng.uniform(1.5, 2.2), rng.uniform(2.5, 4)])
    decay, level = (
        _log(rng, 0.01, 0.04) * np.array([1, 0.6, 0.4]),
        np.array([1, rng.uniform(0, 0.5), rng.uniform(0, 0.4)]),
    )

    def play(strength: float) -> Audio:
        tip = _band(rng, t, 1500, 8000) * np.exp(-t / 0.002)
        return _ring(t, parts, level, decay, np.zeros(3)) + 0.3 * strength * tip

    return play


def conga(rng: np.random.Generator) -> Play:
    """A hand on a skin: an open tone, a bass of the palm, or a slap."""
    way = rng.choice(["tone", "tone", "bass", "slap", "mute"])
    hz = _log(rng, 55, 110) if way == "bass" else _log(rng, 140, 480)
    decay = {"tone": 0.16, "bass": 0.14, "slap": 0.04, "mute": 0.03}[way] * _log(rng, 0.5, 1.8)
    body = _membrane(rng, hz, decay, rng.uniform(0.0, 0.25), rng.uniform(0, 0.12), 0.02, 0.8)
    t, slap = _t(0.8), {"tone": 0.15, "bass": 0.1, "slap": 1.5, "mute": 0.4}[way] * rng.uniform(0.5, 1.5)
    low = _log(rng, 500, 1800)

    def play(strength: float) -> Audio:
        hand = _band(rng, t, low, 5 * low) * np.exp(-t / 0.008)
        return body(strength) + slap * (0.4 + 0.6 * strength) * hand

    return play


def other(rng: np.random.Generator) -> Play:
    """None of these: a triangle, a scraped gourd, a bottle, a spring, a swept blip."""
    kind = int(rng.integers(5))
    t = _t(0.8)
    if kind == 0:
        hz, level, decay, phase = _metal(rng, _log(rng, 2000, 4500), 14000, 7, _log(rng, 0.1, 0.8), -0.2)
        return lambda strength: _ring(t, hz, level, decay, phase)
    if kind == 1:
        teeth, apart_s, low = int(rng.integers(5, 16)), _log(rng, 0.006, 0.02), _log(rng, 1200, 3500)
        ticks = sum(np.where(t >= n * apart_s, np.exp(-(t - n * apart_s) / 0.004), 0.0) for n in range(teeth))
        return lambda strength: _band(rng, t, low, 3 * low) * ticks
    if kind == 2:
        f, decay_s = _log(rng, 250, 1500), _log(rng, 0.03, 0.15)
        return lambda strength: (
            np.sin(2 * np.pi * f * t) * np.exp(-t / decay_s)
            + 0.2 * _band(rng, t, f, 4 * f) * np.exp(-t / 0.01)
        )
    if kind == 3:
        from_hz, to_hz, s = _log(rng, 300, 4000), _log(rng, 200, 4000), _log(rng, 0.03, 0.2)
        sweep = np.cumsum(to_hz + (from_hz - to_hz) * np.exp(-t / s)) / RATE_HZ
        return lambda strength: np.sign(np.sin(2 * np.pi * sweep)) * np.exp(-t / (1.5 * s))
    low, s = _log(rng, 200, 5000), _log(rng, 0.05, 0.25)
    return lambda strength: _band(rng, t, low, 1.4 * low) * np.exp(-t / s) * (1 - np.exp(-t / 0.01))


# --- electronic -------------------------------------------------------------------------------------------


def swept_kick(rng: np.random.Generator) -> Play:
    """A sine that falls: from a long boom to a hard knock."""
    t, hz, decay_s = _t(1.2), _log(rng, 36, 75), _log(rng, 0.06, 0.5)
    sweep, sweep_s, click, drive = (
        _log(rng, 1.0, 14.0),
        _log(rng, 0.006, 0.06),
        rng.uniform(0, 0.8),
        rng.uniform(0.3, 4),
    )
    phase = 2 * np.pi * np.cumsum(hz * (1 + sweep * np.exp(-t / sweep_s))) / RATE_HZ

    def play(strength: float) -> Audio:
        tip = _band(rng, t, 1500, 8000) * np.exp(-t / 0.003)
        return np.tanh(drive * np.sin(phase) * np.exp(-t / decay_s)) / np.tanh(drive) + click * strength * tip

    return play


def noise_snare(rng: np.random.Generator) -> Play:
    """Two sines and gated or falling noise."""
    t, hz, tone_s = _t(0.6), _log(rng, 120, 340), _log(rng, 0.02, 0.14)
    noise_s, low_hz, mix = _log(rng, 0.03, 0.25), _log(rng, 400, 3500), rng.uniform(0.15, 0.9)
    gate_s = rng.uniform(0.06, 0.3) if rng.random() < 0.25 else 9.0
    second, bend = rng.uniform(1.4, 2.0), rng.uniform(0, 1.0)

    def play(strength: float) -> Audio:
        warp = t + bend * 0.01 * (1 - np.exp(-t / 0.01))
        tone = (np.sin(2 * np.pi * hz * warp) + 0.6 * np.sin(2 * np.pi * second * hz * warp)) * np.exp(
            -t / tone_s
        )
        noise = _band(rng, t, low_hz, 16000) * np.exp(-t / noise_s) * (t < gate_s)
        return (1 - mix) * tone + mix * (0.6 + 0.4 * strength) * noise

    return play


def blip_stick(rng: np.random.Generator) -> Play:
    """A short filtered pulse."""
    t, hz, s = _t(0.15), _log(rng, 450, 2200), _log(rng, 0.005, 0.025)
    second = rng.uniform(1.5, 3.8)
    return lambda strength: (
        (np.sign(np.sin(2 * np.pi * hz * t)) + np.sin(2 * np.pi * second * hz * t)) * np.exp(-t / s)
    )


def square_hat(rng: np.random.Generator) -> dict[str, Play]:
    """Six squares through a high-pass, or plain noise."""
    shut_s, open_s = _log(rng, 0.012, 0.07), _log(rng, 0.2, 0.6)
    half_s, low_hz, noise = (
        _log(rng, max(1.8 * shut_s, 0.09), 0.6 * open_s),
        _log(rng, 4500, 9500),
        rng.uniform(0, 1),
    )
    hz = np.exp(rng.uniform(np.log(205), np.log(900), 6))
    t = _t(1.6)
    squares = np.sum([np.sign(np.sin(2 * np.pi * f * t)) for f in hz], axis=0) / 6
    sos = butter(3, [low_hz, 0.46 * RATE_HZ], "bandpass", fs=RATE_HZ, output="sos")

    def way(decay_s: float) -> Play:
        def play(strength: float) -> Audio:
            mix = (1 - noise) * squares + noise * rng.standard_normal(len(t))
            return np.asarray(sosfilt(sos, mix)) * np.exp(-t / decay_s)

        return play

    return {"hi-hat/closed": way(shut_s), "hi-hat/half": way(half_s), "hi-hat/open": way(open_s)}


def square_crash(rng: np.random.Generator) -> Play:
    """Squares and noise with a long fall."""
    t, decay_s, low_hz = _t(2.6), _log(rng, 0.4, 1.3), _log(rng, 1500, 5000)
    hz = np.exp(rng.uniform(np.log(250), np.log(1200), 8))
    squares = np.sum([np.sign(np.sin(2 * np.pi * f * t)) for f in hz], axis=0) / 8
    sos = butter(2, [low_hz, 17000], "bandpass", fs=RATE_HZ, output="sos")
    share = rng.uniform(0.2, 1)
    return lambda strength: (
        np.asarray(sosfilt(sos, (1 - share) * squares + share * rng.standard_normal(len(t))))
        * np.exp(-t / decay_s)
    )


def square_ride(rng: np.random.Generator) -> Play:
    """Close tones with a ping."""
    t, decay_s = _t(2.0), _log(rng, 0.3, 0.9)
    hz, level, decay, phase = _metal(rng, _log(rng, 500, 1500), 11000, 14, decay_s, 0.0)
    ping = rng.uniform(0.3, 1.0)
    return lambda strength: (
        _ring(t, hz, level, decay, phase) + ping * strength * _band(rng, t, 4000, 14000) * np.exp(-t / 0.004)
    )


def swept_tom(low_hz: float, high_hz: float) -> Callable[[np.random.Generator], Play]:
    """A sine that falls a little, with or without noise."""

    def one(rng: np.random.Generator) -> Play:
        t, hz, decay_s = _t(1.2), _log(rng, low_hz, high_hz), _log(rng, 0.07, 0.4)
        bend, bend_s, noise = rng.uniform(0.1, 1.2), _log(rng, 0.02, 0.12), rng.uniform(0, 0.3)
        phase = 2 * np.pi * np.cumsum(hz * (1 + bend * np.exp(-t / bend_s))) / RATE_HZ

        def play(strength: float) -> Audio:
            puff = _band(rng, t, 400, 5000) * np.exp(-t / 0.03)
            return np.sin(phase) * np.exp(-t / decay_s) + noise * strength * puff

        return play

    return one


def square_bell(rng: np.random.Generator) -> Play:
    """Two squares through a band-pass."""
    t, hz, s = _t(0.6), _log(rng, 450, 700), _log(rng, 0.03, 0.2)
    two = np.sign(np.sin(2 * np.pi * hz * t)) + np.sign(np.sin(2 * np.pi * 1.48 * hz * t))
    sos = butter(1, [hz, 5 * hz], "bandpass", fs=RATE_HZ, output="sos")
    filtered = np.asarray(sosfilt(sos, two))
    return lambda strength: filtered * (0.6 * np.exp(-t / (0.15 * s)) + 0.4 * np.exp(-t / s))


# --- digital ----------------------------------------------------------------------------------------------


def _modulated(t: Audio, hz: float, ratio: float, depth: float, fall_s: float) -> Audio:
    """A sine bent by another (Chowning, "The synthesis of complex audio spectra by means of frequency
    modulation", 1973).
    """
    return np.sin(2 * np.pi * hz * t + depth * np.exp(-t / fall_s) * np.sin(2 * np.pi * ratio * hz * t))


def _crushed(rng: np.random.Generator, x: Audio) -> Audio:
    """Held for some samples and rounded, as old samplers do."""
    hold, bits = int(rng.integers(1, 5)), int(rng.integers(5, 13))
    top = max(float(np.abs(x).max()), 1e-9)
    held = np.repeat(x[::hold], hold)[: len(x)]
    return np.round(held / top * 2 ** (bits - 1)) / 2 ** (bits - 1)


def fm_kick(rng: np.random.Generator) -> Play:
    """A low modulated sine with a hard front."""
    t, hz, s = _t(0.9), _log(rng, 40, 80), _log(rng, 0.05, 0.3)
    ratio, depth, fall_s = rng.uniform(0.5, 4), rng.uniform(0.5, 8), _log(rng, 0.004, 0.05)
    bend = 1 + _log(rng, 0.3, 4) * np.exp(-t / _log(rng, 0.008, 0.04))
    crush = rng.random() < 0.4

    def play(strength: float) -> Audio:
        x = _modulated(np.cumsum(bend) / RATE_HZ, hz, ratio, depth * (0.4 + 0.6 * strength), fall_s) * np.exp(
            -t / s
        )
        return _crushed(rng, x) if crush else x

    return play


def fm_snare(rng: np.random.Generator) -> Play:
    """A modulated tone under crushed noise."""
    t, hz, s = _t(0.5), _log(rng, 130, 320), _log(rng, 0.03, 0.16)
    ratio, depth, noise = rng.uniform(1.2, 7), rng.uniform(1, 9), rng.uniform(0.2, 0.9)
    low, noise_s, crush = _log(rng, 600, 3000), _log(rng, 0.04, 0.2), rng.random() < 0.5

    def play(strength: float) -> Audio:
        tone = _modulated(t, hz, ratio, depth * strength, 0.04) * np.exp(-t / s)
        x = (1 - noise) * tone + noise * _band(rng, t, low, 14000) * np.exp(-t / noise_s)
        return _crushed(rng, x) if crush else x

    return play


def fm_hat(rng: np.random.Generator) -> dict[str, Play]:
    """Two high sines that bend each other far, or crushed noise, behind a high-pass."""
    shut_s, open_s = _log(rng, 0.012, 0.06), _log(rng, 0.2, 0.6)
    half_s, hz, ratio = (
        _log(rng, max(0.09, 1.8 * shut_s), 0.6 * open_s),
        _log(rng, 2500, 7000),
        rng.uniform(1.1, 3.7),
    )
    depth, share = rng.uniform(3, 14), rng.uniform(0, 1)
    sos = butter(2, [_log(rng, 3500, 8000), 0.46 * RATE_HZ], "bandpass", fs=RATE_HZ, output="sos")

    def way(s: float) -> Play:
        t = _t(min(6 * s + 0.05, 1.6))

        def play(strength: float) -> Audio:
            x = share * _modulated(t, hz, ratio, depth, 9.0) + (1 - share) * rng.standard_normal(len(t))
            return np.asarray(sosfilt(sos, x)) * np.exp(-t / s)

        return play

    return {"hi-hat/closed": way(shut_s), "hi-hat/half": way(half_s), "hi-hat/open": way(open_s)}


def fm_tone(
    low_hz: float, high_hz: float, shortest_s: float, longest_s: float, bend: float, air: float
) -> Callable:
    """Toms, blocks, bells and hand drums as one modulated sine between two pitches."""

    def one(rng: np.random.Generator) -> Play:
        s = _log(rng, shortest_s, longest_s)
        t, hz = _t(min(7 * s, 2.4)), _log(rng, low_hz, high_hz)
        ratio, depth, falls = rng.uniform(0.7, 5.3), rng.uniform(0.2, 3), rng.uniform(0, bend)
        warp = np.cumsum(1 + falls * np.exp(-t / 0.05)) / RATE_HZ

        def play(strength: float) -> Audio:
            puff = _band(rng, t, 1.5 * hz, 12 * hz) * np.exp(-t / 0.01)
            return (
                _modulated(warp, hz, ratio, depth * (0.3 + 0.7 * strength), 0.3 * s) * np.exp(-t / s)
                + air * puff
            )

        return play

    return one


def combed_crash(rng: np.random.Generator) -> Play:
    """Noise through combs, with a long fall."""
    t, s, low = _t(2.4), _log(rng, 0.35, 1.1), _log(rng, 900, 3500)
    lags = rng.integers(40, 400, 3)

    def play(strength: float) -> Audio:
        x = _band(rng, t, low, 15000)
        for lag in lags:
            x[lag:] += 0.6 * x[:-lag]
        return x * np.exp(-t / s) * (1 - np.exp(-t / 0.003))

    return play


# --- by mouth ---------------------------------------------------------------------------------------------


def mouth_kick(rng: np.random.Generator) -> Play:
    """A plosive of the lips."""
    t, hz, s = _t(0.35), _log(rng, 65, 170), _log(rng, 0.025, 0.09)
    bend, breath = rng.uniform(0.2, 1.5), rng.uniform(0.1, 0.8)
    phase = 2 * np.pi * np.cumsum(hz * (1 + bend * np.exp(-t / 0.02))) / RATE_HZ

    def play(strength: float) -> Audio:
        puff = _band(rng, t, 150, _log(rng, 900, 2500)) * np.exp(-t / 0.02)
        return np.sin(phase) * np.exp(-t / s) * (1 - np.exp(-t / 0.004)) + breath * puff

    return play


def mouth_snare(rng: np.random.Generator) -> Play:
    """A burst of breath through the teeth or the cheek."""
    t, low, wide, s = _t(0.35), _log(rng, 700, 2200), rng.uniform(2, 5), _log(rng, 0.03, 0.1)
    voice, hz, rise_s = rng.uniform(0, 0.5), _log(rng, 120, 300), _log(rng, 0.001, 0.008)

    def play(strength: float) -> Audio:
        noise = _band(rng, t, low, wide * low) * np.exp(-t / s)
        return (noise + voice * np.sin(2 * np.pi * hz * t) * np.exp(-t / 0.03)) * (1 - np.exp(-t / rise_s))

    return play


def mouth_hat(rng: np.random.Generator) -> dict[str, Play]:
    """A hiss, cut short or let go."""
    low, rise_s = _log(rng, 3500, 6500), _log(rng, 0.001, 0.01)
    shut_s, open_s = _log(rng, 0.012, 0.05), _log(rng, 0.12, 0.3)

    def way(s: float) -> Play:
        t = _t(min(6 * s + 0.05, 1.2))
        return lambda strength: _band(rng, t, low, 14000) * np.exp(-t / s) * (1 - np.exp(-t / rise_s))

    return {"hi-hat/closed": way(shut_s), "hi-hat/open": way(open_s)}


_HANDS = {
    "clap": clap,
    "tambourine": tambourine,
    "shaker": shaker,
    "cowbell": cowbell,
    "woodblock": woodblock,
    "conga": conga,
    "else": other,
}
FAMILIES: dict[str, dict[str, Callable]] = {
    "made acoustic": {
        "kick": kick,
        "snare": snare,
        "snare/side": side_stick,
        "hi-hat": hat,
        "rack-tom": tom(110, 200),
        "mid-tom": tom(85, 135),
        "floor-tom": tom(55, 95),
        "crash": crash,
        "ride": ride(False),
        "ride/bell": ride(True),
        **_HANDS,
    },
    "made analogue": {
        "kick": swept_kick,
        "snare": noise_snare,
        "snare/side": blip_stick,
        "hi-hat": square_hat,
        "rack-tom": swept_tom(130, 260),
        "mid-tom": swept_tom(95, 160),
        "floor-tom": swept_tom(60, 110),
        "crash": square_crash,
        "ride": square_ride,
        "ride/bell": square_ride,
        **_HANDS,
        "cowbell": square_bell,
    },
    "made digital": {
        "kick": fm_kick,
        "snare": fm_snare,
        "snare/side": fm_tone(500, 2400, 0.005, 0.02, 0.2, 1.0),
        "hi-hat": fm_hat,
        "rack-tom": fm_tone(120, 260, 0.06, 0.3, 0.8, 0.2),
        "mid-tom": fm_tone(90, 150, 0.08, 0.35, 0.8, 0.2),
        "floor-tom": fm_tone(58, 105, 0.1, 0.4, 0.8, 0.2),
        "crash": combed_crash,
        "ride": fm_tone(1500, 5000, 0.2, 0.7, 0.0, 0.7),
        "ride/bell": fm_tone(600, 1500, 0.2, 0.6, 0.0, 0.3),
        **_HANDS,
        "cowbell": fm_tone(480, 900, 0.03, 0.2, 0.0, 0.3),
        "woodblock": fm_tone(700, 2800, 0.008, 0.03, 0.0, 0.2),
        "conga": fm_tone(110, 450, 0.03, 0.2, 0.3, 0.5),
    },
    "made mouth": {
        "kick": mouth_kick,
        "snare": mouth_snare,
        "hi-hat": mouth_hat,
        "clap": clap,
        "else": other,
    },
}


@lru_cache(maxsize=16)
def made(family: str, sound: str, seed: int) -> dict[str, Voice]:
    """One instrument of a family by its sound or, for a hi-hat, all its sounds; the same seed gives the
    same.
    """
    rng = np.random.default_rng([seed, *family.encode(), *sound.encode()])
    drawn = FAMILIES[family][sound](rng)
    plays = drawn if isinstance(drawn, dict) else {sound: drawn}
    out = {}
    for name, play in plays.items():
        strokes = [
            from_attack((0.5 * s / np.abs(s).max()).astype(np.float32))
            for s in (play(v / 127) for v in VELOCITIES)
        ]
        out[name] = Voice(name, tuple(stroke for stroke in strokes if stroke is not None), VELOCITIES)
    return out
