"""What the front end's controls know of a number: all of it from the model."""

from __future__ import annotations

from typing import Any

from fastapi import FastAPI
from pydantic import BaseModel, Field

from nubrak.command.limits import limits_text
from nubrak.core.controls import control


class Lamp(BaseModel):
    """Made up: what a lamp of the theatre may be set to."""

    glow_db: float = Field(default=-3.0, ge=-60, le=0)
    flicker_percent: int = Field(default=0, ge=0, le=100, json_schema_extra=control(step=5, high=40))
    wick: float | None = Field(default=None, gt=0, le=8, json_schema_extra=control(step=0.25, unit="mm"))
    begins_s: float = Field(default=0, ge=0, le=10, description="a moment, which no control sets")
    oil: float = Field(default=1, description="without bounds")
    name: str = "lamp"


def described() -> dict[str, Any]:
    app = FastAPI()

    @app.post("/lamp")
    def light(lamp: Lamp) -> None: ...

    return app.openapi()


def test_bounds_units_steps_and_usual_values_come_from_the_fields() -> None:
    text = limits_text(described())
    assert (
        'glow_db: {"least": -60, "most": 0, "step": 0.5, "unit": "dB", "usual": -3, "low": -60, "high": 0},'
        in text
    )
    assert (
        'flicker_percent: {"least": 0, "most": 100, "step": 5, "unit": "%", "usual": 0, "low": 0, "high": 40}'
        in text
    )


def test_a_bound_that_is_not_reached_begins_a_step_over_it_and_empty_is_allowed() -> None:
    text = limits_text(described())
    assert 'wick: {"least": 0.25, "most": 8, "step": 0.25, "unit": "mm", "usual": null' in text


def test_what_no_control_sets_is_left_out() -> None:
    text = limits_text(described())
    assert "begins_s" not in text and "oil" not in text and "name:" not in text
