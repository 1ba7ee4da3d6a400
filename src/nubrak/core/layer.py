"""Layer: what sounds. One function renders any window of time; a print is that function over the whole session.

A window rendered alone equals that stretch of the whole bit for bit: every note starts at its own rounded sample, is
scaled in float32, and notes are added in the order of time whatever the window is.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from nubrak.core.document import Layer
from nubrak.core.kit import Sample
from nubrak.core.level import db_to_gain
from nubrak.core.shape import Notes

SampleAudio = Callable[[Sample], NDArray[np.float32]]  # (frames, channels) at the session's rate
LONGEST_SAMPLE_S = 20.0


def level_of_velocity_db(velocity: NDArray[np.int64], reference: int, amount: float) -> NDArray[np.float64]:
    """Level in dB relative to ``reference``: amount times the law of DLS Level 1, 40 log10(v / reference) (from memory)."""
    return amount * 40.0 * np.log10(np.maximum(velocity, 1) / reference)


def render_layer(layer: Layer, notes: Notes, audio_of: SampleAudio, rate_hz: int, start: int, frames: int) -> NDArray[np.float32]:
    """The samples ``start`` to ``start + frames`` of a layer, (frames, 2) float32, full scale 1.

    ``audio_of`` gives a sample's audio at ``rate_hz``. A sample sounds whole, from its file's first sample, so that its
    attack lands on the hit; what would sound before time zero is cut.
    """
    out = np.zeros((frames, 2), np.float32)
    if not layer.on or not len(notes.time_s):
        return out
    hits = np.round(notes.time_s * rate_hz).astype(np.int64)
    reach = round(LONGEST_SAMPLE_S * rate_hz)
    first = int(np.searchsorted(hits, start - reach))
    last = int(np.searchsorted(hits, start + frames + rate_hz))
    level = db_to_gain(layer.level_db)
    for turn in range(first, last):
        velocity = int(notes.velocity[turn])
        turns = layer.instrument.turns(velocity)
        sample = turns[turn % len(turns)]
        audio = audio_of(sample)
        begin = int(hits[turn]) - round(sample.attack_s * rate_hz)
        low, high = max(begin, start), min(begin + len(audio), start + frames)
        if low >= high:
            continue
        under = level_of_velocity_db(notes.velocity[turn : turn + 1], sample.velocity, layer.velocity_amount)[0]
        gain = np.float32(level * db_to_gain(float(under)))
        out[low - start : high - start] += audio[low - begin : high - begin] * gain
    return out


def as_stereo(audio: NDArray[np.float32]) -> NDArray[np.float32]:
    """(frames, channels) to (frames, 2): mono to both sides, more than two channels averaged."""
    if audio.shape[1] == 2:
        return audio
    mono = audio if audio.shape[1] == 1 else audio.mean(axis=1, keepdims=True, dtype=np.float32)
    return np.repeat(mono, 2, axis=1)
