"""Whole loops: a kit through all its microphones mixed down to one signal, with the moments at which something is struck known."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from benchmarks.microphones import Scene, record
from benchmarks.performances import moments
from benchmarks.sounds import Kit
from benchmarks.styles import Stroke

# How loud each microphone stands in a mix (common practice).
_FADERS_DB = {"kick": 0.0, "snare": -1.0, "hi-hat": -14.0, "rack-tom": -3.0, "floor-tom": -3.0, "ride": -12.0, "overhead left": -5.0, "overhead right": -5.0}
_SPREAD_DB = 3.0


def mix_down(kit: Kit | Callable[[str], Kit], strokes: list[Stroke], seed: int) -> tuple[NDArray[np.float32], NDArray[np.float64]]:
    """A performance as one loud signal (frames,), often squeezed, and the attack of every stroke in it, (n,) in s, in order."""
    rng = np.random.default_rng([seed, 31])
    recording = record(kit, strokes, seed, Scene(faults=False))
    out = np.sum([np.float32(10 ** ((_FADERS_DB[name] + rng.normal(0, _SPREAD_DB)) / 20)) * signal for name, signal in recording.audio.items()], axis=0)
    out /= np.abs(out).max()
    if rng.random() < 0.5:
        # Driven into a soft limit, as finished loops are.
        out = np.tanh(rng.uniform(1.0, 3.0) * out)
    out *= 10 ** (rng.uniform(-9, -1) / 20) / np.abs(out).max()
    pieces = {piece for piece, _ in recording.attacks_s}
    arrivals = [recording.attacks_s[piece, piece if piece in recording.close else "overhead left"] for piece in pieces]
    return out.astype(np.float32), np.sort(np.concatenate(arrivals))


def moments_of(attacks_s: NDArray[np.float64], together_s: float) -> NDArray[np.float64]:
    """The attacks, those within ``together_s`` of the first of them as one."""
    return moments(attacks_s, together_s)
