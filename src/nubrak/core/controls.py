"""What a control of a setting needs beside its bounds: how finely it moves, the stretch its handle travels,
and its unit. It stands in the model's field, so the schema hands it on and no interface says it again.
"""

from __future__ import annotations

from pydantic import JsonValue

# Fields say their unit with their names; how finely such a number is set as a rule (common practice).
UNITS = {
    "_db": ("dB", 0.5),
    "_ms": ("ms", 1.0),
    "_hz": ("Hz", 1.0),
    "_percent": ("%", 1.0),
    "_beats": ("beats", 0.0625),
    "_semitones": ("st", 0.1),
    "_samples": ("samples", 1.0),
    "_velocity": ("vel", 1.0),
    "_s": ("s", 0.001),
}


def control(
    *, step: float | None = None, low: float | None = None, high: float | None = None, unit: str | None = None
) -> dict[str, JsonValue]:
    """For ``json_schema_extra`` of a field: its step and unit where its name does not say them, and from
    where to where its handle goes where its bounds are wider than a hand wants.
    """
    said = {"step": step, "low": low, "high": high, "unit": unit}
    return {"control": {name: value for name, value in said.items() if value is not None}}
