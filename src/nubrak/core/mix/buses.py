"""Buses: parts that go through stages together, in place of going straight to the sum or beside it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Literal

from pydantic import BaseModel, Field

from nubrak.core.mix.chain import AnyStage
from nubrak.core.mix.room import Room
from nubrak.core.names import Name

BusKind = Literal["group", "parallel", "room"]
MOST_BUSES = 24
AmountDb = Annotated[float, Field(ge=-60, le=12)]


class PartsBus(BaseModel):
    """Some parts together: a group in place of each by itself, a parallel beside them, or a room's return."""

    name: Name = Field(min_length=1, max_length=80)
    kind: BusKind = "group"
    place: int = Field(default=0, description="order in the list")
    on: bool = True
    level_db: float = Field(default=0.0, ge=-60, le=12)
    pan: float = Field(default=0.0, ge=-1, le=1, description="-1 left, 1 right")
    parts: dict[str, AmountDb] = Field(
        default={}, max_length=256, description="which parts go there, and with how many dB"
    )
    chain: list[AnyStage] = Field(default=[], max_length=16)
    room: Room = Field(default=Room(), description="where it is a room's return")


def group_of(buses: Mapping[str, PartsBus], part_id: str) -> str | None:
    """The group that a part goes through in place of going straight to the sum: the first in order."""
    found = [
        (bus.place, bus_id) for bus_id, bus in buses.items() if bus.kind == "group" and part_id in bus.parts
    ]
    return min(found)[1] if found else None
