"""What every action on a session shares: it changes a document and says what undo calls that."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, TypeVar

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from nubrak.core.problem import Problem
from nubrak.core.session.document import Document

Id = Annotated[str, Field(pattern=r"^[A-Za-z0-9_-]{1,64}$")]
M = TypeVar("M", bound=BaseModel)
_UNITS = {"_db": " dB", "_ms": " ms", "_hz": " Hz", "_percent": " %", "_beats": " beats", "_s": " s"}
_EMPTY = {"spill_margin_db": "off", "spill_from": "learnt"}


class Action(BaseModel):
    """One thing a person does to a session. Nothing that is not named is taken."""

    model_config = ConfigDict(extra="forbid")

    def apply(self, document: Document) -> str:
        """Change ``document``, which is nobody else's, and return what undo calls it. A ``Problem`` says why
        it cannot be done.
        """
        raise NotImplementedError

    @property
    def audio(self) -> set[str]:
        """The stored audio that this action brings in, by hash."""
        return set()


def changed(model: M, changes: Mapping[str, object]) -> M:
    """The model with some fields changed and all bounds checked; a ``Problem`` says which value does not
    fit.
    """
    unknown = set(changes) - set(type(model).model_fields)
    if unknown:
        raise Problem(f"There is no setting “{sorted(unknown)[0]}”.")
    try:
        return type(model).model_validate(model.model_dump() | dict(changes))
    except ValidationError as error:
        raise out_of_bounds(error) from error


def out_of_bounds(error: ValidationError) -> Problem:
    """What a person is told of a value that does not fit its field."""
    first = error.errors()[0]
    names = [str(step).replace("_", " ") for step in first["loc"] if not isinstance(step, int)]
    given = f"{first['input']!r}"[:60]
    return Problem(
        f"{names[-1] if names else 'value'}: {given} does not fit: {first['msg'].lower()}.",
        todo="Choose a value inside the bounds.",
    )


def settings_said(changes: Mapping[str, object]) -> str:
    """Changed settings in words, for the label of an edit."""
    return ", ".join(f"{_word(name)} {_value(name, value)}" for name, value in changes.items())


def _word(name: str) -> str:
    for unit in _UNITS:
        name = name.removesuffix(unit)
    return name.replace("_", " ").replace("hold off", "hold-off")


def _value(name: str, value: object) -> str:
    if value is None:
        return _EMPTY.get(name, "as suggested")
    if isinstance(value, list):
        points = f"through {len(value)} point{'' if len(value) == 1 else 's'}"
        return points if name == "curve" else f"{len(value)} named"
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, int | float):
        unit = next((said for ending, said in _UNITS.items() if name.endswith(ending)), "")
        return f"{value:g}{unit}".replace("-", "−")
    return str(value)
