"""A trigger sound on every hit, to hear decisions over the recording before anything is made; and a click on
every beat, to play to.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from nubrak.core.shape import Notes
from nubrak.core.tempo import Tempo, beats_at, seconds_at

_LENGTH_S = 0.045  # of a tick: short enough to stand apart in a roll
_LOUDEST = 0.35  # of full scale, so that ticks over a recording do not clip


def tick(rate_hz: int, cross: bool) -> NDArray[np.float32]:
    """A short wooden tick, (frames,); of cymbals a higher one."""
    t = np.arange(round(_LENGTH_S * rate_hz)) / rate_hz
    pitch = 2600.0 if cross else 1150.0
    body = np.sin(2 * np.pi * pitch * t) + 0.5 * np.sin(2 * np.pi * 2.76 * pitch * t)
    return (_LOUDEST * body * np.exp(-t / 0.007)).astype(np.float32)


def render_triggers(notes: Notes, rate_hz: int, cross: bool, start: int, frames: int) -> NDArray[np.float32]:
    """Samples ``start`` to ``start + frames`` of the ticks of a part's hits, (frames,) float32; softer hits
    tick softer.
    """
    begins = np.round(notes.time_s * rate_hz).astype(np.int64)
    gain = (0.25 + 0.75 * notes.velocity / 127).astype(np.float32)
    return _ticking(begins, gain, tick(rate_hz, cross), start, frames)


def render_click(tempo: Tempo, rate_hz: int, start: int, frames: int) -> NDArray[np.float32]:
    """Samples ``start`` to ``start + frames`` of a click on every beat, (frames,) float32; where a bar begins
    it is louder and higher.
    """
    beat = 4.0 / tempo.beat_unit
    ends = np.array([start / rate_hz - _LENGTH_S, (start + frames) / rate_hz])
    first, last = (beats_at(tempo, ends) / beat).tolist()
    numbers = np.arange(int(np.ceil(first - 1e-9)), int(np.floor(last)) + 1, dtype=np.int64)
    at_s = seconds_at(tempo, numbers.astype(np.float64) * beat)
    begins = np.round(at_s * rate_hz).astype(np.int64)
    bar = numbers % tempo.beats_per_bar == 0
    out = np.zeros(frames, np.float32)
    for chosen, gain in ((bar, 1.0), (~bar, 0.6)):
        gains = np.full(int(chosen.sum()), gain, np.float32)
        out += _ticking(begins[chosen], gains, tick(rate_hz, gain == 1.0), start, frames)
    return out


def _ticking(
    begins: NDArray[np.int64], gain: NDArray[np.float32], sound: NDArray[np.float32], start: int, frames: int
) -> NDArray[np.float32]:
    out = np.zeros(frames, np.float32)
    for row in range(
        int(np.searchsorted(begins, start - len(sound))), int(np.searchsorted(begins, start + frames))
    ):
        low, high = max(int(begins[row]), start), min(int(begins[row]) + len(sound), start + frames)
        if low < high:
            out[low - start : high - start] += gain[row] * sound[low - begins[row] : high - begins[row]]
    return out
