"""Electronic drums: swept waves, squares that beat against each other, filtered noise; no room."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nubrak.core.signal import db_to_gain
from nubrak.demo.drums.sound import bell_shaped, burst, finished, time_of, to_peak

_SQUARES = np.array([1.0, 1.4983, 1.7818, 2.2974, 2.6697, 3.4641])  # no two of them in a simple ratio


@dataclass(frozen=True)
class Circuit:
    """A wave that falls to its pitch, squares, noise, a click; ``*_db`` 0 is as loud as the loudest."""

    tone_db: float = 0.0
    hz: float = 50.0
    from_hz: float = 180.0
    sweep_ms: float = 25.0
    tone_s: float = 0.2
    second_db: float = -90.0  # another wave
    second_hz: float = 330.0
    second_s: float = 0.06
    squares_db: float = -90.0
    squares_hz: float = 540.0
    squares_octaves: float = 0.8
    squares_centre_hz: float = 9000.0
    squares_s: float = 0.05
    noise_db: float = -90.0
    noise_hz: float = 5000.0
    noise_octaves: float = 1.3
    noise_s: float = 0.1
    noise_rise_ms: float = 0.2
    repeats: int = 1  # bursts of the noise, for many hands
    repeat_ms: float = 10.0
    click_db: float = -20.0
    click_hz: float = 4000.0
    drive: float = 0.0
    length_s: float = 0.8
    peak: float = 0.85

    def strike(
        self, rng: np.random.Generator, strength: float, rate_hz: int, room: int
    ) -> NDArray[np.float32]:
        """One stroke, (frames,); ``room`` is for those that stand in one."""
        t = time_of(self.length_s, rate_hz)
        frames = len(t)
        out = np.zeros(frames)
        if self.tone_db > -80:
            fall = (self.from_hz - self.hz) * strength**0.5 * self.sweep_ms / 1000
            phase = 2 * np.pi * (self.hz * t + fall * (1 - np.exp(-t * 1000 / self.sweep_ms)))
            out += db_to_gain(self.tone_db) * np.sin(phase) * np.exp(-t / self.tone_s)
        if self.second_db > -80:
            out += (
                db_to_gain(self.second_db)
                * np.sin(2 * np.pi * self.second_hz * t)
                * np.exp(-t / self.second_s)
            )
        if self.squares_db > -80:
            out += db_to_gain(self.squares_db) * self._squares(t, rate_hz, rng)
        if self.noise_db > -80:
            for number in range(self.repeats):
                begin = round(number * self.repeat_ms / 1000 * rate_hz)
                fall_s = self.noise_s if number == self.repeats - 1 else self.repeat_ms / 3000
                levels = bell_shaped(self.noise_hz * (0.75 + 0.25 * strength), self.noise_octaves)
                noise = burst(rng, frames - begin, rate_hz, levels, fall_s, self.noise_rise_ms / 1000)
                out[begin:] += db_to_gain(self.noise_db) * to_peak(noise)
        click = burst(rng, frames, rate_hz, bell_shaped(self.click_hz, 1.0), 0.001)
        out += db_to_gain(self.click_db) * strength * to_peak(click)
        if self.drive:
            out = np.tanh(self.drive * to_peak(out))
        return finished(out, strength, self.peak, rate_hz)

    def _squares(self, t: NDArray[np.float64], rate_hz: int, rng: np.random.Generator) -> NDArray[np.float64]:
        """Squares by their odd partials, each as loud as a filter leaves it, so that none folds back."""
        used = t[: min(len(t), round(8 * self.squares_s * rate_hz))]
        out = np.zeros(len(t))
        for ratio in _SQUARES:
            partials = self.squares_hz * ratio * np.arange(1, 40, 2)
            partials = partials[partials < 0.45 * rate_hz]
            octaves = np.log2(partials / self.squares_centre_hz) / self.squares_octaves
            level = 10 ** (-12 * octaves**2 / 20) / np.arange(1, 2 * len(partials), 2)
            for hz, one in zip(partials, level, strict=True):
                if one > 1e-4:
                    out[: len(used)] += one * np.sin(2 * np.pi * hz * used + rng.uniform(0, 6))
        out[: len(used)] *= np.exp(-used / self.squares_s)
        return to_peak(out)
