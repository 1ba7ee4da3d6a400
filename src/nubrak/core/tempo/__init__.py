"""Seconds and beats: tempo maps and grids, a tempo estimated from hits, a map that follows a performance.

In go times of hits in seconds, out come tempos and beats. Begin with ``tempo_map``.
"""

from nubrak.core.tempo.estimate import TempoGuess, estimate_tempo, tapped
from nubrak.core.tempo.follow import follow
from nubrak.core.tempo.grid import Grid
from nubrak.core.tempo.tempo_map import Tempo, TempoChange, beats_at, seconds_at
from nubrak.core.tempo.told import TempoTold, tempo_told_by

__all__ = [
    "Grid",
    "Tempo",
    "TempoChange",
    "TempoGuess",
    "TempoTold",
    "beats_at",
    "estimate_tempo",
    "follow",
    "seconds_at",
    "tapped",
    "tempo_told_by",
]
