"""How live playing is listened to; what each part is found by are its settings of Find."""

from __future__ import annotations

from pydantic import BaseModel, Field

from nubrak.core.controls import control

MOST_LOOK_AHEAD_MS = 10.0  # more is felt by whoever plays (common practice)


class LiveSettings(BaseModel):
    """How long a stroke is listened to before it is decided."""

    look_ahead_ms: float = Field(
        default=5.0,
        ge=0,
        le=MOST_LOOK_AHEAD_MS,
        description="how long a stroke is listened to before it is decided, in ms; more is surer",
        json_schema_extra=control(step=0.7),
    )
