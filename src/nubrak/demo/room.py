"""The workshop: what every microphone hears of every stroke. Distance delays, air and bodies dull, walls
answer.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray
from scipy.signal import butter, fftconvolve, sosfilt

from nubrak.demo.score import Stroke
from nubrak.demo.strokes import STROKES
from nubrak.demo.strokes import Stroke as Struck

SPEED_OF_SOUND_M_S = 343.0  # at 20 °C

# Where things stand, in metres: x to the player's left, y away from the player, z up.
PLACES: dict[str, tuple[float, float, float]] = {
    "kick": (0.0, 0.75, 0.28),
    "snare": (0.25, 0.30, 0.62),
    "rack-tom": (0.12, 0.62, 0.80),
    "floor-tom": (-0.48, 0.25, 0.60),
    "hat-closed": (0.62, 0.38, 0.86),
    "hat-open": (0.62, 0.38, 0.86),
    "crash": (0.48, 0.85, 1.20),
    "ride": (-0.52, 0.68, 1.05),
    "tambourine": (0.3, 0.9, 1.0),
    "clap": (0.0, 0.3, 1.2),
}
# name: (place, what it stands close to, how much it turns its back on the rest in dB)
MICROPHONES: dict[str, tuple[tuple[float, float, float], tuple[str, ...], float]] = {
    "kick": ((0.0, 0.95, 0.28), ("kick",), 9.0),
    "snare": ((0.27, 0.38, 0.70), ("snare",), 8.0),
    "hi-hat": ((0.72, 0.42, 1.00), ("hat-closed", "hat-open"), 6.0),
    "floor tom": ((-0.52, 0.32, 0.70), ("floor-tom",), 7.0),
    "overhead left": ((0.65, 0.55, 1.95), (), 0.0),
    "overhead right": ((-0.60, 0.55, 1.95), (), 0.0),
}


def _walls(rng: np.random.Generator, rate_hz: int, length_s: float = 0.42) -> NDArray[np.float64]:
    """A small wooden room: scattered early answers and a short dull tail."""
    count = round(length_s * rate_hz)
    t = np.arange(count) / rate_hz
    tail = rng.standard_normal(count) * np.exp(-t / 0.085) * (1 - np.exp(-t / 0.01)) * 0.05
    early = np.zeros(count)
    for at_s in rng.uniform(0.004, 0.035, 14):
        early[int(at_s * rate_hz)] += rng.normal(0, 0.22)
    return np.asarray(sosfilt(butter(1, 5200, "lowpass", fs=rate_hz, output="sos"), tail + early))


def strokes_alone(
    strokes: list[Stroke], rate_hz: int, length_s: float, seed: int, drums: Mapping[str, Struck] = STROKES
) -> dict[str, NDArray[np.float64]]:
    """Every sound's strokes as it leaves the drum, one signal per sound, each stroke made anew so that no two
    are alike.
    """
    out = {sound: np.zeros(round(length_s * rate_hz)) for sound in {stroke.sound for stroke in strokes}}
    for index, stroke in enumerate(strokes):
        audio = drums[stroke.sound](np.random.default_rng([seed, index]), stroke.strength, rate_hz)
        begin = round(stroke.time_s * rate_hz)
        used = min(len(audio), len(out[stroke.sound]) - begin)
        if used > 0:
            out[stroke.sound][begin : begin + used] += audio[:used]
    return out


def record(
    strokes: list[Stroke], rate_hz: int, length_s: float, seed: int = 5, drums: Mapping[str, Struck] = STROKES
) -> dict[str, NDArray[np.float32]]:
    """What each microphone of ``MICROPHONES`` records, (frames,) each."""
    alone = strokes_alone(strokes, rate_hz, length_s, seed, drums)
    frames = round(length_s * rate_hz)
    out: dict[str, NDArray[np.float32]] = {}
    for number, (name, (place, close, back_db)) in enumerate(MICROPHONES.items()):
        rng = np.random.default_rng([seed, 900 + number])
        near = np.zeros(frames)
        for sound, signal in sorted(alone.items()):
            distance = float(np.linalg.norm(np.subtract(PLACES[sound], place)))
            delay = round(distance / SPEED_OF_SOUND_M_S * rate_hz)
            gain = 0.22 / max(distance, 0.15)
            heard = signal[: frames - delay] if delay else signal
            if sound not in close and close:
                gain *= 10 ** (-back_db / 20)
                heard = sosfilt(butter(1, 5500, "lowpass", fs=rate_hz, output="sos"), heard)
            near[delay:] += gain * heard
        wet = fftconvolve(near, _walls(rng, rate_hz))[:frames]
        noise = rng.standard_normal(frames) * 10 ** (-76 / 20)
        mixed = near + (0.2 if close else 0.8) * wet + noise
        out[name] = mixed.astype(np.float32)
    for names in ([name] for name in out if MICROPHONES[name][1]):
        _scale(out, names, 0.8)
    _scale(out, [name for name in out if not MICROPHONES[name][1]], 0.6)  # a pair keeps its balance
    return out


def _scale(out: dict[str, NDArray[np.float32]], names: list[str], peak: float) -> None:
    loudest = max(float(np.abs(out[name]).max()) for name in names)
    for name in names:
        out[name] = (out[name] * (peak / loudest)).astype(np.float32)
