"""The strokes of the demo's score, by the name of what is struck: the starter kit's drums."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache, partial

import numpy as np

from nubrak.demo.kit import made_kits
from nubrak.demo.made import Audio, MadeInstrument

Stroke = Callable[[np.random.Generator, float, int], Audio]


def _struck(
    made: MadeInstrument, room: int, rng: np.random.Generator, strength: float, rate_hz: int
) -> Audio:
    return made.drum.strike(rng, strength, rate_hz, room)


@lru_cache(maxsize=1)
def strokes() -> dict[str, Stroke]:
    """How each drum is struck: with a generator, a strength from 0 to 1 and a sample rate it gives
    (frames,).
    """
    kit = made_kits()[0]
    return {made.id: partial(_struck, made, kit.room) for made in kit.instruments}


STROKES = strokes()
