"""Drums with a head: kicks, toms, snares, hand drums."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import jn_zeros

from nubrak.core.signal import db_to_gain
from nubrak.demo.drums.sound import (
    bands_hz,
    bell_shaped,
    burst,
    by_band,
    finished,
    hissing,
    in_room,
    ringing,
    struck,
    to_peak,
)

# Modes of an ideal circular membrane against its lowest: the zeros of the Bessel functions J0 to J7.
MEMBRANE = np.sort(np.concatenate([jn_zeros(order, 5) for order in range(8)]))[:30] / jn_zeros(0, 1)[0]
_WIRES_FROM_HZ = 600.0
_WIRES_ALIKE = 0.95  # two strokes: they are thrown off alike, and fall back each time otherwise


@dataclass(frozen=True)
class Head:
    """A drum with a head, a shell, perhaps wires under it, and what strikes it, in a small room.

    ``*_db`` are against the lowest mode; ``per_octave`` are powers or dB by which higher modes decay sooner
    and are softer.
    """

    pitch_hz: float = 120.0
    decay_s: float = 0.25
    decay_per_octave: float = 0.9  # power
    softer_db: float = 5.0  # per octave of the modes
    bend: float = 0.1
    bend_s: float = 0.03
    contact_ms: float = 1.5  # of the hardest stroke
    stick_db: float = -12.0
    stick_hz: float = 2500.0
    stick_ms: float = 3.0
    skin_db: float = -16.0  # the head's own noise and the air in the shell
    skin_hz: float = 500.0
    skin_s: float = 0.04
    shell_db: float = -22.0
    shell_hz: float = 420.0
    wires_db: float = -60.0
    wires_hz: float = 3800.0
    wires_octaves: float = 1.6
    wires_s: float = 0.08
    wires_rise_ms: float = 2.0
    edge_db: float = -60.0  # a rim struck with the head
    edge_hz: float = 520.0
    room_db: float = -20.0
    room_s: float = 0.12
    length_s: float = 1.5
    peak: float = 0.85

    def strike(
        self, rng: np.random.Generator, strength: float, rate_hz: int, room: int
    ) -> NDArray[np.float32]:
        """One stroke, (frames,)."""
        frames = round(self.length_s * rate_hz)
        soft = 1.0 - strength
        drum = round(100 * self.pitch_hz)  # whose dense modes they are
        octaves = np.log2(MEMBRANE)
        modes = len(MEMBRANE)
        pitch = self.pitch_hz * (1.0 + rng.normal(0, 0.0015))
        # Where the stick lands on the head changes from stroke to stroke which modes it wakes.
        level = 10 ** ((-self.softer_db * (1 + 0.2 * soft) * octaves + rng.normal(0, 0.4, modes)) / 20)
        decay = self.decay_s * MEMBRANE**-self.decay_per_octave
        own = np.random.default_rng(drum)
        phase = own.uniform(-0.4, 0.4, modes)
        phase[0] = 0.0
        bend, bend_s = self.bend * strength**1.5, self.bend_s
        body = ringing(frames, rate_hz, pitch * MEMBRANE, level, decay, phase, bend, bend_s)
        around = np.array([1.0, 1.47, 2.09])
        body += db_to_gain(self.shell_db) * ringing(
            frames,
            rate_hz,
            self.shell_hz * around,
            np.array([1.0, 0.6, 0.4]),
            0.35 * self.decay_s * around**-1,
            own.uniform(0, 6, 3),
            0.0,
            0.01,
        )
        body += db_to_gain(self.skin_db) * to_peak(
            hissing(
                rng,
                frames,
                rate_hz,
                bell_shaped(self.skin_hz, 2.2) - 2.0 * soft,
                np.minimum(by_band(self.skin_s * (self.skin_hz / 1000) ** 0.4, 0.4), 3 * self.skin_s),
                np.full(len(by_band(1, 0)), 0.0006),
                same=drum,
            )
        )
        body = struck(body, self.contact_ms / 1000 * (1.0 + 0.8 * soft), rate_hz)
        stick = burst(
            rng,
            frames,
            rate_hz,
            bell_shaped(self.stick_hz * (1 - 0.25 * soft), 1.6),
            self.stick_ms / 1000,
            same=drum + 1,
        )
        out = body + db_to_gain(self.stick_db) * strength * to_peak(stick)
        if self.wires_db > -50:
            out = out + db_to_gain(self.wires_db) * to_peak(self._wires(rng, frames, rate_hz, strength))
        if self.edge_db > -50:
            edge = np.array([1.0, 1.83, 2.71, 4.03, 5.6])
            fall = 0.06 * edge**-0.6
            weak = edge**-0.8
            out = out + db_to_gain(self.edge_db) * ringing(
                frames, rate_hz, self.edge_hz * edge, weak, fall, np.zeros(5), 0.0, 0.01
            )
        out = in_room(out, room, self.room_db, self.room_s, rate_hz)
        return finished(out, strength, self.peak, rate_hz)

    def _wires(
        self, rng: np.random.Generator, frames: int, rate_hz: int, strength: float
    ) -> NDArray[np.float64]:
        """They leave the lower head, fall back and rattle, sooner still after a soft stroke."""
        fall = self.wires_s * (0.75 + 0.25 * strength)
        # Thin wires give nothing low.
        low_db = 24.0 * np.maximum(np.log2(_WIRES_FROM_HZ / bands_hz()), 0.0)
        noise = hissing(
            rng,
            frames,
            rate_hz,
            bell_shaped(self.wires_hz * (0.8 + 0.2 * strength), self.wires_octaves) - low_db,
            fall * (by_band(1.0, 0.25) / by_band(1.0, 0.25)[_nearest(self.wires_hz)]),
            np.full(len(by_band(1, 0)), self.wires_rise_ms / 1000),
            same=round(100 * self.pitch_hz) + 3,
            alike=_WIRES_ALIKE,
        )
        t = np.arange(frames) / rate_hz
        # They meet the head again with its lowest mode.
        return np.asarray(noise * (1.0 + 0.35 * np.sin(2 * np.pi * self.pitch_hz * t) * np.exp(-t / 0.05)))


def _nearest(hz: float) -> int:
    return int(np.clip(round(2 * np.log2(hz / 40.0)), 0, len(by_band(1.0, 0.0)) - 1))
