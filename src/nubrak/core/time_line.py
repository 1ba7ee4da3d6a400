"""Seconds of a session's time line: the one type that every place in a document has, so that one walk finds
all of them.

A field that ends in ``_s`` says with its type what its seconds count: a place on the time line
(``TimeLineS``), or something else (``LengthS``): how long something lasts, a place inside a file, a time of
the day. Shifting a document moves the first kind and leaves the second.
"""

from __future__ import annotations

import types
from collections.abc import Callable, Iterator
from functools import cache
from typing import Annotated, Any, TypeVar, Union, get_args, get_origin

from pydantic import BaseModel, Field

LAST_S = 86400.0  # a day; no session is longer, and time stamps count from midnight


class OnTimeLine:
    """Marks a place on the session's time line."""


class OffTimeLine:
    """Marks seconds that no shift of the session moves."""


class AudioHash:
    """Marks the content hash of a stored audio file."""


FIRST_BAR_S = 3600.0  # how long before the time line bar 1 may stand
BarOneS = Annotated[float, Field(ge=-FIRST_BAR_S, le=LAST_S), OnTimeLine]
TimeLineS = Annotated[float, Field(ge=0, le=LAST_S), OnTimeLine]
LengthS = Annotated[float, OffTimeLine]
AudioKey = Annotated[str, AudioHash]

M = TypeVar("M", bound=BaseModel)


def walk(model: M, marker: type, change: Callable[[Any], Any]) -> M:
    """The model with ``change`` done to every value whose type carries ``marker``, however deep it lies; the
    model itself is left as it is. Nothing is validated: the caller knows the bounds.

    >>> walk(Place(time_s=1.0), OnTimeLine, lambda time_s: time_s + 2).time_s
    3.0
    """
    update = {
        name: _changed(getattr(model, name), hint, marker, change)
        for name, hint in _carrying(type(model), marker)
    }
    return model.model_copy(update=update) if update else model


def found(model: BaseModel, marker: type) -> Iterator[Any]:
    """Every value of a model whose type carries ``marker``, however deep it lies, in the order of fields."""
    out: list[Any] = []

    def note(value: Any) -> Any:
        out.append(value)
        return value

    walk(model, marker, note)
    return iter(out)


@cache
def _carrying(model: type[BaseModel], marker: type) -> tuple[tuple[str, Any], ...]:
    """The fields of a model in which the marker may lie, with their types."""
    hints = [
        (name, Annotated[field.annotation, *field.metadata] if field.metadata else field.annotation)
        for name, field in model.model_fields.items()
    ]
    return tuple((name, hint) for name, hint in hints if _may_carry(hint, marker, frozenset([model])))


def _may_carry(hint: Any, marker: type, seen: frozenset[type]) -> bool:
    if get_origin(hint) is Annotated and marker in get_args(hint)[1:]:
        return True
    if isinstance(hint, type) and issubclass(hint, BaseModel):
        inner = (
            Annotated[field.annotation, *field.metadata] if field.metadata else field.annotation
            for field in hint.model_fields.values()
        )
        # One that holds itself, at whatever remove, may carry it further down.
        return hint in seen or any(_may_carry(one, marker, seen | {hint}) for one in inner)
    return any(_may_carry(one, marker, seen) for one in get_args(hint) if one is not Ellipsis)


def _changed(value: Any, hint: Any, marker: type, change: Callable[[Any], Any]) -> Any:
    if value is None:
        return None
    origin, inside = get_origin(hint), get_args(hint)
    if origin is Annotated:
        if marker in inside[1:]:
            return change(value)
        return _changed(value, inside[0], marker, change)
    if isinstance(value, BaseModel):
        return walk(value, marker, change)
    if origin in (Union, types.UnionType):
        fitting = next((one for one in inside if _may_carry(one, marker, frozenset())), None)
        return _changed(value, fitting, marker, change)
    if isinstance(value, list):
        return [_changed(one, inside[0], marker, change) for one in value]
    if isinstance(value, dict):
        return {key: _changed(one, inside[1], marker, change) for key, one in value.items()}
    return value
