"""How a piece was struck, heard by its own microphone: a hat open or closed, a ride on its bell.

There is no question which piece it is, so only its own sounds are weighed against each other. The plain way
is left only where another is clearly likelier: a wrong note costs more than a plain one.
"""

from __future__ import annotations

import numpy as np

from nubrak.core.pieces import plain_of
from nubrak.core.sort.listening import Sounding
from nubrak.core.sort.sounds import SOUNDS, piece_of, way_of

_SURE = 0.6


def ways_by_own_microphone(sounding: Sounding, piece: str) -> list[str | None]:
    """How a piece is struck at each candidate, (n,); empty where it is struck in one way only."""
    own = [k for k, sound in enumerate(SOUNDS) if piece_of(sound) == piece]
    plain = plain_of(piece)
    if plain is None or len(own) < 2:
        return []
    odds = np.exp(sounding.log_odds[:, own] - sounding.log_odds[:, own].max(axis=1, keepdims=True))
    share = odds / odds.sum(axis=1, keepdims=True)
    best = share.argmax(axis=1)
    ways = [way_of(SOUNDS[k]) for k in own]
    return [
        ways[k] if sure > _SURE else plain for k, sure in zip(best.tolist(), share.max(axis=1), strict=True)
    ]
