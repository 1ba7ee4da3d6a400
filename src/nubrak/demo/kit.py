"""The starter kit: the pieces of the theatre's workshop, made from code, the same on every machine."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from nubrak.demo.strokes import STROKES, Audio

RATE_HZ = 44100  # of everything the demo is made at
KIT_NAME = "Workshop kit"


@dataclass(frozen=True)
class MadeInstrument:
    """How one instrument of the kit is made: ``layers`` are (lowest, highest, velocity it is played at)."""

    id: str
    name: str
    piece: str
    stroke: str
    layers: tuple[tuple[int, int, int], ...]
    turns: int
    key: int | None = None  # General MIDI Level 1 percussion key map, where a piece has several
    silenced_by: tuple[int, ...] = ()


# Velocity layers: from, to, and the velocity at which each was struck.
_THREE = ((1, 55, 45), (56, 98, 84), (99, 127, 120))
_TWO = ((1, 80, 66), (81, 127, 118))
INSTRUMENTS = (
    MadeInstrument("kick", "Felt kick", "kick", "kick", _THREE, 3),
    MadeInstrument("snare", "Bench snare", "snare", "snare", _THREE, 4),
    MadeInstrument("rack-tom", "Rack tom", "rack-tom", "rack-tom", _TWO, 3),
    MadeInstrument("floor-tom", "Floor tom", "floor-tom", "floor-tom", _TWO, 3),
    MadeInstrument("hat-closed", "Hi-hat, closed", "hi-hat", "hat-closed", _THREE, 4, 42),
    MadeInstrument("hat-open", "Hi-hat, open", "hi-hat", "hat-open", _TWO, 2, 46, (42, 44)),
    MadeInstrument("hat-pedal", "Hi-hat, pedal", "hi-hat", "hat-pedal", _TWO, 2, 44),
    MadeInstrument("crash", "Crash", "crash", "crash", _TWO, 2),
    MadeInstrument("ride", "Ride", "ride", "ride", _TWO, 3),
    MadeInstrument("clap", "Two hands", "clap", "clap", _TWO, 4),
    MadeInstrument("tambourine", "Tambourine", "tambourine", "tambourine", _TWO, 3),
    MadeInstrument("shaker", "Egg shaker", "shaker", "shaker", _TWO, 4),
)


def made_samples(instrument: MadeInstrument) -> Iterator[tuple[int, int, int, Audio]]:
    """(lowest velocity, highest velocity, velocity it was played at, mono audio (frames,)) of every
    sample.
    """
    for low, high, played in instrument.layers:
        for turn in range(instrument.turns):
            rng = np.random.default_rng([played, turn, *instrument.id.encode()])
            yield low, high, played, STROKES[instrument.stroke](rng, played / 127, RATE_HZ)
