"""What a person does in Mix: the stages of a part."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from nubrak.core.mix import AnyStage
from nubrak.core.session.action import Action
from nubrak.core.session.document import Document


class SetChain(Action):
    """The stages that a part goes through, all of them in their order."""

    kind: Literal["set_chain"]
    part_id: str
    chain: list[AnyStage] = Field(max_length=16)

    def apply(self, document: Document) -> str:
        part = document.part(self.part_id)
        before, part.chain = part.chain, self.chain
        return f"{document.part_name(self.part_id)}: {_said(before, self.chain)}"


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
