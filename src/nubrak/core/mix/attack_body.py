"""Attack and body: strokes made snappier or rounder, and their ringing longer or shorter, around the strokes
that are known. Nothing is guessed from the audio, so it works alike on every stroke, soft or loud.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from nubrak.core.mix.dynamics import LEVEL_STEP

_BEGINS_S = 0.001  # before the attack: nothing of the stroke is there yet


class AttackBodyStage(BaseModel):
    """The first of every stroke, and what follows."""

    kind: Literal["attack and body"] = "attack and body"
    on: bool = True
    attack_db: float = Field(default=0.0, ge=-24, le=24, description="the stroke itself")
    attack_ms: float = Field(default=15.0, ge=1, le=100, description="so long after it began")
    body_db: float = Field(default=0.0, ge=-36, le=24, description="what rings after it")
    body_ms: float = Field(default=250.0, ge=20, le=4000, description="until it is as it was again")


def sharpened(
    sound: NDArray[np.float64],
    stage: AttackBodyStage,
    hit_samples: NDArray[np.int64],
    rate_hz: int,
    start: int,
) -> NDArray[np.float64]:
    """Sound (frames, 2) from sample ``start`` on through the stage; the last stroke (n,) before each sample
    says. Level goes from the attack's to the body's and back to none along raised cosines of dB, told every
    ``LEVEL_STEP`` and on a line between.
    """
    from nubrak.core.mix.recursions import levelled, stroke_levels

    begins = hit_samples - round(_BEGINS_S * rate_hz)
    rise, attack, body = (
        max(round(s * rate_hz), 1) for s in (_BEGINS_S, stage.attack_ms / 1000, stage.body_ms / 1000)
    )
    first = start // LEVEL_STEP * LEVEL_STEP
    steps = -(-(start + len(sound) - first) // LEVEL_STEP)
    told = float(stage.attack_db), float(stage.body_db), rise, rise + attack, body
    # Of strokes before only the last two have a say.
    near = begins[max(int(np.searchsorted(begins, first)) - 2, 0) :]
    levels = stroke_levels(near, told, first, steps)
    return np.asarray(levelled(np.ascontiguousarray(sound), levels, start - first))
