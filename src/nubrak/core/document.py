"""The session document: settings and marks. Audio never changes; everything else is derived from this."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field

from nubrak.core.blend import Blend
from nubrak.core.decide import FindSettings, Mark
from nubrak.core.feel import Feel
from nubrak.core.kit import Instrument
from nubrak.core.names import PieceGuess
from nubrak.core.notemap import NoteMap
from nubrak.core.pieces import PIECES
from nubrak.core.problem import Problem
from nubrak.core.shape import PatternNote, ShapeSettings
from nubrak.core.tempo import Tempo
from nubrak.core.voice import Voice


def _known_piece(piece: str) -> str:
    if piece not in PIECES:
        raise ValueError(f"there is no piece “{piece}”; there are {', '.join(PIECES)}")
    return piece


PieceId = Annotated[str, AfterValidator(_known_piece)]


class HitOffset(BaseModel):
    """The offset of one hit's sample, in place of the layer's."""

    time_s: float = Field(ge=0, le=86400, description="when the note sounds")
    offset_samples: int = Field(ge=-4800, le=4800)


_RINGS_S = 1.0  # what a note beside the recorded ones is given to ring


class Clip(BaseModel):
    """A stretch of audio at its place on the session's time line."""

    audio: str = Field(description="content hash (SHA-256) of the file")
    start_s: float = Field(default=0.0, ge=0, le=86400)
    length_s: float
    channels: int
    rate_hz: int
    stamp_s: float | None = Field(default=None, description="the time stamp of the file, in seconds since midnight")


class Span(BaseModel):
    """A stretch of the session's time line."""

    start_s: float = Field(ge=0, le=86400)
    end_s: float = Field(ge=0, le=86400)


class Source(BaseModel):
    """One recorded signal on the session's time line."""

    name: str
    place: int = Field(description="order in the list")
    clips: list[Clip]
    guess: PieceGuess | None = None
    notes: list[str] = Field(default=[], description="what is odd about its files")
    aside: bool = Field(default=False, description="set aside: neither looked at nor heard until it is taken up again")

    @property
    def end_s(self) -> float:
        return max(clip.start_s + clip.length_s for clip in self.clips)


class Layer(Voice):
    """One sample set sounding with a part. It keeps its own copy of what it plays, so a kit may go."""

    model_config = ConfigDict(validate_assignment=True)
    instrument: Instrument
    level_db: float = Field(default=-6.0, ge=-60, le=24, description="a layer usually starts 6 dB under the recording")
    velocity_amount: float = Field(default=1.0, ge=0, le=2, description="how much level follows velocity: 1 is the published law, 0 not at all")
    low_velocity: int = Field(default=1, ge=1, le=127, description="it sounds from this velocity on")
    high_velocity: int = Field(default=127, ge=1, le=127, description="and up to this one")
    strokes: Literal["all", "full", "ghosts"] = Field(default="all", description="which strokes it sounds on")
    notes: list[int] = Field(default=[], max_length=128, description="it sounds on these note numbers only; empty: all of the part")
    silenced_by: list[int] = Field(default=[], max_length=128, description="note numbers of the part that silence it, as a closed hi-hat does an open one")
    each: list[HitOffset] = Field(default=[], max_length=50000, description="offsets of single hits, where the recording wanders")
    on: bool = True


class Part(BaseModel):
    """One piece taken from its sources, with its settings, marks and layers."""

    piece: PieceId
    place: int
    sources: list[str]
    find: FindSettings = FindSettings()
    shape: ShapeSettings = ShapeSettings()
    marks: dict[str, Mark] = {}
    pattern: dict[str, PatternNote] = Field(default={}, description="notes beside the recorded ones")
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
    origin_s: float | None = Field(default=None, description="the time stamp, in seconds since midnight, that stands at time zero")
    span: Span | None = Field(default=None, description="the range that is looked at; empty looks at everything")
    sources: dict[str, Source] = {}
    parts: dict[str, Part] = {}
    feels: dict[str, Feel] = Field(default={}, description="feels that were kept")
    note_map: NoteMap = NoteMap()

    @property
    def length_s(self) -> float:
        """Where the last source ends, or the last note beside the recorded ones has rung."""
        notes = (note.time_s + _RINGS_S for part in self.parts.values() for note in part.pattern.values())
        return max((*(source.end_s for source in self.sources.values()), *notes), default=0.0)

    def part(self, part_id: str) -> Part:
        """The part, or a ``Problem`` that says it is not there."""
        if part_id not in self.parts:
            raise Problem("This part is not in the session any more.", todo="Choose another part.", kind="missing")
        return self.parts[part_id]

    def source(self, source_id: str) -> Source:
        """The source, or a ``Problem`` that says it is not there."""
        if source_id not in self.sources:
            raise Problem("This source is not in the session any more.", todo="Choose another source.", kind="missing")
        return self.sources[source_id]

    @property
    def span_s(self) -> tuple[float, float] | None:
        """The range that is looked at, in seconds."""
        return (self.span.start_s, self.span.end_s) if self.span else None

    def ordered_parts(self) -> list[tuple[str, Part]]:
        """Parts in the order of the list."""
        return sorted(self.parts.items(), key=lambda item: (item[1].place, item[0]))

    def part_name(self, part_id: str) -> str:
        """The piece's name, numbered where the session has it more than once."""
        same = [key for key, part in self.ordered_parts() if part.piece == self.parts[part_id].piece]
        name = PIECES[self.parts[part_id].piece].name
        return name if len(same) < 2 else f"{name} {same.index(part_id) + 1}"
