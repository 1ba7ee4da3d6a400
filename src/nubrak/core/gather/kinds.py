"""Kinds: what a recording can be as a whole, told from its character by forests that
``benchmarks/learn_guess.py`` teaches.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from nubrak.core.decide import Forest, forest_in, log_odds
from nubrak.core.gather.character import CHARACTER
from nubrak.core.pieces import PieceId

TAUGHT = Path(__file__).parent / "kinds.npz"


@dataclass(frozen=True)
class Kind:
    """One kind of recording: the piece it is taken as, and what it sounds like, in words."""

    id: str
    piece: PieceId
    named: str
    sounds: str


KINDS = (
    Kind("kick", "kick", "kick", "low and short, one drum"),
    Kind("snare", "snare", "snare", "broad, with a bright attack, one drum"),
    Kind("rack-tom", "rack-tom", "rack tom", "one pitched drum"),
    Kind("floor-tom", "floor-tom", "floor tom", "one low pitched drum"),
    Kind("hi-hat", "hi-hat", "hi-hat", "bright and short"),
    Kind("ride", "ride", "ride", "bright strokes that ring on"),
    Kind("crash", "crash", "crash", "few bright strokes that ring long"),
    Kind("overheads", "crash", "overheads", "the whole kit from above"),
    Kind("room", "room", "room", "the whole kit from far"),
    Kind("loop", "loop", "whole loop", "many drums in one signal"),
    Kind("clap", "clap", "clap", "short bursts of noise, hands"),
    Kind("tambourine", "tambourine", "tambourine", "jingles"),
    Kind("shaker", "shaker", "shaker", "soft bursts of high noise"),
    Kind("conga", "conga", "hand drum", "short pitched strokes of hands"),
    Kind("cowbell", "cowbell", "cowbell", "short metal with a pitch"),
    Kind("mouth", "mouth", "mouth percussion", "consonants, some of them voiced"),
    Kind("click", "heard", "click", "one short sound, even as a machine"),
    Kind("music", "heard", "music to play along with", "tones that go on, more than strokes"),
)
_ALL = [CHARACTER.index(f"all_{k}_db") for k in range(10)]
_ABOUT_LOUDEST_DB, _BY_FAR_DB = 3.0, 6.0
_NEVER_LOW = [k for k, kind in enumerate(KINDS) if kind.id == "click"]
_NEVER_DEEP = [
    k
    for k, kind in enumerate(KINDS)
    if kind.id in {"snare", "hi-hat", "ride", "crash", "clap", "tambourine", "shaker", "cowbell", "click"}
]


def probabilities(scores: NDArray[np.float64], heat: float) -> NDArray[np.float64]:
    """Log odds of each kind (n, kinds) to how likely each is, adding up to one, (n, kinds); more ``heat`` is
    less sure.
    """
    warm = scores / heat
    out = np.exp(warm - warm.max(axis=1, keepdims=True))
    return np.asarray(out / out.sum(axis=1, keepdims=True))


@lru_cache(maxsize=4)
def _taught(path: Path) -> tuple[list[Forest], float]:
    with np.load(path, allow_pickle=False) as stored:
        heat = float(stored["heat"])
    return [forest_in(path, CHARACTER, one.id) for one in KINDS], heat


def kinds_of(shown: NDArray[np.float32], taught: Path = TAUGHT) -> NDArray[np.float64]:
    """How likely recordings of a character (n, len(CHARACTER)) are of each kind, (n, len(KINDS))."""
    forests, heat = _taught(taught)
    out = probabilities(np.stack([log_odds(shown, one) for one in forests], axis=1), heat)
    all_db = shown[:, _ALL]
    low = all_db[:, :2].max(axis=1) >= -_ABOUT_LOUDEST_DB
    # A click is to be heard through drums: what is low and even as a machine is a kick.
    out[:, _NEVER_LOW] *= ~low[:, None]
    # Whose body lies under 90 Hz alone is none of what has no such body, however bright its attack.
    deep = (all_db[:, 0] >= all_db.max(axis=1)) & (all_db[:, 1:].max(axis=1) <= -_BY_FAR_DB)
    out[:, _NEVER_DEEP] *= ~deep[:, None]
    return np.asarray(out / out.sum(axis=1, keepdims=True))
