"""The bounds, steps, units and usual values of every number in the models, for the front end's controls."""

from __future__ import annotations

import json
from typing import Any

from nubrak.core.controls import UNITS

_HEAD = """// Made from the models by `./nubrak schema`: change them there.

/** A number that can be set: its bounds, its step and unit, its usual value, and how far a handle goes. */
export interface Limit {
  readonly least: number;
  readonly most: number;
  readonly step: number;
  readonly unit: string;
  readonly usual: number | null;
  readonly low: number;
  readonly high: number;
}

export const LIMITS = """


def limits_text(description: dict[str, Any]) -> str:
    """``limits.ts`` from an OpenAPI description."""
    models = {}
    for name, schema in sorted(description["components"]["schemas"].items()):
        fields = {
            field: limit
            for field, about in schema.get("properties", {}).items()
            if not field.endswith("_s") and (limit := _limit(field, about)) is not None
        }
        # What is read back has the same bounds as what is sent.
        if fields and not name.endswith("-Output"):
            models[name.removesuffix("-Input")] = fields
    lines = [
        line
        for name, fields in models.items()
        for line in (f"{name}: {{", *(f"{field}: {_said(limit)}," for field, limit in fields.items()), "},")
    ]
    said = "\n".join(lines)
    return f"{_HEAD}{{\n{said}\n}} as const satisfies Record<string, Record<string, Limit>>;\n"


def _said(limit: dict[str, Any]) -> str:
    """One line, whole numbers as such."""
    plain = {
        name: int(value) if isinstance(value, float) and value.is_integer() else value
        for name, value in limit.items()
    }
    return json.dumps(plain, ensure_ascii=False)


def _limit(field: str, about: dict[str, Any]) -> dict[str, Any] | None:
    """The limit of one property, where it is a number with both bounds."""
    number = next(
        (one for one in [about, *about.get("anyOf", [])] if one.get("type") in ("number", "integer")), None
    )
    if number is None:
        return None
    least = number.get("minimum", number.get("exclusiveMinimum"))
    most = number.get("maximum", number.get("exclusiveMaximum"))
    if least is None or most is None:
        return None
    said = about.get("control", {})
    unit, step = next((one for ending, one in UNITS.items() if field.endswith(ending)), ("", 1.0))
    if "exclusiveMinimum" in number:
        least = said.get("step", step)
    return {
        "least": least,
        "most": most,
        "step": said.get("step", step),
        "unit": said.get("unit", unit),
        "usual": about.get("default"),
        "low": said.get("low", least),
        "high": said.get("high", most),
    }
