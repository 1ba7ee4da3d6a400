"""Seconds and beats: tempo maps and grids, a tempo told by hits, a map that follows a performance.

In go times of hits in seconds, out come tempos and beats. Begin with ``tempo_map``.
"""

from nubrak.core.tempo.follow import follow
from nubrak.core.tempo.grid import Grid
from nubrak.core.tempo.line import TempoPoint, with_points
from nubrak.core.tempo.meter import Hits
from nubrak.core.tempo.readings import in_order
from nubrak.core.tempo.taps import tapped
from nubrak.core.tempo.tempo_map import Tempo, TempoChange, beats_at, seconds_at
from nubrak.core.tempo.told import SURE, TempoGuess, TempoTold, tempo_told_by

__all__ = [
    "SURE",
    "Grid",
    "Hits",
    "Tempo",
    "TempoChange",
    "TempoGuess",
    "TempoPoint",
    "TempoTold",
    "beats_at",
    "follow",
    "in_order",
    "seconds_at",
    "tapped",
    "tempo_told_by",
    "with_points",
]
