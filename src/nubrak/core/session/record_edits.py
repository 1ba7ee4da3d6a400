"""What a person does while recording: passes over the same bars, and which of them each bar is taken from."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from nubrak.core.names import Name
from nubrak.core.problem import Problem
from nubrak.core.session.action import Action
from nubrak.core.session.document import Clip, Document


class AddPass(Action):
    """Another pass over the same bars, which is heard from then on; those before are kept beside it."""

    kind: Literal["add_pass"]
    source_id: str
    name: Name = Field(max_length=400)
    clip: Clip

    @property
    def audio(self) -> set[str]:
        return {self.clip.audio}

    def apply(self, document: Document) -> str:
        source = document.source(self.source_id)
        source.passes = [*(source.passes or source.clips[:1]), self.clip]
        source.chosen, source.clips = [], [self.clip]
        return f"{source.name}: pass {len(source.passes)}"


class ChooseBars(Action):
    """Take each bar of a source from one of its passes; ``clip`` is what comes of it."""

    kind: Literal["choose_bars"]
    source_id: str
    chosen: list[int] = Field(max_length=4000)
    clip: Clip

    @property
    def audio(self) -> set[str]:
        return {self.clip.audio}

    def apply(self, document: Document) -> str:
        source = document.source(self.source_id)
        if any(not 0 <= one < len(source.passes) for one in self.chosen):
            raise Problem("This pass is not there any more.", todo="Choose one that is there.")
        source.chosen, source.clips = list(self.chosen), [self.clip]
        return f"{source.name}: bars from {len(set(self.chosen))} passes"
