"""Which piece was it, and which hits belong together.

Begin with ``listening.listen``: what is kept of every candidate of a source; then ``sorting``: which sounds
each moment holds. ``ghosts`` and ``sameness`` group the hits of one part.
"""

from nubrak.core.sort.alike import REACHES_DB, USUAL_REACH, followers, unlike_db
from nubrak.core.sort.apart import Shares, Struck, apart, by_itself, turned_down
from nubrak.core.sort.ghosts import ghosts
from nubrak.core.sort.layout import Placed, outline, placed
from nubrak.core.sort.listening import VERSION as LISTENED
from nubrak.core.sort.listening import Sounding, listen, sounding_of
from nubrak.core.sort.sameness import Sameness, same_sounds, what_is_same
from nubrak.core.sort.sorting import Sorted, ToldPiece, pieces_in, sort_moments
from nubrak.core.sort.sounds import PIECES_TOLD, SOUNDS, piece_of, way_of
from nubrak.core.sort.strength import own_share_db
from nubrak.core.sort.ways import ways_by_own_microphone

__all__ = [
    "LISTENED",
    "PIECES_TOLD",
    "REACHES_DB",
    "SOUNDS",
    "USUAL_REACH",
    "Placed",
    "Sameness",
    "Shares",
    "Sorted",
    "Sounding",
    "Struck",
    "ToldPiece",
    "apart",
    "by_itself",
    "followers",
    "ghosts",
    "listen",
    "outline",
    "own_share_db",
    "piece_of",
    "pieces_in",
    "placed",
    "same_sounds",
    "sort_moments",
    "sounding_of",
    "turned_down",
    "unlike_db",
    "way_of",
    "ways_by_own_microphone",
    "what_is_same",
]
