"""The session document: settings and marks. Audio never changes; everything else is derived from this."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, Field

from nubrak.core.decide import FindSettings, Mark
from nubrak.core.layer import Layer
from nubrak.core.mix import MOST_BUSES, AnyStage, Blend, Cleaning, MasterDb, Mend, Microphone, PartsBus
from nubrak.core.names import Name
from nubrak.core.pieces import PIECES, NoteMap, PieceGuess, PieceId
from nubrak.core.problem import Problem
from nubrak.core.samples import MOST_SLICES, CutMark, CutSettings
from nubrak.core.shape import Feel, PatternNote, ShapeSettings
from nubrak.core.tempo import Tempo
from nubrak.core.time_line import AudioKey, LengthS, TimeLineS

_RINGS_S = 1.0  # what a note beside the recorded ones is given to ring


class Clip(BaseModel):
    """A stretch of audio at its place on the session's time line."""

    audio: AudioKey = Field(description="content hash (SHA-256) of the file")
    start_s: TimeLineS = 0.0
    length_s: LengthS = Field(ge=0)
    channels: int
    rate_hz: int
    stamp_s: LengthS | None = Field(
        default=None, description="the time stamp of the file, in seconds since midnight"
    )


class Span(BaseModel):
    """A stretch of the session's time line."""

    start_s: TimeLineS
    end_s: TimeLineS


UNTITLED = "Untitled session"


class Side(BaseModel):
    """One half of a stereo pair, as it came in."""

    name: Name
    clip: Clip
    guess: PieceGuess | None = None


class Source(BaseModel):
    """One recorded signal on the session's time line."""

    name: Name
    place: int = Field(description="order in the list")
    clips: list[Clip]
    passes: list[Clip] = Field(
        default=[], max_length=64, description="the passes that were recorded over each other, as they came"
    )
    chosen: list[Annotated[int, Field(ge=0, le=63)]] = Field(
        default=[],
        max_length=4000,
        description="which pass each bar is taken from, from the time line's start on; empty: the last pass",
    )
    room: str = Field(
        default="",
        max_length=40,
        description="what was recorded at once, and may hear each other; empty: all that came in as files",
    )
    guess: PieceGuess | None = None
    sides: list[Side] = Field(
        default=[], max_length=2, description="of a pair, left and right as they came in, to be taken apart"
    )
    notes: list[str] = Field(default=[], description="what is odd about its files")
    aside: bool = Field(
        default=False, description="set aside: neither looked at nor heard until it is taken up again"
    )
    microphone: Microphone = Field(
        default=Microphone(), description="how it is heard beside other microphones on its drum"
    )
    cleaning: Cleaning = Field(default=Cleaning(), description="how its gaps are turned down")
    cut: CutSettings = Field(default=CutSettings(), description="how it is cut into slices")
    cuts: dict[str, CutMark] = Field(
        default={}, max_length=MOST_SLICES, description="what a hand decided about single cuts"
    )

    @property
    def end_s(self) -> float:
        return max(clip.start_s + clip.length_s for clip in self.clips)


class Part(BaseModel):
    """One piece taken from its sources, with its settings, marks and layers."""

    piece: PieceId
    place: int
    sources: list[str]
    heard_on: str | None = Field(
        default=None, description="the one of its sources that its strokes are found on; empty: all of them"
    )
    find: FindSettings = FindSettings()
    shape: ShapeSettings = ShapeSettings()
    marks: dict[str, Mark] = {}
    pattern: dict[str, PatternNote] = Field(default={}, description="notes beside the recorded ones")
    layers: dict[str, Layer] = {}
    blend: Blend = Blend()
    chain: list[AnyStage] = Field(
        default=[], max_length=16, description="the stages its recording and layers go through, in this order"
    )
    layers_chain: list[AnyStage] = Field(
        default=[],
        max_length=16,
        description="the stages its layers go through before they join the recording",
    )
    less_of: dict[str, Annotated[float, Field(ge=-60, le=0)]] = Field(
        default={},
        max_length=256,
        description="other parts of which its microphones have less, by so many dB; -60 is none",
    )
    mends: dict[str, Mend] = Field(
        default={}, max_length=5000, description="strokes that sound as another of the recording did"
    )
    asked: bool = Field(
        default=False, description="a microphone over the kit or in the room is asked for its pieces"
    )
    look_for: list[PieceId] = Field(
        default=[], max_length=32, description="the pieces it is asked for; empty: those that are likely"
    )
    told: bool = Field(
        default=True,
        description=(
            "whether its moments were told apart, or are to be left as they are; sessions of before stay as "
            "they were"
        ),
    )
    sorted_from: str | None = Field(
        default=None, description="the part whose moments it was told from; empty: it was found by itself"
    )
    divided_from: str | None = Field(
        default=None, description="the part whose strokes its own were, by hand: as strong as they were there"
    )
    sounds: list[str] = Field(
        default=[],
        max_length=64,
        description="which of the sounds told there are its own; empty: only what a hand gave it",
    )
    muted: bool = Field(default=False, description="thrown away: kept as it is, neither written nor heard")
    rank: int = Field(default=0, description="order among those told from the same moments")
    named: Name | None = Field(
        default=None, min_length=1, max_length=80, description="what it is called instead of its piece"
    )

    @property
    def mark_list(self) -> list[Mark]:
        return list(self.marks.values())


