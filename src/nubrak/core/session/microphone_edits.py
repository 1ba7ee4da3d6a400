"""What a person does to the microphones that are joined into one part."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from nubrak.core.problem import Problem
from nubrak.core.session.action import Action, changed, settings_said
from nubrak.core.session.document import Document


class SetMicrophones(Action):
    """How microphones are heard: level, polarity, delay, on or off; what is not named stays."""

    kind: Literal["set_microphones"]
    changes: dict[str, dict[str, bool | int | float]] = Field(
        min_length=1, max_length=64, description="what is changed, by source"
    )

    def apply(self, document: Document) -> str:
        for source_id, one in self.changes.items():
            source = document.source(source_id)
            source.microphone = changed(source.microphone, one)
        first, said = next(iter(self.changes.items()))
        if len(self.changes) > 1:
            return f"{len(self.changes)} microphones put to each other"
        return f"{document.source(first).name}: {settings_said(said)}"


class HearOn(Action):
    """Which of a part's microphones its strokes are found on; empty is all of them together."""

    kind: Literal["hear_on"]
    part_id: str
    source_id: str | None

    def apply(self, document: Document) -> str:
        part = document.part(self.part_id)
        if self.source_id is not None and self.source_id not in part.sources:
            raise Problem(
                "This microphone belongs to another part.",
                "Nothing was changed.",
                "Choose one of the part's own.",
            )
        for one in (part, *(document.parts[key] for key in document.under(self.part_id))):
            one.heard_on = self.source_id
        name = document.part_name(self.part_id)
        on = "all its microphones" if self.source_id is None else document.source(self.source_id).name
        return f"Find {name.lower()} on {on}"
