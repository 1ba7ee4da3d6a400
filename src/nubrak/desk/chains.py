"""Chains of a session by who goes through them, and a session as it sounds without some stages."""

from __future__ import annotations

from dataclasses import dataclass, replace

from nubrak.core.mix import Stage
from nubrak.core.session import Document, known_bus
from nubrak.desk.standing import Standing


@dataclass(frozen=True)
class Whose:
    """Who goes through a chain: a part, the layers of a part, or a bus."""

    part_id: str | None = None
    layers: bool = False
    bus_id: str | None = None

    def chain(self, document: Document) -> list[Stage]:
        """The chain as it stands; a ``Problem`` where nobody is there."""
        if self.bus_id is not None:
            return list(known_bus(document, self.bus_id).chain)
        part = document.part(self.part_id or "")
        return list(part.layers_chain if self.layers else part.chain)

    def with_chain(self, document: Document, chain: list[Stage]) -> Document:
        """Another document in which it is this one."""
        out = document.model_copy()
        if self.bus_id is not None:
            bus = known_bus(document, self.bus_id)
            out.buses = document.buses | {self.bus_id: bus.model_copy(update={"chain": chain})}
            return out
        part_id = self.part_id or ""
        field = "layers_chain" if self.layers else "chain"
        out.parts = document.parts | {part_id: document.part(part_id).model_copy(update={field: chain})}
        return out


@dataclass(frozen=True)
class Without:
    """A stage of somebody's chain that is not heard, or none of them, and what makes up for it in dB."""

    whose: Whose
    stage: int | None
    trim_db: float

    @property
    def key(self) -> str:
        """By what its trim is known."""
        whose = self.whose
        return whose.bus_id or f"{whose.part_id}{' layers' if whose.layers else ''}"


def without_stages(standing: Standing, without: Without) -> Standing:
    """The session as it sounds without some stages; notes and decisions are the same."""
    chain = without.whose.chain(standing.document)
    left = [one for k, one in enumerate(chain) if without.stage is not None and k != without.stage]
    return with_chain(standing, without.whose, left)


def with_chain(standing: Standing, whose: Whose, chain: list[Stage]) -> Standing:
    """The session as it sounds with another chain."""
    document = whose.with_chain(standing.document, chain)
    return replace(standing, state=standing.state.model_copy(update={"document": document}))