class Document(BaseModel):
    """One session."""

    version: int = 1
    name: Name = Field(min_length=1, max_length=120)
    about: Name = ""
    rate_hz: int = Field(
        default=44100, ge=8000, le=384000, description="sample rate of what is rendered: what most files have"
    )
    rate_chosen: bool = Field(default=False, description="whether the sample rate was chosen by hand")
    ordered_by_hand: bool = Field(default=False, description="whether parts stand as a hand has put them")
    master_db: MasterDb = Field(
        default=0.0,
        description="how loud everything is that is heard and printed; recordings as they came stay so",
    )
    tempo: Tempo = Tempo()
    origin_s: LengthS | None = Field(
        default=None, description="the time stamp, in seconds since midnight, that stands at time zero"
    )
    span: Span | None = Field(
        default=None, description="the range that is looked at; empty looks at everything"
    )
    sources: dict[str, Source] = {}
    parts: dict[str, Part] = {}
    buses: dict[str, PartsBus] = Field(
        default={}, max_length=MOST_BUSES, description="groups, parallels and rooms that parts go to"
    )
    feels: dict[str, Feel] = Field(default={}, description="feels that were kept")
    note_map: NoteMap = NoteMap()

    @property
    def length_s(self) -> float:
        """Where the last source ends, or the last note beside the recorded ones has rung."""
        notes = (note.time_s + _RINGS_S for part in self.parts.values() for note in part.pattern.values())
        return max((*(source.end_s for source in self.sources.values()), *notes), default=0.0)

    @property
    def mends(self) -> list[Mend]:
        """All mends, in order of time."""
        all_of = (one for part in self.parts.values() for one in part.mends.values())
        return sorted(all_of, key=lambda one: (one.time_s, one.from_s))

    def part(self, part_id: str) -> Part:
        """The part, or a ``Problem`` that says it is not there."""
        if part_id not in self.parts:
            raise Problem(
                "This part is not in the session any more.", todo="Choose another part.", kind="missing"
            )
        return self.parts[part_id]

    def source(self, source_id: str) -> Source:
        """The source, or a ``Problem`` that says it is not there."""
        if source_id not in self.sources:
            raise Problem(
                "This source is not in the session any more.", todo="Choose another source.", kind="missing"
            )
        return self.sources[source_id]

    @property
    def span_s(self) -> tuple[float, float] | None:
        """The range that is looked at, in seconds."""
        return (self.span.start_s, self.span.end_s) if self.span else None

    def ordered_parts(self) -> list[tuple[str, Part]]:
        """Parts in the order of the list."""
        return sorted(
            self.parts.items(),
            key=lambda item: (item[1].place, item[1].sorted_from is not None, item[1].rank, item[0]),
        )

    def under(self, part_id: str) -> list[str]:
        """The parts that stand under a part and share its sources, in their order: told from its moments, or
        divided from it by hand.
        """
        return [key for key, part in self.ordered_parts() if part.sorted_from == part_id]

    def family(self, part_id: str) -> list[str]:
        """The parts that were told from a part's moments, in their order."""
        return [key for key in self.under(part_id) if self.parts[key].divided_from != part_id]

    def is_noted(self, part_id: str) -> bool:
        """Whether a part's strokes become notes: not those only heard or thrown away, nor moments that
        others were told from.
        """
        part = self.parts[part_id]
        return PIECES[part.piece].noted and not part.muted and not self.family(part_id)

    def is_aside(self, part_id: str) -> bool:
        """Whether all that a part is taken from is set aside and it has no notes of its own: nothing of it is
        written or printed.
        """
        part = self.parts[part_id]
        known = [self.sources[one] for one in part.sources if one in self.sources]
        return bool(known) and all(one.aside for one in known) and not part.pattern

    def part_name(self, part_id: str) -> str:
        """What it is named, else the piece's name; numbered where the session has it more than once."""

        def called(part: Part) -> str:
            return part.named or PIECES[part.piece].name

        name = called(self.parts[part_id])
        same = [key for key, part in self.ordered_parts() if called(part) == name]
        return name if len(same) < 2 else f"{name} {same.index(part_id) + 1}"
