"""Attack and body: strokes made snappier or rounder, and their ringing longer or shorter, around the strokes
that are known. Nothing is guessed from the audio, so it works alike on every stroke, soft or loud.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

_BEGINS_S = 0.001  # before the attack: nothing of the stroke is there yet


class AttackBodyStage(BaseModel):
    """The first of every stroke, and what follows."""

    kind: Literal["attack and body"] = "attack and body"
    on: bool = True
    attack_db: float = Field(default=0.0, ge=-24, le=24, description="the stroke itself")
    attack_ms: float = Field(default=15.0, ge=1, le=100, description="so long after it began")
    body_db: float = Field(default=0.0, ge=-36, le=24, description="what rings after it")
    body_ms: float = Field(default=250.0, ge=20, le=4000, description="until it is as it was again")


def stroke_gain(
    stage: AttackBodyStage, hit_samples: NDArray[np.int64], rate_hz: int, start: int, frames: int
) -> NDArray[np.float64]:
    """What samples ``start`` to ``start + frames`` are multiplied by, (frames,); the last stroke (n,) before
    each sample says. Level goes from the attack's to the body's and back to none along raised cosines of dB.
    """
    begins = hit_samples - round(_BEGINS_S * rate_hz)
    rise, attack, body = (
        max(round(s * rate_hz), 1) for s in (_BEGINS_S, stage.attack_ms / 1000, stage.body_ms / 1000)
    )
    at = np.arange(start, start + frames)
    last = np.searchsorted(begins, at, side="right") - 1
    if not len(begins):
        return np.ones(frames)
    since = at - begins[np.maximum(last, 0)]
    # Where the stroke before leaves it, the next one takes it up.
    before = np.where(last > 0, begins[np.maximum(last, 0)] - begins[np.maximum(last - 1, 0)], 1 << 40)
    level = _level_db(stage, since, rise + attack, body)
    from_db = _level_db(stage, before, rise + attack, body)
    up = _eased(since / rise)
    level = np.where(since < rise, from_db + (stage.attack_db - from_db) * up, level)
    return np.asarray(10 ** (np.where(last >= 0, level, 0.0) / 20))


def _level_db(
    stage: AttackBodyStage, since: NDArray[np.int64], attack: int, body: int
) -> NDArray[np.float64]:
    """The level so many samples after a stroke's beginning, (n,), once it has risen."""
    over = _eased((since - attack) / max(attack, 1))
    gone = _eased((since - 2 * attack - body // 2) / max(body // 2, 1))
    return np.asarray((stage.attack_db + (stage.body_db - stage.attack_db) * over) * (1 - gone))


def _eased(share: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.asarray(0.5 - 0.5 * np.cos(np.pi * np.clip(share, 0, 1)))
