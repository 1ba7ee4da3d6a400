"""The session document: settings and marks. Audio never changes; everything else is derived from this."""

from __future__ import annotations

from typing import Annotated

from pydantic import AfterValidator, BaseModel, ConfigDict, Field

from nubrak.core.decide import FindSettings, Mark
from nubrak.core.kit import Instrument
from nubrak.core.midi import Tempo
from nubrak.core.names import PieceGuess
from nubrak.core.pieces import PIECES
from nubrak.core.problem import Problem
from nubrak.core.shape import ShapeSettings


def _known_piece(piece: str) -> str:
    if piece not in PIECES:
        raise ValueError(f"there is no piece “{piece}”; there are {', '.join(PIECES)}")
    return piece


PieceId = Annotated[str, AfterValidator(_known_piece)]


class Clip(BaseModel):
    """A stretch of audio at its place on the session's time line."""

    audio: str = Field(description="content hash (SHA-256) of the file")
    start_s: float = Field(default=0.0, ge=0, le=86400)
    length_s: float
    channels: int
    rate_hz: int


class Source(BaseModel):
    """One recorded signal on the session's time line."""

    name: str
    place: int = Field(description="order in the list")
    clips: list[Clip]
    guess: PieceGuess | None = None
    notes: list[str] = Field(default=[], description="what is odd about its files")

    @property
    def end_s(self) -> float:
        return max(clip.start_s + clip.length_s for clip in self.clips)


class Layer(BaseModel):
    """One sample set sounding with a part. It keeps its own copy of what it plays, so a kit may go."""

    model_config = ConfigDict(validate_assignment=True)
    instrument: Instrument
    level_db: float = Field(default=-6.0, ge=-60, le=24, description="a layer usually starts 6 dB under the recording")
    velocity_amount: float = Field(default=1.0, ge=0, le=2, description="how much level follows velocity: 1 is the published law, 0 not at all")
    on: bool = True


class Blend(BaseModel):
    """Recording against layers, per part."""

    recording_db: float = Field(default=0.0, ge=-60, le=12)
    recording_on: bool = True
    layers_db: float = Field(default=0.0, ge=-60, le=12)


class Part(BaseModel):
    """One piece taken from its sources, with its settings, marks and layers."""

    piece: PieceId
    place: int
    sources: list[str]
    find: FindSettings = FindSettings()
    shape: ShapeSettings = ShapeSettings()
    marks: dict[str, Mark] = {}
    layers: dict[str, Layer] = {}
    blend: Blend = Blend()

    @property
    def mark_list(self) -> list[Mark]:
        return list(self.marks.values())


class Document(BaseModel):
    """One session."""

    version: int = 1
    name: str = Field(min_length=1, max_length=120)
    about: str = ""
    rate_hz: int = Field(default=44100, ge=8000, le=384000, description="sample rate of what is rendered: the first source's")
    tempo: Tempo = Tempo()
    sources: dict[str, Source] = {}
    parts: dict[str, Part] = {}

    @property
    def length_s(self) -> float:
        """Where the last source ends."""
        return max((source.end_s for source in self.sources.values()), default=0.0)

    def part(self, part_id: str) -> Part:
        """The part, or a ``Problem`` that says it is not there."""
        if part_id not in self.parts:
            raise Problem("This part is not in the session any more.", todo="Choose another part.", kind="missing")
        return self.parts[part_id]

    def ordered_parts(self) -> list[tuple[str, Part]]:
        """Parts in the order of the list."""
        return sorted(self.parts.items(), key=lambda item: (item[1].place, item[0]))

    def part_name(self, part_id: str) -> str:
        """The piece's name, numbered where the session has it more than once."""
        same = [key for key, part in self.ordered_parts() if part.piece == self.parts[part_id].piece]
        name = PIECES[self.parts[part_id].piece].name
        return name if len(same) < 2 else f"{name} {same.index(part_id) + 1}"
