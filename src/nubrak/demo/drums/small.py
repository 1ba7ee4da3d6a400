"""Small percussion: grains that are shaken, jingles that meet, bars and shells that are struck."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nubrak.core.signal import db_to_gain
from nubrak.demo.drums.sound import (
    bell_shaped,
    burst,
    finished,
    hissing,
    in_room,
    ringing,
    struck,
    time_of,
    to_peak,
)


@dataclass(frozen=True)
class Grains:
    """Grains in a shell, or a stick over notches: many small impacts that swell and stop."""

    hz: float = 9000.0
    octaves: float = 0.8
    body_db: float = -16.0
    body_hz: float = 3500.0
    per_s: float = 4000.0  # impacts a second where there are most
    regular: float = 0.0  # 0: as they come; 1: notches, one after the other
    grain_ms: float = 1.2
    swell_ms: float = 25.0
    hold_ms: float = 0.0
    fall_ms: float = 22.0
    begin_db: float = -10.0  # how loud they begin, against the height of the swell
    pressed_db: float = 0.0  # how far the hardest peaks are rounded off
    room_db: float = -26.0
    room_s: float = 0.08
    length_s: float = 0.5
    peak: float = 0.5

    def strike(
        self, rng: np.random.Generator, strength: float, rate_hz: int, room: int
    ) -> NDArray[np.float32]:
        """One stroke, (frames,)."""
        t = time_of(self.length_s, rate_hz)
        soft = 1.0 - strength
        swell_s, hold_s = self.swell_ms / 1000 * (1 + 0.7 * soft), self.hold_ms / 1000
        up = db_to_gain(self.begin_db) + (1 - db_to_gain(self.begin_db)) * np.minimum(t / swell_s, 1.0) ** 2
        over = np.maximum(t - swell_s - hold_s, 0.0) / (self.fall_ms / 1000)
        envelope = up * np.exp(-over - 0.35 * over**2)
        if self.regular:
            loose = rng.normal(1.0, 0.5 * (1.0 - self.regular) + 0.05, round(self.length_s * self.per_s) + 1)
            at = np.cumsum(np.maximum(loose, 0.2)) / self.per_s
        else:
            at = rng.uniform(0, self.length_s, round(self.length_s * self.per_s))
        impulses = np.zeros(len(t))
        place = np.minimum((at * rate_hz).astype(int), len(t) - 1)
        np.add.at(impulses, place, rng.lognormal(0, 0.5, len(place)) * rng.choice([-1.0, 1.0], len(place)))
        impulses[0] += 1.0
        grain = burst(
            rng, 1024, rate_hz, bell_shaped(self.hz * (1 - 0.15 * soft), self.octaves), self.grain_ms / 1000
        )
        grain += db_to_gain(self.body_db) * burst(
            rng, 1024, rate_hz, bell_shaped(self.body_hz, 0.7), 2 * self.grain_ms / 1000
        )
        out = np.convolve(impulses * envelope, grain)[: len(t)]
        out = in_room(out, room, self.room_db, self.room_s, rate_hz)
        return finished(out, strength, self.peak, rate_hz, self.pressed_db)


@dataclass(frozen=True)
class Jingles:
    """Pairs of small plates that meet more than once, on a frame that is struck or shaken."""

    pairs: int = 7
    low_hz: float = 5500.0
    high_hz: float = 14000.0
    ring_s: float = 0.05
    meets: int = 3
    spread_ms: float = 14.0
    noise_db: float = -4.0
    noise_hz: float = 10000.0
    noise_s: float = 0.035
    frame_db: float = -16.0
    frame_hz: float = 600.0
    swell_ms: float = 1.0
    room_db: float = -26.0
    room_s: float = 0.08
    length_s: float = 0.6
    peak: float = 0.55

    def strike(
        self, rng: np.random.Generator, strength: float, rate_hz: int, room: int
    ) -> NDArray[np.float32]:
        """One stroke, (frames,)."""
        frames = round(self.length_s * rate_hz)
        out = np.zeros(frames)
        low_hz, high_hz = sorted((self.low_hz, self.high_hz))
        for pair in range(self.pairs):
            own = np.random.default_rng([pair, 59])
            hz = np.exp(own.uniform(np.log(low_hz), np.log(high_hz), 9))
            level = own.uniform(0.3, 1.0, 9)
            fall = self.ring_s * (hz / self.low_hz) ** -0.3 * (0.7 + 0.3 * strength)
            late_s = 0.0 if pair == 0 else abs(rng.normal(0, 0.4 * self.spread_ms)) / 1000
            size = rng.uniform(0.5, 1.0)
            for _ in range(self.meets):
                begin = round(late_s * rate_hz)
                if begin >= frames:
                    break
                left = frames - begin
                ring = ringing(left, rate_hz, hz, level, fall, rng.uniform(0, 6, 9), 0.0, 0.01) / 9
                out[begin:] += size * ring
                late_s += abs(rng.normal(1.0, 0.5)) * self.spread_ms / 1000
                size *= rng.uniform(0.3, 0.7)
        out = to_peak(out)
        fall_of = np.full(len(bell_shaped(1.0, 1.0)), self.noise_s)
        rise_of = np.full(len(fall_of), max(self.swell_ms, 0.3) / 1000)
        noise = hissing(rng, frames, rate_hz, bell_shaped(self.noise_hz, 1.2), fall_of, rise_of)
        out = out + db_to_gain(self.noise_db) * to_peak(noise)
        frame = burst(rng, frames, rate_hz, bell_shaped(self.frame_hz, 1.2), 0.012)
        out = out + db_to_gain(self.frame_db) * strength * to_peak(frame)
        out = in_room(out, room, self.room_db, self.room_s, rate_hz)
        return finished(out, strength, self.peak, rate_hz)


@dataclass(frozen=True)
class Bar:
    """A bell, a block, a bar, a triangle: a few clear modes and what strikes them."""

    pitch_hz: float = 560.0
    ratios: tuple[float, ...] = (1.0, 1.51, 2.64, 3.91, 5.43, 7.2)
    softer_db: float = 4.0  # per octave of the modes
    decay_s: float = 0.1
    decay_per_octave: float = 0.5  # power
    contact_ms: float = 0.3
    stick_db: float = -6.0
    stick_hz: float = 3000.0
    stick_ms: float = 4.0
    hollow_db: float = -14.0  # what resounds broadly in it
    hollow_hz: float = 1000.0
    hollow_ms: float = 20.0
    damped_s: float = 9.0  # a hand lies on it
    pressed_db: float = 0.0  # how far the hardest peaks are rounded off
    room_db: float = -22.0
    room_s: float = 0.1
    length_s: float = 0.8
    peak: float = 0.7

    def strike(
        self, rng: np.random.Generator, strength: float, rate_hz: int, room: int
    ) -> NDArray[np.float32]:
        """One stroke, (frames,)."""
        frames = round(self.length_s * rate_hz)
        soft = 1.0 - strength
        bar = round(100 * self.pitch_hz)
        own = np.random.default_rng(bar)
        ratios = np.array(self.ratios)
        octaves = np.log2(ratios)
        level = 10 ** ((-self.softer_db * octaves + rng.normal(0, 1.0, len(ratios))) / 20)
        decay = 1.0 / (1.0 / (self.decay_s * ratios**-self.decay_per_octave) + 1.0 / self.damped_s)
        pitch = self.pitch_hz * (1 + rng.normal(0, 0.0015))
        out = ringing(
            frames, rate_hz, pitch * ratios, level, decay, own.uniform(0, 6, len(ratios)), 0.0, 0.01
        )
        hollow = burst(
            rng, frames, rate_hz, bell_shaped(self.hollow_hz, 1.5), self.hollow_ms / 1000, same=bar
        )
        out = struck(
            to_peak(out) + db_to_gain(self.hollow_db) * to_peak(hollow),
            self.contact_ms / 1000 * (1 + 2 * soft),
            rate_hz,
        )
        stick = burst(
            rng,
            frames,
            rate_hz,
            bell_shaped(self.stick_hz * (1 - 0.3 * soft), 1.4),
            self.stick_ms / 1000,
            same=bar + 1,
        )
        out = out + db_to_gain(self.stick_db) * strength * to_peak(stick)
        out = in_room(out, room, self.room_db, self.room_s, rate_hz)
        return finished(out, strength, self.peak, rate_hz, self.pressed_db)
