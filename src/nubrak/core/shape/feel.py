"""Feel: how early or late and how strong a player is on each step of a bar, averaged over the bars."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from nubrak.core.names import Name
from nubrak.core.tempo import Grid

_MOST_STEPS = 512  # eight bars of sixty-fourths
_MOST_LATE_MS = 4500.0  # half of a dotted half note, the longest step, at 20 bpm


class FeelStep(BaseModel):
    """One step of a feel, over all bars in which it was played."""

    late_ms: float = Field(
        default=0.0, ge=-_MOST_LATE_MS, le=_MOST_LATE_MS, description="how much after the step, as a rule"
    )
    spread_ms: float = Field(default=0.0, ge=0, description="half of the strokes lie within this of it")
    strength: float = Field(default=1.0, ge=0, le=10, description="velocity against the part's median")
    strength_spread: float = Field(default=0.0, ge=0)
    count: int = Field(default=0, ge=0, description="how many strokes told; 0: not played here")


class Feel(BaseModel):
    """A feel, named and kept with the session."""

    name: Name = Field(min_length=1, max_length=80)
    grid: Grid = Grid()
    bar_beats: float = Field(gt=0, le=128)
    steps: list[FeelStep] = Field(min_length=1, max_length=_MOST_STEPS)


def steps_of_bar(grid: Grid, bar_beats: float) -> int:
    """How many steps it takes until grid and bar line meet again, as a rule those of one bar."""
    per_bar = bar_beats / grid.step_beats
    for bars in (1, 2, 3, 4, 8):
        whole = per_bar * bars
        if abs(whole - round(whole)) < 1e-6 and (grid.swing_percent <= 50 or round(whole) % 2 == 0):
            return round(whole)
    return max(round(per_bar), 1)


def feel_of(
    name: str,
    step: NDArray[np.int64],
    late_ms: NDArray[np.float64],
    velocity: NDArray[np.int64],
    grid: Grid,
    bar_beats: float,
) -> Feel:
    """The feel of strokes (n,) that lie on ``step`` (n,) of the grid, ``late_ms`` (n,) after it.

    Medians, so that a single slip does not count; the spread is the median distance from them.

    ``velocity`` is (n,), 1 to 127.
    """
    count = min(steps_of_bar(grid, bar_beats), _MOST_STEPS)
    usual = float(np.median(velocity)) if len(velocity) else 1.0
    steps = []
    for place in range(count):
        here = step % count == place
        if not here.any():
            steps.append(FeelStep())
            continue
        late, strength = late_ms[here], velocity[here] / max(usual, 1.0)
        middle, strong = float(np.median(late)), float(np.median(strength))
        steps.append(
            FeelStep(
                late_ms=round(middle, 4),
                spread_ms=round(float(np.median(np.abs(late - middle))), 4),
                strength=round(min(strong, 10.0), 4),
                strength_spread=round(float(np.median(np.abs(strength - strong))), 4),
                count=int(here.sum()),
            )
        )
    return Feel(name=name, grid=grid, bar_beats=bar_beats, steps=steps)
