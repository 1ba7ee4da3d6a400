"""How far a lock may go, and what it listens to."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field

from nubrak.core.controls import control

LockAgainst = Literal["own", "overheads", "heard"]


class LockSettings(BaseModel):
    """What a person chooses about the lock of a layer."""

    lock_against: LockAgainst = Field(
        default="own",
        description="the part's own microphone, the overheads, or the sum that is heard of both",
    )
    polarity_only: bool = Field(default=False, description="the layer's attack stays on the hit")
    most_offset_ms: float = Field(
        default=0.3,
        ge=0,
        le=5,
        description="how far the attack of a different sound may be moved from the hit; the same sound goes "
        "to its own place",
        json_schema_extra=control(step=0.05, high=1),
    )
