"""What a person does in Mix: the stages of parts and buses, and which parts go where."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from nubrak.core.mix import AmountDb, AnyStage, MasterDb, PartsBus
from nubrak.core.problem import Problem
from nubrak.core.session.action import Action, Id, changed, settings_said
from nubrak.core.session.document import Document


class SetMaster(Action):
    """How loud everything is that is heard and printed."""

    kind: Literal["set_master"]
    master_db: MasterDb

    def apply(self, document: Document) -> str:
        document.master_db = self.master_db
        return f"Master {self.master_db:+.1f} dB".replace("-", "−")


class SetChain(Action):
    """The stages that a part, its layers, or a bus go through, all of them in their order."""

    kind: Literal["set_chain"]
    part_id: str | None = None
    layers: bool = Field(default=False, description="of the part only its layers")
    bus_id: str | None = None
    chain: list[AnyStage] = Field(max_length=16)

    def apply(self, document: Document) -> str:
        if self.bus_id is not None:
            bus = known_bus(document, self.bus_id)
            before, bus.chain = bus.chain, self.chain
            return f"{bus.name}: {_said(before, self.chain)}"
        part = document.part(self.part_id or "")
        name = document.part_name(self.part_id or "")
        if self.layers:
            before, part.layers_chain = part.layers_chain, self.chain
            return f"{name}, layers: {_said(before, self.chain)}"
        before, part.chain = part.chain, self.chain
        return f"{name}: {_said(before, self.chain)}"


class AddBus(Action):
    """A new group, parallel or room, behind those there are."""

    kind: Literal["add_bus"]
    bus_id: Id
    bus: PartsBus

    def apply(self, document: Document) -> str:
        for part_id in self.bus.parts:
            document.part(part_id)
        place = 1 + max((one.place for one in document.buses.values()), default=-1)
        document.buses[self.bus_id] = self.bus.model_copy(update={"place": place})
        if self.bus.kind == "group":
            for part_id in self.bus.parts:
                _leave_groups(document, part_id, self.bus_id)
        return f"add {self.bus.name}"


class SetBus(Action):
    """Change a bus; what is not named stays."""

    kind: Literal["set_bus"]
    bus_id: str
    changes: dict[str, float | bool | str | dict[str, float | str | None] | None]

    def apply(self, document: Document) -> str:
        bus = known_bus(document, self.bus_id)
        document.buses[self.bus_id] = changed(bus, self.changes)
        said = {name: value for name, value in self.changes.items() if not isinstance(value, dict)}
        return f"{bus.name}: {settings_said(said) or 'the room'}"


class SendTo(Action):
    """With how many dB a part goes to a bus; empty takes it out of it."""

    kind: Literal["send_to"]
    bus_id: str
    part_id: str
    amount_db: AmountDb | None

    def apply(self, document: Document) -> str:
        bus = known_bus(document, self.bus_id)
        document.part(self.part_id)
        name = document.part_name(self.part_id)
        if self.amount_db is None:
            bus.parts.pop(self.part_id, None)
            return f"{name}: out of {bus.name}"
        new = self.part_id not in bus.parts
        bus.parts[self.part_id] = self.amount_db
        if bus.kind == "group":
            _leave_groups(document, self.part_id, self.bus_id)
        how = "" if new else f" {self.amount_db:g} dB".replace("-", "−")
        return f"{name}: to {bus.name}{how}"


class SetLess(Action):
    """How much less of another part a part's microphones have; 0 leaves it as it was recorded."""

    kind: Literal["set_less"]
    part_id: str
    of_part_id: str
    less_db: float = Field(ge=-60, le=0)

    def apply(self, document: Document) -> str:
        part = document.part(self.part_id)
        document.part(self.of_part_id)
        if self.less_db:
            part.less_of[self.of_part_id] = self.less_db
        else:
            part.less_of.pop(self.of_part_id, None)
        of = document.part_name(self.of_part_id)
        said = f"{self.less_db:g} dB".replace("-", "−") if self.less_db else "as recorded"
        return f"{document.part_name(self.part_id)}: {of} {said}"


class RemoveBus(Action):
    """Take a bus out; its parts go straight to the sum again."""

    kind: Literal["remove_bus"]
    bus_id: str

    def apply(self, document: Document) -> str:
        bus = known_bus(document, self.bus_id)
        del document.buses[self.bus_id]
        return f"take {bus.name} out"


def known_bus(document: Document, bus_id: str) -> PartsBus:
    """The bus, or a ``Problem`` that says it is not there."""
    if bus_id not in document.buses:
        raise Problem("This bus is not in the session any more.", todo="Choose another one.", kind="missing")
    return document.buses[bus_id]


def _leave_groups(document: Document, part_id: str, but: str) -> None:
    """A part goes through one group only."""
    for key, bus in document.buses.items():
        if key != but and bus.kind == "group":
            bus.parts.pop(part_id, None)


def _said(before: list[AnyStage], now: list[AnyStage]) -> str:
    """What is another thing about a chain, in words."""
    kinds_before, kinds = ([stage.kind for stage in chain] for chain in (before, now))
    if len(now) > len(before):
        return f"add {next((k for k in kinds if kinds.count(k) > kinds_before.count(k)), kinds[-1])}"
    if len(now) < len(before):
        gone = next((k for k in kinds_before if kinds_before.count(k) > kinds.count(k)), kinds_before[-1])
        return f"take {gone} out"
    if kinds != kinds_before:
        return "stages in another order"
    changed = [(old, new) for old, new in zip(before, now, strict=True) if old != new]
    if len(changed) != 1:
        return f"{len(now)} stages"
    old, new = changed[0]
    if old.on != new.on and old.model_copy(update={"on": new.on}) == new:
        return f"{new.kind} {'on' if new.on else 'off'}"
    return new.kind
