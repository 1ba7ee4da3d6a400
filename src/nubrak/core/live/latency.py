"""Latency: from the moment a stroke begins in a microphone until its note is out, and its parts."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field


class LatencyPart(BaseModel):
    """One part of the way from stroke to note."""

    name: str
    median_ms: float
    most_ms: float = Field(description="95th percentile")


class Latency(BaseModel):
    """How long it takes from stroke to note."""

    median_ms: float
    most_ms: float = Field(description="95th percentile")
    parts: list[LatencyPart]


def latency_of(parts_ms: dict[str, NDArray[np.float64]]) -> Latency | None:
    """The latency of strokes (n,) by how long each part of the way took, in ms, (n,) each; None without
    any.
    """
    if not parts_ms or not len(next(iter(parts_ms.values()))):
        return None
    whole = np.sum(list(parts_ms.values()), axis=0)
    middle, most = np.percentile(whole, [50, 95]).tolist()
    return Latency(
        median_ms=middle,
        most_ms=most,
        parts=[
            LatencyPart(name=name, median_ms=float(np.median(part)), most_ms=float(np.percentile(part, 95)))
            for name, part in parts_ms.items()
        ],
    )
