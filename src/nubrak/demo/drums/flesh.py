"""Hands: claps, fingers, thighs, feet; every stroke is several impacts of flesh."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nubrak.core.signal import db_to_gain
from nubrak.demo.drums.sound import bell_shaped, burst, finished, in_room, to_peak


@dataclass(frozen=True)
class Flesh:
    """What hands do: a hollow between them, skin on skin, the air that is pushed away. ``*_db`` are against
    the hollow.
    """

    impacts: int = 2
    people: int = 1
    spread_ms: float = 4.0  # between the impacts of one pair of hands
    apart_ms: float = 12.0  # between people
    hollow_hz: float = 1100.0
    hollow_octaves: float = 0.6
    hollow_ms: float = 9.0
    slap_db: float = -8.0
    slap_hz: float = 3500.0
    slap_ms: float = 3.0
    air_db: float = -14.0
    air_hz: float = 250.0
    air_ms: float = 14.0
    tail_db: float = -24.0
    tail_ms: float = 45.0
    pressed_db: float = 0.0  # how far the hardest peaks are rounded off
    room_db: float = -14.0
    room_s: float = 0.12
    length_s: float = 0.5
    peak: float = 0.8

    def strike(
        self, rng: np.random.Generator, strength: float, rate_hz: int, room: int
    ) -> NDArray[np.float32]:
        """One stroke, (frames,)."""
        frames = round(self.length_s * rate_hz)
        out = np.zeros(frames)
        for person in range(self.people):
            late_s = 0.0 if person == 0 else abs(rng.normal(0, self.apart_ms)) / 1000
            tone = float(2 ** rng.normal(0, 0.05 + 0.12 * (self.people > 1)))
            size = 1.0
            for _ in range(self.impacts):
                begin = round(late_s * rate_hz)
                if begin < frames:
                    out[begin:] += size * self._impact(rng, frames - begin, rate_hz, strength, tone)
                late_s += rng.uniform(0.5, 1.5) * self.spread_ms / 1000
                size *= rng.uniform(0.45, 0.8)
        out = in_room(out, room, self.room_db, self.room_s, rate_hz)
        return finished(out, strength, self.peak, rate_hz, self.pressed_db)

    def _impact(
        self, rng: np.random.Generator, frames: int, rate_hz: int, strength: float, tone: float
    ) -> NDArray[np.float64]:
        soft = 1.0 - strength
        parts = (
            (0.0, self.hollow_hz * tone, self.hollow_octaves, self.hollow_ms, 0.0003),
            (self.slap_db - 8 * soft, self.slap_hz * (1 - 0.3 * soft), 1.3, self.slap_ms, 0.0001),
            (self.air_db, self.air_hz * tone, 1.0, self.air_ms, 0.001),
            (self.tail_db, self.hollow_hz * tone, 2.5, self.tail_ms, 0.004),
        )
        out = np.zeros(frames)
        for level_db, hz, octaves, fall_ms, rise_s in parts:
            noise = burst(rng, frames, rate_hz, bell_shaped(hz, octaves), fall_ms / 1000, rise_s)
            out += db_to_gain(level_db) * to_peak(noise)
        return out
