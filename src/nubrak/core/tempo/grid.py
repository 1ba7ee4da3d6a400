"""Grid: where the steps of a bar lie, straight, in triplets, dotted or swung."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from nubrak.core.controls import control

StepKind = Literal["straight", "triplet", "dotted"]
_OF_KIND = {"straight": 1.0, "triplet": 2.0 / 3.0, "dotted": 1.5}  # of a plain step’s length


class Grid(BaseModel):
    """The steps that strokes are meant to fall on."""

    step: Literal[2, 4, 8, 16, 32, 64] = Field(
        default=16, description="the note value of a step: 16 is a sixteenth"
    )
    kind: StepKind = "straight"
    swing_percent: float = Field(
        default=50.0,
        ge=50,
        le=80,
        description="where the second of two steps stands: 50 in the middle, 66.7 as in triplets",
        json_schema_extra=control(step=0.1),
    )

    @property
    def step_beats(self) -> float:
        """The length of a step in quarter notes."""
        return 4.0 / self.step * _OF_KIND[self.kind]

    def position(self, number: NDArray[np.int64]) -> NDArray[np.float64]:
        """The beats at which steps (n,), counted from bar 1, stand, (n,)."""
        late = (number % 2) * (self.swing_percent / 50.0 - 1.0)
        return np.asarray((number + late) * self.step_beats)

    def nearest(self, beats: NDArray[np.float64]) -> NDArray[np.int64]:
        """The step nearest to each place in beats, (n,); of two as near, the earlier."""
        about = np.floor(beats / self.step_beats).astype(np.int64)
        near = about[:, None] + np.arange(-1, 2)
        away = np.abs(self.position(near) - beats[:, None])
        # A hair in favour of the earlier, so that rounding does not choose.
        return np.asarray(near[np.arange(len(beats)), np.argmin(away + 1e-9 * np.arange(3), axis=1)])

    def labels(self, count: int, beat_unit: int = 4) -> list[str]:
        """What the first ``count`` steps of a bar are called: beats by number, their middles +, what lies
        between by how drummers count.
        """
        beat = 4.0 / beat_unit
        out = []
        for number in range(count):
            place = number * self.step_beats / beat
            whole = int(np.floor(place + 1e-9))
            part = round((place - whole) * 12)
            out.append({0: str(whole + 1), 6: "+", 3: "e", 9: "a", 4: "t", 8: "t"}.get(part, "·"))
        return out
