"""What a person does in Gather: sources, takes, pairs, pieces, the tempo, the range that is looked at."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, ValidationError

from nubrak.core.decide import clock
from nubrak.core.names import Name
from nubrak.core.pieces import OVERHEADS, PIECES, PieceGuess, PieceId
from nubrak.core.problem import Problem
from nubrak.core.session.action import Action, Id, changed
from nubrak.core.session.document import UNTITLED, Clip, Document, Part, Side, Source, Span
from nubrak.core.session.order import arrange
from nubrak.core.session.rate import take_usual_rate
from nubrak.core.session.shifting import marks_with_clip, move_with_clip, shift_all
from nubrak.core.tempo import Tempo, TempoChange, TempoPoint, with_points
from nubrak.core.time_line import LAST_S, TimeLineS

_LONGEST_APART_S = 6 * 3600.0  # time stamps further apart than this are not of one session
_LEAST_SPAN_S = 0.01  # no stroke is shorter


class Rename(Action):
    """Give the session another name."""

    kind: Literal["rename"]
    name: Name = Field(min_length=1, max_length=120)

    def apply(self, document: Document) -> str:
        document.name = self.name
        return f"Name the session “{self.name}”"


class SetTempo(Action):
    """Tempo, signature, and where bar 1 stands; what is not named stays. A new tempo without changes of its
    own holds throughout.
    """

    kind: Literal["set_tempo"]
    changes: dict[str, float | str | bool | list[TempoChange]]

    def apply(self, document: Document) -> str:
        line: dict[str, object] = {"changes": []} if "bpm" in self.changes else {}
        about = {"known": "set", "sure": None, **line, **self.changes}
        document.tempo = tempo = changed(document.tempo, about)
        if tempo.known == "none":
            return "No tempo: played freely"
        follows = f", in {len(tempo.changes)} steps" if tempo.changes else ""
        return f"Tempo {tempo.bpm:g} bpm, {tempo.beats_per_bar}/{tempo.beat_unit}{follows}"


class CountTempo(Action):
    """Count half as fast or twice as fast: bar 1 stays where it is."""

    kind: Literal["count_tempo"]
    twice: bool = Field(description="twice as fast; else half")

    def apply(self, document: Document) -> str:
        by = 2.0 if self.twice else 0.5
        tempo = document.tempo
        changes = [{"time_s": one.time_s, "bpm": one.bpm * by} for one in tempo.changes]
        try:
            faster = {"known": "set", "sure": None, "bpm": tempo.bpm * by, "changes": changes}
            document.tempo = Tempo.model_validate(tempo.model_dump() | faster)
        except ValidationError as error:
            said = "slower" if by < 1 else "faster"
            raise Problem(f"Nobody counts {said} than this.", todo="The tempo stays as it is.") from error
        return f"Count it {'twice' if self.twice else 'half'} as fast, {document.tempo.bpm:g} bpm"


class SetTempoLine(Action):
    """The tempo as a line of points over the bars; bar 1 stays where it is."""

    kind: Literal["set_tempo_line"]
    points: list[TempoPoint] = Field(min_length=1, max_length=5000)

    def apply(self, document: Document) -> str:
        drawn = with_points(document.tempo, self.points)
        document.tempo = drawn.model_copy(update={"known": "set", "sure": None})
        count = len(drawn.changes) + 1
        return f"Tempo {drawn.bpm:g} bpm" + (f", in {count} steps" if count > 1 else "")


class AddSource(Action):
    """A new source with the part found on it."""

    kind: Literal["add_source"]
    source_id: Id
    part_id: Id
    name: Name = Field(max_length=400)
    clip: Clip
    guess: PieceGuess
    notes: list[str] = []
    again: dict[Id, PieceGuess] = Field(
        default={}, description="what others are taken for, now that this one is beside them"
    )
    room: str = Field(default="", max_length=40)
    session_name: Name = Field(
        default="",
        max_length=120,
        description="what a session that nobody named is called by its first source",
    )

    @property
    def audio(self) -> set[str]:
        return {self.clip.audio}

    def apply(self, document: Document) -> str:
        if self.source_id in document.sources or self.part_id in document.parts:
            raise Problem("This source is in the session already.")
        if not document.sources and self.session_name and document.name == UNTITLED:
            document.name = self.session_name
        notes = list(self.notes)
        twin = next((one.name for one in document.sources.values() if _has(one, self.clip)), None)
        if twin is not None:
            notes.append(f"The same recording is in the session already, as {twin}. Both are kept.")
        place = max((source.place for source in document.sources.values()), default=-1) + 1
        clip, said = _placed(document, self.clip)
        notes += said
        document.sources[self.source_id] = Source(
            name=self.name, place=place, clips=[clip], guess=self.guess, notes=notes, room=self.room
        )
        place = max((part.place for part in document.parts.values()), default=-1) + 1
        document.parts[self.part_id] = Part(
            piece=self.guess.piece,
            place=place,
            sources=[self.source_id],
            told=False,
            named=OVERHEADS if self.guess.over_the_kit else None,
        )
        for source_id, guess in self.again.items():
            _guess_again(document, source_id, guess)
        arrange(document)
        take_usual_rate(document)
        return f"Add {self.name}"


class AddClip(Action):
    """A further take on a source: by its time stamp, else behind what is there."""

    kind: Literal["add_clip"]
    source_id: str
    name: Name = Field(max_length=400)
    clip: Clip

    @property
    def audio(self) -> set[str]:
        return {self.clip.audio}

    def apply(self, document: Document) -> str:
        source = document.source(self.source_id)
        clip, said = _placed(document, self.clip)
        if clip.stamp_s is None or clip.start_s == 0.0 or said:
            if source.end_s > LAST_S:
                raise Problem("There is no room behind what is there.", todo="Put it on a source of its own.")
            clip = clip.model_copy(update={"start_s": source.end_s})
        over_s = max((_overlap_s(one, clip) for one in source.clips), default=0.0)
        if over_s > _HARDLY_OVER_S:
            said.append(
                f"{self.name} overlaps another take by {over_s:.1f} s: both sound there. Move one or take"
                " one out."
            )
        source.clips.append(clip)
        source.clips.sort(key=lambda one: one.start_s)
        source.notes += said
        return f"{source.name}: add take {self.name}"


def said_of_drop(before: Document, after: Document) -> str | None:
    """What undo calls files that were dropped together; None where no recording came in."""
    count = sum(len(source.clips) for source in after.sources.values())
    count -= sum(len(source.clips) for source in before.sources.values())
    return None if count < 1 else "Add a recording" if count == 1 else f"Add {count} recordings"


_HARDLY_OVER_S = 0.01  # a crossfade that a program left at an edit


def _overlap_s(one: Clip, other: Clip) -> float:
    """For how long two clips sound at once, in s."""
    ends = min(one.start_s + one.length_s, other.start_s + other.length_s)
    return max(ends - max(one.start_s, other.start_s), 0.0)


class MoveClip(Action):
    """Put a clip at another place on the time line; what stands on its strokes goes along."""

    kind: Literal["move_clip"]
    source_id: str
    index: int = Field(ge=0)
    start_s: TimeLineS

    def apply(self, document: Document) -> str:
        source = document.source(self.source_id)
        clip = _clip(source, self.index)
        begin_s, end_s, by_s = clip.start_s, clip.start_s + clip.length_s, self.start_s - clip.start_s
        if self.start_s + clip.length_s > LAST_S:
            raise Problem("There the take would reach beyond the day.", todo="Put it earlier.")
        clip.start_s = self.start_s
        source.passes = [
            one.model_copy(update={"start_s": max(one.start_s + by_s, 0.0)}) for one in source.passes
        ]
        for part_id, part in document.parts.items():
            if self.source_id in part.sources:
                document.parts[part_id] = move_with_clip(part, begin_s, end_s, by_s)
        source.cleaning.marks = marks_with_clip(source.cleaning.marks, begin_s, end_s, by_s)
        source.clips.sort(key=lambda one: one.start_s)
        return f"{source.name}: move to {clock(self.start_s)}"


class RemoveClip(Action):
    """Take one of several clips of a source out."""

    kind: Literal["remove_clip"]
    source_id: str
    index: int = Field(ge=0)

    def apply(self, document: Document) -> str:
        source = document.source(self.source_id)
        _clip(source, self.index)
        if len(source.clips) == 1:
            return remove_source(document, self.source_id)
        del source.clips[self.index]
        return f"{source.name}: take out a take"


class AsPair(Action):
    """Two sources, left and right, become one with two channels."""

    kind: Literal["as_pair"]
    left_id: str
    right_id: str
    name: Name = Field(max_length=400)
    clip: Clip

    @property
    def audio(self) -> set[str]:
        return {self.clip.audio}

    def apply(self, document: Document) -> str:
        left, right = document.source(self.left_id), document.source(self.right_id)
        if self.left_id == self.right_id or len(left.clips) != 1 or len(right.clips) != 1:
            raise Problem("Only two recordings of one clip each can be a pair.")
        label = f"Take {left.name} and {right.name} as a pair"
        left.sides = [Side(name=one.name, clip=one.clips[0], guess=one.guess) for one in (left, right)]
        left.clips, left.name = [self.clip], self.name
        left.notes = sorted(set(left.notes) | set(right.notes))
        remove_source(document, self.right_id)
        take_usual_rate(document)
        return label


class AsTwo(Action):
    """A pair becomes the two recordings again that it was made of; left keeps what was set for the pair."""

    kind: Literal["as_two"]
    source_id: str
    new_source_id: Id
    new_part_id: Id

    def apply(self, document: Document) -> str:
        source = document.source(self.source_id)
        if len(source.sides) != 2 or len(source.clips) != 1:
            raise Problem("This recording is no pair of two.")
        if self.new_source_id in document.sources or self.new_part_id in document.parts:
            raise Problem("This source is in the session already.")
        left, right = source.sides
        moved_s = source.clips[0].start_s - min(one.clip.start_s for one in source.sides)
        other = source.model_copy(deep=True, update={"name": right.name, "guess": right.guess, "sides": []})
        source.name, source.guess, source.sides = left.name, left.guess, []
        for one, side in ((source, left), (other, right)):
            one.clips = [side.clip.model_copy(update={"start_s": side.clip.start_s + moved_s})]
        other.place = max(one.place for one in document.sources.values()) + 1
        document.sources[self.new_source_id] = other
        first = next(part for part in document.parts.values() if self.source_id in part.sources)
        place = max(part.place for part in document.parts.values()) + 1
        document.parts[self.new_part_id] = Part(
            piece=first.piece, place=place, sources=[self.new_source_id], told=False
        )
        arrange(document)
        return f"{left.name} and {right.name} are two recordings again"


class CombineMicrophones(Action):
    """Microphones on one piece become one part: what ``other_id`` listens to, ``part_id`` listens to as
    well.
    """

    kind: Literal["combine_microphones"]
    part_id: str
    other_id: str

    def apply(self, document: Document) -> str:
        part, other = document.part(self.part_id), document.part(self.other_id)
        if self.part_id == self.other_id:
            raise Problem("A part cannot be joined with itself.")
        label = f"{document.part_name(self.part_id)} and {document.part_name(self.other_id)} are one part"
        part.sources = [*part.sources, *(source for source in other.sources if source not in part.sources)]
        part.marks = other.marks | part.marks
        part.pattern = other.pattern | part.pattern
        part.mends = other.mends | part.mends
        part.layers = other.layers | part.layers
        under = [*document.under(self.part_id), *document.under(self.other_id)]
        for one in (document.parts[key] for key in under):
            one.sorted_from, one.sources = self.part_id, list(part.sources)
            one.divided_from = self.part_id if one.divided_from == self.other_id else one.divided_from
        del document.parts[self.other_id]
        _forget_leaker(document, self.other_id, self.part_id)
        return label


class Apart(Action):
    """A source that shares a part with others gets a part of its own."""

    kind: Literal["apart"]
    part_id: str
    source_id: str
    new_part_id: Id

    def apply(self, document: Document) -> str:
        part = document.part(self.part_id)
        if self.source_id not in part.sources or len(part.sources) < 2:
            raise Problem("This part listens to no other microphone.")
        if self.new_part_id in document.parts:
            raise Problem("This part is in the session already.")
        part.sources = [source for source in part.sources if source != self.source_id]
        part.heard_on = None if part.heard_on == self.source_id else part.heard_on
        for key in document.under(self.part_id):
            document.parts[key].sources = list(part.sources)
        source = document.source(self.source_id)
        document.parts[self.new_part_id] = Part(
            piece=part.piece,
            place=source.place,
            sources=[self.source_id],
            find=part.find.model_copy(deep=True),
        )
        return f"{source.name} is a part of its own"


class SetAside(Action):
    """Set a source aside, or take it up again."""

    kind: Literal["set_aside"]
    source_id: str
    aside: bool

    def apply(self, document: Document) -> str:
        source = document.source(self.source_id)
        source.aside = self.aside
        return f"{'Set aside' if self.aside else 'Take up again'} {source.name}"


class SetSpan(Action):
    """The range that is looked at; None looks at everything."""

    kind: Literal["set_span"]
    span: Span | None

    def apply(self, document: Document) -> str:
        document.span = span = self.span
        if span is None:
            return "Look at everything"
        if span.end_s - span.start_s < _LEAST_SPAN_S:
            raise Problem("A range must last at least 10 ms.", todo="Drag over a longer stretch.")
        return f"Look only at {clock(span.start_s)} to {clock(span.end_s)}"


class RemoveSource(Action):
    """Take a source out, and the parts that have no other."""

    kind: Literal["remove_source"]
    source_id: str

    def apply(self, document: Document) -> str:
        return remove_source(document, self.source_id)


class SetPiece(Action):
    """Say what a part is."""

    kind: Literal["set_piece"]
    part_id: str
    piece: PieceId

    def apply(self, document: Document) -> str:
        _take_as(document, self.part_id, self.piece)
        arrange(document)
        part = document.part(self.part_id)
        for source_id in part.sources:
            source = document.sources[source_id]
            if source.guess is not None:
                # A person has spoken: its sound has no say any more.
                source.guess = source.guess.model_copy(update={"asks": False, "kinds": {}})
        return f"Take it as {PIECES[self.piece].name.lower()}"


def _take_as(document: Document, part_id: str, piece: str) -> None:
    """A part as another piece: what was told from it as something else goes."""
    part = document.part(part_id)
    if part.sorted_from is None and part.piece != piece:
        # What was told from something else goes with it; what it now is may carry several pieces.
        part.told, part.asked = False, False
        for child in document.family(part_id):
            del document.parts[child]
        for child in document.under(part_id):
            divided = document.parts[child]
            divided.piece = piece if divided.piece == part.piece else divided.piece
    if part.piece != piece and part.named == OVERHEADS:
        part.named = None
    part.piece = piece


def _guess_again(document: Document, source_id: str, guess: PieceGuess) -> None:
    """What a source is taken for now, unless a person has answered or has worked with it since."""
    source = document.sources.get(source_id)
    heads = [
        one for one, part in document.parts.items() if source_id in part.sources and not part.sorted_from
    ]
    if source is None or source.guess is None or len(heads) != 1:
        return
    part = document.parts[heads[0]]
    everything = [part, *(document.parts[one] for one in document.under(heads[0]))]
    if part.piece != source.guess.piece or part.sources != [source_id] or any(map(_worked_with, everything)):
        return
    _take_as(document, heads[0], guess.piece)
    if guess.over_the_kit and part.named is None:
        part.named = OVERHEADS
    source.guess = guess


def _worked_with(part: Part) -> bool:
    """Whether a hand has set anything of a part but what it is."""
    bare = Part(piece=part.piece, place=part.place, sources=part.sources)
    by_hand = {
        "find",
        "shape",
        "marks",
        "pattern",
        "layers",
        "blend",
        "chain",
        "layers_chain",
        "less_of",
        "mends",
    }
    if part.model_dump(include=by_hand) != bare.model_dump(include=by_hand):
        return True
    return part.muted or (part.sorted_from is None and part.named not in (None, OVERHEADS))


def remove_source(document: Document, source_id: str) -> str:
    """A source taken out, with the parts that no other feeds; the label."""
    source = document.source(source_id)
    del document.sources[source_id]
    for part_id, part in list(document.parts.items()):
        if source_id not in part.sources:
            continue
        part.sources = [other for other in part.sources if other != source_id]
        if not part.sources:
            del document.parts[part_id]
            _forget_leaker(document, part_id, None)
    take_usual_rate(document)
    return f"Take out {source.name}"


def _forget_leaker(document: Document, part_id: str, instead: str | None) -> None:
    """A part that is gone leaks no more; what it was joined to leaks in its place."""
    for key, part in document.parts.items():
        named = part.find.spill_from
        if named is not None and part_id in named:
            kept = [instead if one == part_id and instead != key else one for one in named]
            part.find.spill_from = list(dict.fromkeys(one for one in kept if one not in (None, part_id)))


def _has(source: Source, clip: Clip) -> bool:
    return any(one.audio == clip.audio for one in source.clips)


def _clip(source: Source, index: int) -> Clip:
    if index >= len(source.clips):
        raise Problem("This take is not in the session any more.", kind="missing")
    return source.clips[index]


def _placed(document: Document, clip: Clip) -> tuple[Clip, list[str]]:
    """A clip at the place its time stamp tells, if it has one, and what is to be said of it. The earliest
    stamp of a session stands where it was put first; a still earlier one moves everything else to the right.

    Stamps count from midnight, so one that seems most of a day away was made on the other side of it.
    """
    if clip.stamp_s is None:
        return clip, []
    if document.origin_s is None:
        document.origin_s = clip.stamp_s - clip.start_s
        return clip, []
    start_s = (clip.stamp_s - document.origin_s + LAST_S / 2) % LAST_S - LAST_S / 2
    if abs(start_s) > _LONGEST_APART_S:
        hours = abs(start_s) / 3600.0
        return clip, [f"Its time stamp is {hours:.0f} hours from the others', so it was not placed by it."]
    if start_s < 0:
        shift_all(document, -start_s)
        start_s = 0.0
    return clip.model_copy(update={"start_s": start_s}), []
