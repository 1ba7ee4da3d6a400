"""The kits that come with Nubrak, made from code, the same on every machine: two acoustic ones of different
rooms and sizes, a dry tight one, an electronic one, hands and small percussion.

What stands in `acoustic.py`, `circuits.py` and `hands.py` is how each drum was thought of; ``shaped.json``
holds what of it `python -m benchmarks.learn_drums` moved, so that each lies among recorded ones of its piece.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import replace
from functools import lru_cache
from pathlib import Path

import numpy as np

from nubrak.core.samples import STARTER
from nubrak.demo.acoustic import acoustic
from nubrak.demo.circuits import circuits
from nubrak.demo.hands import BESIDE_A_KIT, hands
from nubrak.demo.made import RATE_HZ, Audio, Drum, MadeInstrument, MadeKit

SHAPED = Path(__file__).with_name("shaped.json")


def _without(kit: tuple[MadeInstrument, ...], *ids: str) -> tuple[MadeInstrument, ...]:
    return tuple(one for one in kit if one.id not in ids)


PLAIN = (
    MadeKit(STARTER, "Workshop kit", 1, (*acoustic(1, "Bench", -20.0, 0.1, 1.0, 1.0, 1.0), *BESIDE_A_KIT)),
    MadeKit("theatre", "Theatre kit", 2, acoustic(2, "Stage", -13.0, 0.17, 0.88, 0.9, 1.3)),
    MadeKit(
        "booth",
        "Dry booth kit",
        3,
        _without(acoustic(3, "Booth", -30.0, 0.05, 1.12, 1.1, 0.7), "china", "splash", "hat-half", "mid-tom"),
    ),
    MadeKit("circuits", "Circuits", 0, circuits()),
    MadeKit("hands", "Hands and small percussion", 1, hands()),
)


def shape(drum: Drum, moved: dict[str, float]) -> Drum:
    """A drum with some of its numbers moved."""
    return replace(drum, **moved)  # type: ignore[type-var]


@lru_cache(maxsize=1)
def made_kits() -> tuple[MadeKit, ...]:
    """All kits, the starter kit first, as they come with Nubrak."""
    moved = json.loads(SHAPED.read_text()) if SHAPED.exists() else {}
    return tuple(
        replace(
            kit,
            instruments=tuple(
                replace(one, drum=shape(one.drum, moved.get(kit.id, {}).get(one.id, {})))
                for one in kit.instruments
            ),
        )
        for kit in PLAIN
    )


def made_samples(kit: MadeKit, instrument: MadeInstrument) -> Iterator[tuple[int, int, int, Audio]]:
    """(lowest velocity, highest velocity, velocity it was played at, mono audio (frames,)) of every
    sample.
    """
    for low, high, played in instrument.layers:
        for turn in range(instrument.turns):
            rng = np.random.default_rng([played, turn, *f"{kit.id} {instrument.id}".encode()])
            yield low, high, played, _rounded(instrument.drum.strike(rng, played / 127, RATE_HZ, kit.room))


def _rounded(audio: Audio) -> Audio:
    """To sixteen bits under its own peak: a third of the file was noise that nobody hears."""
    step = 2.0 ** (np.ceil(np.log2(max(float(np.abs(audio).max()), 1e-9))) - 15)
    return np.asarray(np.round(audio / step) * step, np.float32)
