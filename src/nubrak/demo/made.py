"""What a kit that ships is made of: instruments, each a drum that can be struck, in velocity layers and
turns.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

RATE_HZ = 44100  # of everything the demo is made at
Audio = NDArray[np.float32]
Layers = tuple[tuple[int, int, int], ...]
# Velocity layers: from, to, and the velocity at which each was struck.
FOUR = ((1, 40, 32), (41, 75, 62), (76, 105, 94), (106, 127, 122))
THREE = ((1, 55, 45), (56, 98, 84), (99, 127, 120))
TWO = ((1, 80, 66), (81, 127, 118))
HAT_KEYS = (42, 44)  # what closes an open hat


class Drum(Protocol):
    """Anything that can be struck."""

    def strike(self, rng: np.random.Generator, strength: float, rate_hz: int, room: int) -> Audio:
        """One stroke, (frames,), of a strength from 0 to 1 in the room of a number."""


@dataclass(frozen=True)
class MadeInstrument:
    """How one instrument of a kit is made: ``layers`` are (lowest, highest, velocity it is played at)."""

    id: str
    name: str
    piece: str
    drum: Drum
    layers: Layers
    turns: int
    key: int | None = None  # General MIDI Level 1 percussion key map, where a piece has several
    silenced_by: tuple[int, ...] = ()


@dataclass(frozen=True)
class MadeKit:
    """A kit: its id in the library, its name, the number of the room it stands in."""

    id: str
    name: str
    room: int
    instruments: tuple[MadeInstrument, ...]
