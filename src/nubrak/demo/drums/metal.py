"""Cymbals and hats: modes too dense to be told apart, which build up and decay by band."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nubrak.core.signal import db_to_gain
from nubrak.demo.drums.sound import (
    bands_hz,
    bell_shaped,
    burst,
    finished,
    hissing,
    in_room,
    ringing,
    struck,
    to_peak,
)


@dataclass(frozen=True)
class Metal:
    """A cymbal, or two that touch. ``*_db`` are against the wash."""

    plate: int = 1
    peak_hz: float = 5000.0  # where the wash is strongest
    below_db: float = 5.0  # per octave under it
    above_db: float = 4.0  # per octave over it
    lowest_hz: float = 250.0
    decay_s: float = 0.9  # at 1 kHz
    decay_per_octave: float = 0.25
    damped_s: float = 9.0  # how long it may ring in all: another cymbal or a hand lies on it
    build_ms: float = 6.0  # how long the wash takes to come, at its strongest place
    contact_ms: float = 0.15
    stick_db: float = -4.0
    stick_hz: float = 6000.0
    stick_ms: float = 3.0
    bell_db: float = -60.0
    bell_hz: float = 800.0
    bell_s: float = 0.5
    touch: float = 0.0  # 0 to 1: how much two hats rattle against each other
    clamp_db: float = -60.0  # the air between two hats that close
    clamp_hz: float = 600.0
    grain_db: float = 3.0
    pressed_db: float = 0.0  # how far the hardest peaks are rounded off
    room_db: float = -24.0
    room_s: float = 0.12
    length_s: float = 2.5
    peak: float = 0.6

    def strike(
        self, rng: np.random.Generator, strength: float, rate_hz: int, room: int
    ) -> NDArray[np.float32]:
        """One stroke, (frames,)."""
        frames = round(self.length_s * rate_hz)
        soft = 1.0 - strength
        octaves = np.log2(bands_hz() / self.peak_hz)
        level = -np.where(octaves < 0, -self.below_db * octaves, (self.above_db + 3.0 * soft) * octaves)
        level -= 12.0 * np.maximum(np.log2(self.lowest_hz / bands_hz()), 0.0)
        decay = self.decay_s * (bands_hz() / 1000.0) ** -self.decay_per_octave * (1 - 0.25 * soft)
        decay = 1.0 / (1.0 / decay + 1.0 / self.damped_s)
        # Energy goes from low modes to high ones: the higher the later, and the softer the later still.
        build = self.build_ms / 1000 * (bands_hz() / self.peak_hz) ** 0.4 * (1.0 + 0.8 * soft)
        wash = hissing(
            rng,
            frames,
            rate_hz,
            level,
            decay,
            np.maximum(build, 2e-4),
            plate=(self.plate, self.grain_db),
            same=self.plate,
        )
        t = np.arange(frames) / rate_hz
        if self.touch:
            wash = wash * self._rattle(rng, t)
        ratios = np.array([1.0, 1.51, 1.98, 2.74, 3.56, 4.61, 5.87])
        out = struck(to_peak(wash), self.contact_ms / 1000 * (1 + 2 * soft), rate_hz)
        stick = burst(
            rng,
            frames,
            rate_hz,
            bell_shaped(self.stick_hz * (1 - 0.3 * soft), 1.5),
            self.stick_ms / 1000,
            same=1000 + self.plate,
        )
        out = out + db_to_gain(self.stick_db) * (0.35 + 0.65 * strength) * to_peak(stick)
        if self.bell_db > -50:
            own = np.random.default_rng([self.plate, 5])
            hz = self.bell_hz * ratios * (1 + own.normal(0, 0.02, 7))
            level_of = ratios**-0.5 * 10 ** (rng.normal(0, 1.0, 7) / 20)
            out = out + db_to_gain(self.bell_db) * ringing(
                frames, rate_hz, hz, level_of, self.bell_s * ratios**-0.6, own.uniform(0, 6, 7), 0.0, 0.01
            )
        if self.clamp_db > -50:
            out = out + db_to_gain(self.clamp_db) * to_peak(
                burst(rng, frames, rate_hz, bell_shaped(self.clamp_hz, 1.2), 0.008, 0.0012)
            )
        out = in_room(out, room, self.room_db, self.room_s, rate_hz)
        return finished(out, strength, self.peak, rate_hz, self.pressed_db)

    def _rattle(self, rng: np.random.Generator, t: NDArray[np.float64]) -> NDArray[np.float64]:
        """Two hats swing apart and meet, some hundred times a second and never evenly."""
        meets = np.cumsum(rng.gamma(3.0, 1 / (3.0 * 150.0), round(t[-1] * 150) + 8))
        since = t - np.concatenate([[0.0], meets])[np.searchsorted(meets, t)]
        size = np.concatenate([[1.0], rng.lognormal(0, 0.4, len(meets))])[np.searchsorted(meets, t)]
        return np.asarray(1.0 - self.touch + self.touch * 1.6 * size * np.exp(-since / 0.004))
