"""Finishing, as loops are before anybody gets them: equalised, compressed, saturated, in a room, low-passed,
resampled, crushed, with noise and crackle.
"""

from __future__ import annotations

import numpy as np
import soxr
from numpy.typing import NDArray
from scipy.ndimage import maximum_filter1d
from scipy.signal import butter, fftconvolve, lfilter, sosfilt

from benchmarks.keep import RATE_HZ

Audio = NDArray[np.float32]


def _tilt(rng: np.random.Generator, x: Audio) -> Audio:
    """A few broad bells and shelves, drawn as a smooth curve over log frequency."""
    knots = np.log(np.array([20, 60, 180, 540, 1600, 5000, 15000, 22050.0]))
    gain_db = rng.normal(0, 3.0, len(knots)).clip(-8, 8)
    hz = np.fft.rfftfreq(2048, 1 / RATE_HZ)
    curve = 10 ** (np.interp(np.log(np.maximum(hz, 20)), knots, gain_db) / 20)
    kernel = np.fft.irfft(curve.astype(np.complex128))
    kernel = _least_delay(np.abs(np.fft.rfft(kernel)))
    return fftconvolve(x, kernel)[: len(x)].astype(np.float32)


def _least_delay(magnitude: NDArray[np.float64]) -> NDArray[np.float64]:
    """The minimum-phase impulse response of a magnitude, by the cepstrum (Oppenheim and Schafer)."""
    cepstrum = np.fft.irfft(np.log(np.maximum(magnitude, 1e-5)))
    size = len(cepstrum)
    fold = np.zeros(size)
    fold[0], fold[1 : size // 2], fold[size // 2] = 1, 2, 1
    return np.fft.irfft(np.exp(np.fft.rfft(cepstrum * fold)))[: size // 2]


def _compress(rng: np.random.Generator, x: Audio) -> Audio:
    """A feed-forward compressor on a smoothed peak level."""
    ratio, under_db = rng.uniform(1.5, 8), rng.uniform(6, 24)
    attack_s, release_s = rng.uniform(0.0005, 0.03), rng.uniform(0.04, 0.4)
    step = 32
    blocks = np.abs(x[: len(x) // step * step]).reshape(-1, step).max(axis=1)
    held = maximum_filter1d(blocks, 3)
    level_db = 20 * np.log10(np.maximum(held, 1e-5))
    over = np.maximum(level_db - (level_db.max() - under_db), 0) * (1 - 1 / ratio)
    smooth, now = np.empty(len(over)), 0.0
    up, down = 1 - np.exp(-step / RATE_HZ / attack_s), 1 - np.exp(-step / RATE_HZ / release_s)
    for k, wanted in enumerate(over):
        now += (up if wanted > now else down) * (wanted - now)
        smooth[k] = now
    gain = 10 ** (-np.interp(np.arange(len(x)), (np.arange(len(smooth)) + 1) * step, smooth) / 20)
    return (x * gain).astype(np.float32)


def _room(rng: np.random.Generator, x: Audio) -> Audio:
    """An exponentially falling room with a few early returns."""
    length_s = float(np.exp(rng.uniform(np.log(0.08), np.log(1.2))))
    t = np.arange(round(1.5 * length_s * RATE_HZ)) / RATE_HZ
    tail = rng.standard_normal(len(t)) * np.exp(-6.9 * t / length_s)
    tail = sosfilt(
        butter(1, [rng.uniform(80, 300), rng.uniform(2500, 12000)], "bandpass", fs=RATE_HZ, output="sos"),
        tail,
    )
    tail[: round(rng.uniform(0.001, 0.015) * RATE_HZ)] = 0
    tail /= np.sqrt((tail**2).sum()) + 1e-9
    wet = fftconvolve(x, tail)[: len(x)]
    return (x + 10 ** (rng.uniform(-26, -7) / 20) * wet).astype(np.float32)


def _noise(rng: np.random.Generator, x: Audio) -> Audio:
    level = np.abs(x).max() * 10 ** (rng.uniform(-72, -42) / 20)
    hiss = lfilter([1.0], [1.0, -rng.uniform(0, 0.95)], rng.standard_normal(len(x)))
    out = x + level * hiss / hiss.std()
    if rng.random() < 0.3:
        ticks = np.nonzero(rng.random(len(x)) < rng.uniform(0.3, 4) / RATE_HZ)[0]
        for at in ticks[ticks < len(x) - 60]:
            out[at : at + 40] += (
                np.abs(x).max()
                * 10 ** (rng.uniform(-45, -22) / 20)
                * rng.standard_normal(40)
                * np.exp(-np.arange(40) / 8)
            )
    return out.astype(np.float32)


def _resample(rng: np.random.Generator, x: Audio) -> Audio:
    """Down to an old machine's rate and back."""
    rate_hz = float(rng.choice([16000, 22050, 26040, 32000]))
    low = soxr.resample(x, RATE_HZ, rate_hz, quality=str(rng.choice(["QQ", "LQ", "HQ"])))
    back = soxr.resample(low, rate_hz, RATE_HZ, quality="HQ")
    return np.pad(back, (0, max(0, len(x) - len(back))))[: len(x)].astype(np.float32)


def finish(rng: np.random.Generator, audio: Audio) -> Audio:
    """One loop finished; peak at a level of its own, at least 12 dB under and never over full scale."""
    x = audio / max(float(np.abs(audio).max()), 1e-9)
    if rng.random() < 0.7:
        x = _tilt(rng, x)
    if rng.random() < 0.35:
        x = _room(rng, x)
    if rng.random() < 0.55:
        x = _compress(rng, x)
    if rng.random() < 0.4:
        x = x / max(float(np.abs(x).max()), 1e-9)
        drive = rng.uniform(0.7, 4.0)
        x = np.tanh(drive * x).astype(np.float32)
    if rng.random() < 0.35:
        cut_hz = np.exp(rng.uniform(np.log(5000), np.log(16000)))
        x = sosfilt(butter(int(rng.choice([2, 4, 8])), cut_hz, fs=RATE_HZ, output="sos"), x).astype(
            np.float32
        )
    if rng.random() < 0.15:
        x = _resample(rng, x)
    x = x / max(float(np.abs(x).max()), 1e-9)
    if rng.random() < 0.2:
        steps = 2.0 ** (int(rng.choice([8, 8, 12, 12])) - 1)
        x = np.round(x * steps) / steps
    if rng.random() < 0.4:
        x = _noise(rng, x)
    return (x * 10 ** (rng.uniform(-12, -0.3) / 20) / max(float(np.abs(x).max()), 1e-9)).astype(np.float32)


def by_a_microphone(rng: np.random.Generator, audio: Audio) -> Audio:
    """A kit as one microphone hears it: in its room, little else done to it."""
    x = _room(rng, _tilt(rng, audio / max(float(np.abs(audio).max()), 1e-9)))
    if rng.random() < 0.25:
        x = _compress(rng, x)
    if rng.random() < 0.5:
        x = _noise(rng, x)
    return (x * 10 ** (rng.uniform(-20, -1) / 20) / max(float(np.abs(x).max()), 1e-9)).astype(np.float32)
