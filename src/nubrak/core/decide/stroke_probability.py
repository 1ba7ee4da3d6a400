"""Stroke probability: how likely a candidate with this evidence is a stroke of its part's own piece.

Small ensembles of decision trees (Friedman, "Greedy function approximation: a gradient boosting machine",
Annals of Statistics 29, 2001), one for each pass over a kit and one for whole loops, taught on sessions whose
truth is known (``benchmarks/learn.py``). The numbers they weigh are physical; features in which more can only
speak for a stroke are held to that.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import IntEnum
from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from nubrak.core.decide.features import FEATURES

TAUGHT = Path(__file__).parent / "stroke_probability.npz"
_AT_ONCE = 128  # small enough to stay in the cache


class Taught(IntEnum):
    """What a forest was taught on."""

    KIT_BEFORE_SPILL = 0  # microphones of a kit, with a spill guessed from what is loud first
    KIT = 1  # the same, with the spill that the first pass taught
    MIX = 2  # whole loops


@dataclass(frozen=True)
class Forest:
    """Trees side by side, (trees, nodes) each: a row goes left where its feature is at most ``limit``; leaves
    point to themselves.
    """

    feature: NDArray[np.int32]
    limit: NDArray[np.float32]
    left: NDArray[np.int32]
    right: NDArray[np.int32]
    value: NDArray[np.float32]
    start: float
    depth: int


# A piece that was never taught answers like its neighbour.
_ANSWERS_LIKE = {"mid-tom": "rack-tom"}


@lru_cache(maxsize=1)
def calibration() -> dict[str, tuple[float, float]]:
    """By piece, the slope and the offset of the log odds that make them as sure as they are right on drums
    that were never taught (Platt, "Probabilistic outputs for support vector machines", 1999).
    """
    with np.load(TAUGHT, allow_pickle=False) as stored:
        if "calibrated_pieces" not in stored.files:
            return {}
        lines = zip(stored["calibrated_slope"].tolist(), stored["calibrated_offset"].tolist(), strict=True)
        return dict(zip(stored["calibrated_pieces"].tolist(), lines, strict=True))


def calibrated(stroke_probabilities: NDArray[np.float64], piece: str) -> NDArray[np.float64]:
    """Stroke probabilities (n,) of a kit's microphone as sure as they are right for its piece, (n,)."""
    slope, offset = calibration().get(_ANSWERS_LIKE.get(piece, piece), (1.0, 0.0))
    kept = np.clip(stroke_probabilities, 1e-6, 1.0 - 1e-6)
    return np.asarray(1.0 / (1.0 + np.exp(-(slope * np.log(kept / (1.0 - kept)) + offset))))


@lru_cache(maxsize=3)
def forest_taught_on(material: Taught) -> Forest:
    """The forest for one kind of material; a ``RuntimeError`` where it was taught on other features."""
    return forest_in(TAUGHT, FEATURES, str(int(material)))


def forest_in(path: Path, features: tuple[str, ...], named: str = "0") -> Forest:
    """The forest of that name in a file; a ``RuntimeError`` where it was taught on other features."""
    with np.load(path, allow_pickle=False) as stored:
        if stored["features"].tolist() != list(features):
            raise RuntimeError(f"{path.name} was taught on other features; teach it again (see benchmarks)")
        part = {
            name: stored[f"{name}{named}"]
            for name in ("feature", "limit", "left", "right", "value", "start", "depth")
        }
    return Forest(
        part["feature"].astype(np.int32),
        part["limit"].astype(np.float32),
        part["left"].astype(np.int32),
        part["right"].astype(np.int32),
        part["value"].astype(np.float32),
        float(part["start"]),
        int(part["depth"]),
    )


def log_odds(features: NDArray[np.float32], forest: Forest) -> NDArray[np.float64]:
    """Rows (n, features) through every tree: the log odds that each is a stroke, (n,)."""
    trees, nodes = forest.feature.shape
    base = np.arange(trees) * nodes
    feature, limit, value = (
        forest.feature.ravel().astype(np.int64),
        forest.limit.ravel(),
        forest.value.ravel(),
    )
    # Both ways on from a node side by side, right first, so that the answer itself is the address.
    onward = (
        np.stack([forest.right.ravel(), forest.left.ravel()], axis=1).astype(np.int64)
        + np.repeat(base, nodes)[:, None]
    )
    child = onward.ravel()
    out = np.empty(len(features))
    for at in range(0, len(features), _AT_ONCE):
        rows = features[at : at + _AT_ONCE]
        flat, offset = rows.ravel(), (np.arange(len(rows)) * features.shape[1])[:, None]
        node = np.broadcast_to(base, (len(rows), trees)).copy()
        for _ in range(forest.depth):
            goes_left = flat[feature[node] + offset] <= limit[node]
            node = child[2 * node + goes_left]
        out[at : at + _AT_ONCE] = value[node].sum(axis=1, dtype=np.float64)
    return out + forest.start


def stroke_probability(features: NDArray[np.float32], material: Taught) -> NDArray[np.float64]:
    """Evidence (n, features) to the probability of being a stroke, 0 to 1, (n,)."""
    if not len(features):
        return np.zeros(0)
    return np.asarray(1.0 / (1.0 + np.exp(-log_odds(features, forest_taught_on(material)))))
