"""Onsets of a part as the others hear of it, and which of them are loud there first."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from nubrak.core.find import Candidates, onset_power_of
from nubrak.core.pieces import Piece
from nubrak.core.signal import power_to_db

_USUAL_UNDER_DB = 18.0  # softer against its own usual stroke than this, it is not surely its own
NEVER_DB = -200.0  # the level of what does not come


EARLIEST_S = -0.005  # a cymbal may stand nearer to another's microphone than to its own
LATEST_S = 0.014  # 4.8 m at 343 m/s

Kind = Literal["kick", "drum", "cymbal", "overall"]


@dataclass(frozen=True)
class PartOnsets:
    """One part as the others hear of it: ``onset_power`` (n, bands) power of each attack without what rang
    before, ``level_db`` (n,) its level in the part's band, ``inside`` (bands,) the band, ``strength_db`` (n,)
    its level where the piece's strength is measured, ``sources`` where it listens. Of ``kind`` overall is a
    microphone over the kit: strokes of any piece may reach it before their spill reaches others. ``piece`` is
    the id of its piece, empty where that is not known.
    """

    candidates: Candidates
    onset_power: NDArray[np.float32]
    level_db: NDArray[np.float64]
    inside: NDArray[np.bool_]
    sources: frozenset[str]
    kind: Kind
    strength_db: NDArray[np.float64]
    piece: str = ""


def kind_of(piece: Piece) -> Kind:
    """A piece as spill sees it; hand percussion by the head it is written with."""
    match piece.family:
        case "hand" | "whole" | "room":
            return "drum" if piece.head == "oval" else "cymbal"
        case kind:
            return kind


def part_onsets(
    candidates: Candidates,
    inside: NDArray[np.bool_],
    sources: frozenset[str],
    kind: Kind,
    strength: NDArray[np.bool_] | None = None,
    piece: str = "",
) -> PartOnsets:
    """The candidates of a part that listens to the third octaves ``inside`` (bands,), and measures strength
    over ``strength`` (bands,).
    """
    onset_power = onset_power_of(candidates)
    level, strong = (
        power_to_db(onset_power[:, bands].sum(axis=1, dtype=np.float64))
        for bands in (inside, inside if strength is None else strength)
    )
    return PartOnsets(candidates, onset_power, level, inside, sources, kind, strong, piece)


def loud_first(heard: dict[str, PartOnsets]) -> dict[str, NDArray[np.bool_]]:
    """Per part, the strokes that teach the others, (n,): near the loudest of their microphone, and no
    other's.

    Loudness is taken relative to the loudest of each microphone, so that gains do not matter. A stroke that
    another close microphone heard clearly before, or heard far stronger at about the same time, is that
    one's.
    """
    relative = {key: here.level_db - loudest_db(here) for key, here in heard.items()}
    out = {}
    for key, here in heard.items():
        time_s, mine = here.candidates.time_s, relative[key]
        own = mine > -_USUAL_UNDER_DB
        for other, there in heard.items():
            if (
                other == key
                or there.kind == "overall"
                or here.sources & there.sources
                or not len(there.level_db)
            ):
                continue
            their_s = there.candidates.time_s
            before = _loudest_between(
                relative[other], *np.searchsorted(their_s, [time_s - LATEST_S, time_s - 0.0002])
            )
            around = _loudest_between(
                relative[other], *np.searchsorted(their_s, [time_s - 0.004, time_s + 0.004])
            )
            own &= (before < mine - 10.0) & (around < mine + 3.0)
        out[key] = own
    return out


def loudest_db(here: PartOnsets) -> float:
    """The level of the few loudest candidates of a part."""
    return float(np.median(np.sort(here.level_db)[-5:])) if len(here.level_db) else -40.0


def _loudest_between(
    level_db: NDArray[np.float64], low: NDArray[np.int64], high: NDArray[np.int64]
) -> NDArray[np.float64]:
    out = np.full(len(low), NEVER_DB)
    for step in range(3):
        at = low + step
        inside = at < high
        out[inside] = np.maximum(out[inside], level_db[at[inside]])
    return out


def usual_db(here: PartOnsets, first: NDArray[np.bool_]) -> float:
    """The level of a part's loud usual strokes, judged by what arrives in its microphone first.

    ``first`` (n,) says which candidates arrived there first.
    """
    own = here.level_db[first] if np.count_nonzero(first) >= 3 else here.level_db
    if not len(own):
        return -40.0
    loud = np.sort(own)[::-1][: max(3, len(own) // 6)]
    return float(np.median(loud))
