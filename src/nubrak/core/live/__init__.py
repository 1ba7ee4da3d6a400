"""The same decisions from a stream: blocks of microphones in, strokes out while they are played.

Begin with ``listener``. ``calibration`` and ``learnt`` tell what it knows of a kit before; ``hearing`` is its
compiled inside.
"""

from nubrak.core.live.bands import HOP_S, hops_at
from nubrak.core.live.calibration import strokes_played
from nubrak.core.live.comparison import REACH_S, Comparison, compared
from nubrak.core.live.latency import Latency, LatencyPart, latency_of
from nubrak.core.live.learnt import Learnt, band_levels, from_bytes, learn, to_bytes, unheard
from nubrak.core.live.listener import (
    MOST_CHANNELS,
    TAUGHT,
    Listener,
    LivePart,
    LiveStroke,
    inside_of,
    made_ready,
)
from nubrak.core.live.settings import LiveSettings
from nubrak.core.live.settling import Settled

__all__ = [
    "HOP_S",
    "MOST_CHANNELS",
    "REACH_S",
    "TAUGHT",
    "Comparison",
    "Latency",
    "LatencyPart",
    "Learnt",
    "Listener",
    "LivePart",
    "LiveSettings",
    "LiveStroke",
    "Settled",
    "band_levels",
    "compared",
    "from_bytes",
    "hops_at",
    "inside_of",
    "latency_of",
    "learn",
    "made_ready",
    "strokes_played",
    "to_bytes",
    "unheard",
]
