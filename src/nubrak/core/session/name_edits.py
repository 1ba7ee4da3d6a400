"""What a person does to names, order and sample rate."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from nubrak.core.names import Name
from nubrak.core.session.action import Action
from nubrak.core.session.document import Document
from nubrak.core.session.order import arrange, move
from nubrak.core.session.rate import at_rate, take_usual_rate


class NamePart(Action):
    """Call a part by a name of one's own; an empty one gives it the name of its piece again."""

    kind: Literal["name_part"]
    part_id: str
    name: Name = Field(max_length=80)

    def apply(self, document: Document) -> str:
        part = document.part(self.part_id)
        before = document.part_name(self.part_id)
        part.named = self.name or None
        return f"Name {before.lower()} “{document.part_name(self.part_id)}”"


class NameSource(Action):
    """Call a source by another name than its file's."""

    kind: Literal["name_source"]
    source_id: str
    name: Name = Field(min_length=1, max_length=400)

    def apply(self, document: Document) -> str:
        source = document.source(self.source_id)
        label = f"Name {source.name} “{self.name}”"
        source.name = self.name
        return label


class MovePart(Action):
    """Put a part at another place in the order, with its sources and what was told from it."""

    kind: Literal["move_part"]
    part_id: str
    to: int = Field(ge=0, le=1000, description="its place among the others; 0 is the first")

    def apply(self, document: Document) -> str:
        document.part(self.part_id)
        move(document, self.part_id, self.to)
        return f"Put {document.part_name(self.part_id).lower()} at place {self.to + 1}"


class OrderParts(Action):
    """Put all parts in a drummer's order again."""

    kind: Literal["order_parts"]

    def apply(self, document: Document) -> str:
        document.ordered_by_hand = False
        arrange(document)
        return "Kick, snare, hats, toms, overheads, rooms, the rest"


class SetRate(Action):
    """Choose the sample rate of what is rendered; empty takes what most recordings have."""

    kind: Literal["set_rate"]
    rate_hz: int | None = Field(ge=8000, le=384000)

    def apply(self, document: Document) -> str:
        document.rate_chosen = self.rate_hz is not None
        if self.rate_hz is None:
            take_usual_rate(document)
        else:
            at_rate(document, self.rate_hz)
        return f"Sample rate {document.rate_hz} Hz"
