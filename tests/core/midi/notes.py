"""A tempo map, notes on it, and files of them."""

from __future__ import annotations

import numpy as np

from nubrak.core.midi.write import Track, midi_file
from nubrak.core.shape.notes import Notes
from nubrak.core.tempo.tempo_map import Tempo, TempoChange

MAP = Tempo(
    bpm=97.3,
    changes=[
        TempoChange(time_s=7.1, bpm=121.7),
        TempoChange(time_s=13.013, bpm=88.8),
        TempoChange(time_s=20.0, bpm=140.0),
    ],
)


def notes(times: list[float] | np.ndarray, velocity: int | np.ndarray = 100, number: int = 36) -> Notes:
    return Notes(
        np.asarray(times, float),
        np.broadcast_to(np.asarray(velocity, np.int64), len(times)).copy(),
        number,
        10,
        0.5,
    )


LEFT = {
    "k": ("Kick", notes(np.arange(40) * 0.5)),
    "s": ("Snare", notes(np.arange(20) * 1.0 + 0.5, np.arange(20) + 60, 38)),
}


def file_of(left: dict[str, tuple[str, Notes]] = LEFT, tempo: Tempo = MAP, one_track: bool = False) -> bytes:
    return midi_file([Track(name, made) for name, made in left.values()], tempo, one_track)
