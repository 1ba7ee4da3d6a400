"""One instrument made into another of its kind: equalised, tuned, damped, driven, in a room of its own, with
its attack brought out or put back, layered with a second one.

Libraries hold few drums; what is taught on them knows those. Only loops to learn from are played on varied
instruments; what is scored stays as its library has it.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.signal import fftconvolve, sosfilt

from benchmarks.keep import RATE_HZ
from benchmarks.sorting.libraries import Voice, from_attack

Audio = NDArray[np.float32]
_LONGEST_S = 3.0
# A sound that is damped further than this is another sound.
_RINGS_S = {"hi-hat/open": 0.25, "crash": 0.5, "ride": 0.3, "ride/bell": 0.3, "hi-hat/half": 0.09}
_CUT = {"hi-hat/closed", "hi-hat/pedal", "snare/side", "woodblock", "shaker"}  # short by nature


def varied(voice: Voice, rng: np.random.Generator, second: Voice | None) -> Voice:
    """Another instrument of the same kind; ``second`` may be layered with it."""
    strokes = [np.asarray(one, np.float32) for one in voice.strokes]
    if second is not None and rng.random() < 0.35:
        strokes = _layered(rng, strokes, [np.asarray(one, np.float32) for one in second.strokes])
    for share, change in ((0.75, _equalised), (0.5, _tuned), (0.4, _shaped), (0.25, _driven)):
        if rng.random() < share:
            strokes = change(rng, strokes)
    if rng.random() < 0.35:
        strokes = _damped(rng, strokes, voice.sound)
    if voice.sound not in _CUT | {"hi-hat/half"} and rng.random() < 0.3:
        strokes = _in_a_room(rng, strokes)
    cut = [from_attack(one[: round(_LONGEST_S * RATE_HZ)]) for one in strokes]
    kept = [(one, v) for one, v in zip(cut, voice.velocities, strict=True) if one is not None]
    if not kept:
        return voice
    return Voice(voice.sound, tuple(one for one, _ in kept), tuple(v for _, v in kept))


def _layered(rng: np.random.Generator, strokes: list[Audio], others: list[Audio]) -> list[Audio]:
    level, late, speed = (
        10 ** (rng.uniform(-12, 3) / 20),
        int(rng.integers(0, 90)),
        np.exp(rng.normal(0, 0.2)),
    )
    out = []
    for number, one in enumerate(strokes):
        other = _resampled(others[min(number, len(others) - 1)], speed)
        mix = np.zeros(max(len(one), len(other) + late), np.float32)
        mix[: len(one)] += one
        mix[late : late + len(other)] += level * other * np.float32(_size(one) / _size(other))
        out.append(mix)
    return out


def _size(one: Audio) -> float:
    return float(np.sqrt(np.mean(one[: round(0.03 * RATE_HZ)] ** 2))) + 1e-6


def _resampled(one: Audio, speed: float) -> Audio:
    at = np.arange(0, len(one) - 1, speed)
    return np.interp(at, np.arange(len(one)), one).astype(np.float32)


def _peaking(hz: float, gain_db: float, q: float) -> NDArray[np.float64]:
    """A bell (the audio equaliser cookbook of R. Bristow-Johnson, from memory)."""
    a, w = 10 ** (gain_db / 40), 2 * np.pi * hz / RATE_HZ
    alpha = np.sin(w) / (2 * q)
    b0, b1, b2 = 1 + alpha * a, -2 * np.cos(w), 1 - alpha * a
    a0, a1, a2 = 1 + alpha / a, -2 * np.cos(w), 1 - alpha / a
    return np.array([[b0 / a0, b1 / a0, b2 / a0, 1.0, a1 / a0, a2 / a0]])


def _equalised(rng: np.random.Generator, strokes: list[Audio]) -> list[Audio]:
    """Broad bells, and sometimes a sharp one, as another shell, head or microphone gives."""
    bells = [
        _peaking(
            float(np.exp(rng.uniform(np.log(60), np.log(14000)))), rng.normal(0, 5.0), rng.uniform(0.4, 1.5)
        )
        for _ in range(int(rng.integers(2, 5)))
    ]
    if rng.random() < 0.4:
        hz = float(np.exp(rng.uniform(np.log(120), np.log(6000))))
        bells.append(_peaking(hz, rng.uniform(-12, 9), rng.uniform(2, 8)))
    sos = np.concatenate(bells)
    return [sosfilt(sos, one).astype(np.float32) for one in strokes]


def _tuned(rng: np.random.Generator, strokes: list[Audio]) -> list[Audio]:
    speed = float(np.exp(rng.normal(0, 0.14)))
    return [_resampled(one, speed) for one in strokes]


def _shaped(rng: np.random.Generator, strokes: list[Audio]) -> list[Audio]:
    """The attack brought out or put back against the body."""
    by, fall_s = rng.uniform(-0.6, 2.0), rng.uniform(0.003, 0.02)
    return [
        (one * (1.0 + by * np.exp(-np.arange(len(one)) / RATE_HZ / fall_s))).astype(np.float32)
        for one in strokes
    ]


def _driven(rng: np.random.Generator, strokes: list[Audio]) -> list[Audio]:
    drive, top = rng.uniform(1.0, 8.0), max(float(np.abs(one).max()) for one in strokes)
    return [(np.tanh(drive * one / top) * top / drive).astype(np.float32) for one in strokes]


def _damped(rng: np.random.Generator, strokes: list[Audio], sound: str) -> list[Audio]:
    """Fading sooner, by a hand or a cloth, or cut off by a gate."""
    least_s = _RINGS_S.get(sound, 0.03)
    fall_s = float(np.exp(rng.uniform(np.log(least_s), np.log(6 * least_s))))
    gate_s = fall_s * rng.uniform(1.2, 4) if rng.random() < 0.25 and sound not in _RINGS_S else 9.0
    out = []
    for one in strokes:
        t = np.arange(len(one)) / RATE_HZ
        fall = np.exp(-t / fall_s) * np.clip(1 - (t - gate_s) / 0.005, 0, 1)
        out.append((one * fall).astype(np.float32))
    return out


def _in_a_room(rng: np.random.Generator, strokes: list[Audio]) -> list[Audio]:
    length_s = float(np.exp(rng.uniform(np.log(0.06), np.log(0.7))))
    t = np.arange(round(1.2 * length_s * RATE_HZ)) / RATE_HZ
    tail = rng.standard_normal(len(t)) * np.exp(-6.9 * t / length_s)
    tail[: int(rng.integers(20, 600))] = 0.0
    # High frequencies fade first.
    dark = np.exp(-2 * np.pi * rng.uniform(1500, 14000) / RATE_HZ)
    tail = sosfilt(np.array([[1 - dark, 0, 0, 1, -dark, 0]]), tail)
    tail *= 10 ** (rng.uniform(-22, -4) / 20) / (np.sqrt((tail**2).sum()) + 1e-9)
    out = []
    for one in strokes:
        long = np.concatenate([one, np.zeros(len(tail) // 2, np.float32)])
        out.append((long + fftconvolve(long, tail)[: len(long)]).astype(np.float32))
    return out
