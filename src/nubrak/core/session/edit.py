"""Edits: everything a person can do to a session, as actions that give a new document and a label."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Literal, TypeVar

from pydantic import BaseModel, Field, ValidationError

from nubrak.core.decide import CurvePoint, Mark, clock
from nubrak.core.layer import HitOffset, Layer
from nubrak.core.pieces import PIECES, PieceGuess
from nubrak.core.problem import Problem
from nubrak.core.samples import Instrument
from nubrak.core.session.action import Action, Id
from nubrak.core.session.document import Clip, Document, Part, PieceId, Source, Span
from nubrak.core.session.shaping import (
    NEAR_S,
    AddParts,
    DropFeel,
    KeepFeel,
    RemovePart,
    SetNoteMap,
    SetNotes,
    SetPattern,
    SetShape,
    TakeChanges,
    add_parts,
    drop_feel,
    remove_part,
    set_notes,
    set_pattern,
    shaping_said,
)
from nubrak.core.tempo import TempoChange

FindValue = float | str | list[CurvePoint] | list[str] | None


class Rename(Action):
    """Give the session another name."""

    kind: Literal["rename"]
    name: str = Field(min_length=1, max_length=120)


class SetTempo(Action):
    """Tempo, signature, and where bar 1 stands."""

    kind: Literal["set_tempo"]
    changes: dict[str, float | list[TempoChange]]


class AddSource(Action):
    """A new source with the part found on it."""

    kind: Literal["add_source"]
    source_id: Id
    part_id: Id
    name: str
    clip: Clip
    guess: PieceGuess
    notes: list[str] = []


class AddClip(Action):
    """A further take on a source: by its time stamp, else behind what is there."""

    kind: Literal["add_clip"]
    source_id: str
    name: str
    clip: Clip


class MoveClip(Action):
    """Put a clip at another place on the time line."""

    kind: Literal["move_clip"]
    source_id: str
    index: int = Field(ge=0)
    start_s: float = Field(ge=0, le=86400)


class RemoveClip(Action):
    """Take one of several clips of a source out."""

    kind: Literal["remove_clip"]
    source_id: str
    index: int = Field(ge=0)


class AsPair(Action):
    """Two sources, left and right, become one with two channels."""

    kind: Literal["as_pair"]
    left_id: str
    right_id: str
    name: str
    clip: Clip


class CombineMicrophones(Action):
    """Microphones on one piece become one part: what ``other_id`` listens to, ``part_id`` listens to as
    well.
    """

    kind: Literal["combine_microphones"]
    part_id: str
    other_id: str


class Apart(Action):
    """A source that shares a part with others gets a part of its own."""

    kind: Literal["apart"]
    part_id: str
    source_id: str
    new_part_id: Id


class SetAside(Action):
    """Set a source aside, or take it up again."""

    kind: Literal["set_aside"]
    source_id: str
    aside: bool


class SetSpan(Action):
    """The range that is looked at; None looks at everything."""

    kind: Literal["set_span"]
    span: Span | None


class Give(Action):
    """A stroke belongs to another part: dropped here, and there a hit."""

    kind: Literal["give"]
    part_id: str
    to_part_id: str
    marks: dict[Id, float] = Field(min_length=1, description="place here, in s, by the id of its mark")
    there: dict[Id, float] = Field(min_length=1, description="place there, in s, by the id of its mark")


class RemoveSource(Action):
    """Take a source out, and the parts that have no other."""

    kind: Literal["remove_source"]
    source_id: str


class SetPiece(Action):
    """Say what a part is."""

    kind: Literal["set_piece"]
    part_id: str
    piece: PieceId


class SetFind(Action):
    """Change find settings; what is not named stays."""

    kind: Literal["set_find"]
    part_id: str
    changes: dict[str, FindValue]


class SetMark(Action):
    """Keep, drop or add at one or more places. A new mark at a place takes the older one's."""

    kind: Literal["mark"]
    part_id: str
    marks: dict[Id, Mark] = Field(min_length=1)


class Unmark(Action):
    """Take marks back, by id; without ids, all of the part."""

    kind: Literal["unmark"]
    part_id: str
    mark_ids: list[str] | None = None


LayerValue = float | bool | str | list[int] | list[HitOffset] | None


class AddLayer(Action):
    """Let an instrument sound with a part; ``changes`` are what of it is not as usual."""

    kind: Literal["add_layer"]
    part_id: str
    layer_id: Id
    instrument: Instrument
    changes: dict[str, LayerValue] = {}


class SetLayer(Action):
    """Change a layer; what is not named stays."""

    kind: Literal["set_layer"]
    part_id: str
    layer_id: str
    changes: dict[str, LayerValue]
    instrument: Instrument | None = None


class RemoveLayer(Action):
    """Take a layer away."""

    kind: Literal["remove_layer"]
    part_id: str
    layer_id: str


class SetBlend(Action):
    """Recording against layers; what is not named stays."""

    kind: Literal["set_blend"]
    part_id: str
    changes: dict[str, float | bool | None]


AnyAction = Annotated[
    Rename
    | SetTempo
    | AddSource
    | AddClip
    | MoveClip
    | RemoveClip
    | AsPair
    | CombineMicrophones
    | Apart
    | SetAside
    | SetSpan
    | Give
    | RemoveSource
    | SetPiece
    | SetFind
    | SetShape
    | SetPattern
    | SetNotes
    | TakeChanges
    | AddParts
    | RemovePart
    | KeepFeel
    | DropFeel
    | SetNoteMap
    | SetMark
    | Unmark
    | AddLayer
    | SetLayer
    | RemoveLayer
    | SetBlend,
    Field(discriminator="kind"),
]

_LONGEST_APART_S = 6 * 3600.0  # time stamps further apart than this are not of one session


M = TypeVar("M", bound=BaseModel)


def changed(model: M, changes: Mapping[str, object]) -> M:
    """The model with some fields changed and all bounds checked; a ``Problem`` says which value does not
    fit.
    """
    unknown = set(changes) - set(type(model).model_fields)
    if unknown:
        raise Problem(f"There is no setting “{sorted(unknown)[0]}”.")
    try:
        return type(model).model_validate(model.model_dump() | dict(changes))
    except ValidationError as error:
        first = error.errors()[0]
        name = str(first["loc"][0]) if first["loc"] else "value"
        raise Problem(
            f"{name.replace('_', ' ')}: {first['input']!r} does not fit: {first['msg'].lower()}.",
            todo="Choose a value inside the bounds.",
        ) from error


def apply(document: Document, action: AnyAction) -> tuple[Document, str]:
    """The document after the action, and what undo will call it. ``document`` itself is left as it is."""
    new = document.model_copy(deep=True)
    match action:
        case Rename():
            new.name = action.name
            return new, f"Name the session “{action.name}”"
        case SetTempo():
            new.tempo = changed(new.tempo, action.changes)
            follows = f", in {len(new.tempo.changes)} steps" if new.tempo.changes else ""
            return (
                new,
                f"Tempo {new.tempo.bpm:g} bpm, {new.tempo.beats_per_bar}/{new.tempo.beat_unit}{follows}",
            )
        case AddSource():
            return _add_source(new, action), f"Add {action.name}"
        case AddClip():
            return _add_clip(new, action)
        case MoveClip():
            return _move_clip(new, action)
        case RemoveClip():
            return _remove_clip(new, action)
        case AsPair():
            return _as_pair(new, action)
        case CombineMicrophones():
            return _together(new, action)
        case Apart():
            return _apart(new, action)
        case SetAside():
            source = new.source(action.source_id)
            source.aside = action.aside
            return new, f"{'Set aside' if action.aside else 'Take up again'} {source.name}"
        case SetSpan():
            return _set_span(new, action.span)
        case Give():
            return _give(new, action)
        case RemoveSource():
            return _remove_source(new, action.source_id)
        case SetPiece():
            new.part(action.part_id).piece = action.piece
            return new, f"Take it as {PIECES[action.piece].name.lower()}"
        case SetFind():
            part = new.part(action.part_id)
            part.find = changed(part.find, action.changes)
            return new, f"{_named(new, action.part_id)}: {_said(action.changes)}"
        case SetShape():
            part = new.part(action.part_id)
            part.shape = changed(part.shape, action.changes.model_dump(exclude_unset=True))
            return new, f"{_named(new, action.part_id)}: {shaping_said(action.changes)}"
        case SetPattern():
            return set_pattern(new, action)
        case SetNotes():
            return set_notes(new, action)
        case TakeChanges():
            return _take_changes(new, action)
        case AddParts():
            return add_parts(new, action)
        case RemovePart():
            return _remove_part(new, action.part_id)
        case KeepFeel():
            new.feels[action.feel_id] = action.feel
            return new, f"Keep the feel “{action.feel.name}”"
        case DropFeel():
            return drop_feel(new, action)
        case SetNoteMap():
            new.note_map = action.note_map
            return new, f"Note map “{action.note_map.name}”"
        case SetMark():
            return _mark(new, action)
        case Unmark():
            return _unmark(new, action)
        case AddLayer():
            new.part(action.part_id).layers[action.layer_id] = changed(
                Layer(instrument=action.instrument), action.changes
            )
            return new, f"{_named(new, action.part_id)}: layer {action.instrument.name}"
        case SetLayer():
            layers = new.part(action.part_id).layers
            layer = changed(_layer(layers, action.layer_id), action.changes)
            if action.instrument is not None:
                layer = layer.model_copy(update={"instrument": action.instrument})
            layers[action.layer_id] = layer
            said = (
                f"layer {layer.instrument.name}" if action.instrument is not None else _said(action.changes)
            )
            return new, f"{_named(new, action.part_id)}: {said}"
        case RemoveLayer():
            layers = new.part(action.part_id).layers
            layer = _layer(layers, action.layer_id)
            del layers[action.layer_id]
            return new, f"{_named(new, action.part_id)}: no layer {layer.instrument.name}"
        case SetBlend():
            part = new.part(action.part_id)
            part.blend = changed(part.blend, action.changes)
            return new, f"{_named(new, action.part_id)}: {_said(action.changes)}"


def _add_source(new: Document, action: AddSource) -> Document:
    if action.source_id in new.sources or action.part_id in new.parts:
        raise Problem("This source is in the session already.")
    if not new.sources:
        new.rate_hz = action.clip.rate_hz
    notes = list(action.notes)
    twin = next(
        (
            source.name
            for source in new.sources.values()
            if any(clip.audio == action.clip.audio for clip in source.clips)
        ),
        None,
    )
    if twin is not None:
        notes.append(f"The same recording is in the session already, as {twin}. Both are kept.")
    place = max((source.place for source in new.sources.values()), default=-1) + 1
    clip = _placed(new, action.clip)
    new.sources[action.source_id] = Source(
        name=action.name, place=place, clips=[clip], guess=action.guess, notes=notes
    )
    new.parts[action.part_id] = Part(piece=action.guess.piece, place=place, sources=[action.source_id])
    return new


def _placed(new: Document, clip: Clip) -> Clip:
    """A clip at the place its time stamp tells, if it has one. The earliest stamp of a session stands where
    it was put first; a still earlier one moves everything else to the right.
    """
    if clip.stamp_s is None:
        return clip
    if new.origin_s is None:
        new.origin_s = clip.stamp_s - clip.start_s
        return clip
    start_s = clip.stamp_s - new.origin_s
    if start_s < 0:
        _move_all(new, -start_s)
        start_s = 0.0
    if start_s > _LONGEST_APART_S:
        return clip
    return clip.model_copy(update={"start_s": start_s})


def _move_all(new: Document, by_s: float) -> None:
    """Everything on the time line later by ``by_s``."""
    new.origin_s = None if new.origin_s is None else new.origin_s - by_s
    for source in new.sources.values():
        for clip in source.clips:
            clip.start_s += by_s
    for part in new.parts.values():
        for mark in part.marks.values():
            mark.time_s += by_s
            mark.to_s = None if mark.to_s is None else mark.to_s + by_s
        for point in part.find.curve:
            point.time_s += by_s
    if new.span is not None:
        new.span = Span(start_s=new.span.start_s + by_s, end_s=new.span.end_s + by_s)
    new.tempo.bar_one_s += by_s


def _add_clip(new: Document, action: AddClip) -> tuple[Document, str]:
    source = new.source(action.source_id)
    clip = _placed(new, action.clip)
    if clip.stamp_s is None or clip.start_s == 0.0:
        clip = clip.model_copy(update={"start_s": source.end_s})
    source.clips.append(clip)
    source.clips.sort(key=lambda one: one.start_s)
    return new, f"{source.name}: add take {action.name}"


def _clip(source: Source, index: int) -> Clip:
    if index >= len(source.clips):
        raise Problem("This take is not in the session any more.", kind="missing")
    return source.clips[index]


def _move_clip(new: Document, action: MoveClip) -> tuple[Document, str]:
    source = new.source(action.source_id)
    clip = _clip(source, action.index)
    before_s, by_s = clip.start_s, action.start_s - clip.start_s
    clip.start_s = action.start_s
    # Marks stand on strokes of the recording; where the recording goes, they go.
    for part in new.parts.values():
        if action.source_id in part.sources:
            for mark in part.marks.values():
                if before_s <= mark.time_s < before_s + clip.length_s and mark.time_s + by_s >= 0:
                    mark.time_s += by_s
                    mark.to_s = None if mark.to_s is None else max(mark.to_s + by_s, 0.0)
    source.clips.sort(key=lambda one: one.start_s)
    return new, f"{source.name}: move to {clock(action.start_s)}"


def _remove_clip(new: Document, action: RemoveClip) -> tuple[Document, str]:
    source = new.source(action.source_id)
    _clip(source, action.index)
    if len(source.clips) == 1:
        return _remove_source(new, action.source_id)
    del source.clips[action.index]
    return new, f"{source.name}: take out a take"


def _as_pair(new: Document, action: AsPair) -> tuple[Document, str]:
    left, right = new.source(action.left_id), new.source(action.right_id)
    names = f"{left.name} and {right.name}"
    left.clips, left.name = [action.clip], action.name
    left.notes = sorted(set(left.notes) | set(right.notes))
    new, _ = _remove_source(new, action.right_id)
    return new, f"Take {names} as a pair"


def _together(new: Document, action: CombineMicrophones) -> tuple[Document, str]:
    part, other = new.part(action.part_id), new.part(action.other_id)
    if action.part_id == action.other_id:
        raise Problem("A part cannot be joined with itself.")
    label = f"{new.part_name(action.part_id)} and {new.part_name(action.other_id)} are one part"
    part.sources = [*part.sources, *(source for source in other.sources if source not in part.sources)]
    part.marks = other.marks | part.marks
    part.pattern = other.pattern | part.pattern
    part.layers = other.layers | part.layers
    del new.parts[action.other_id]
    _forget_leaker(new, action.other_id, action.part_id)
    return new, label


def _apart(new: Document, action: Apart) -> tuple[Document, str]:
    part = new.part(action.part_id)
    if action.source_id not in part.sources or len(part.sources) < 2:
        raise Problem("This part listens to no other microphone.")
    if action.new_part_id in new.parts:
        raise Problem("This part is in the session already.")
    part.sources = [source for source in part.sources if source != action.source_id]
    source = new.source(action.source_id)
    new.parts[action.new_part_id] = Part(
        piece=part.piece, place=source.place, sources=[action.source_id], find=part.find.model_copy(deep=True)
    )
    return new, f"{source.name} is a part of its own"


def _forget_leaker(new: Document, part_id: str, instead: str | None) -> None:
    """A part that is gone leaks no more; what it was joined to leaks in its place."""
    for key, part in new.parts.items():
        if part.find.spill_from is not None and part_id in part.find.spill_from:
            named = [
                instead if one == part_id and instead not in (None, key) else one
                for one in part.find.spill_from
            ]
            part.find.spill_from = list(
                dict.fromkeys(one for one in named if one is not None and one != part_id)
            )


def _set_span(new: Document, span: Span | None) -> tuple[Document, str]:
    if span is not None and span.end_s - span.start_s < 0.01:
        raise Problem("A range must last at least 10 ms.", todo="Drag over a longer stretch.")
    new.span = span
    return (
        new,
        "Look at everything"
        if span is None
        else f"Look only at {clock(span.start_s)} to {clock(span.end_s)}",
    )


def _give(new: Document, action: Give) -> tuple[Document, str]:
    if action.part_id == action.to_part_id:
        raise Problem("It belongs to this part already.")
    there = (
        new.part_name(action.to_part_id)
        if action.to_part_id in new.parts
        else new.part(action.to_part_id).piece
    )
    new, _ = _mark(
        new,
        SetMark(
            kind="mark",
            part_id=action.part_id,
            marks={key: Mark(kind="drop", time_s=at) for key, at in action.marks.items()},
        ),
    )
    new, _ = _mark(
        new,
        SetMark(
            kind="mark",
            part_id=action.to_part_id,
            marks={key: Mark(kind="add", time_s=at) for key, at in action.there.items()},
        ),
    )
    count = len(action.marks)
    where = f"at {clock(next(iter(action.marks.values())))}" if count == 1 else f"of {count} places"
    return new, f"{_named(new, action.part_id)}: give the stroke {where} to {there.lower()}"


def _remove_source(new: Document, source_id: str) -> tuple[Document, str]:
    if source_id not in new.sources:
        raise Problem("This source is not in the session any more.", kind="missing")
    source = new.sources.pop(source_id)
    for part_id, part in list(new.parts.items()):
        if source_id not in part.sources:
            continue
        part.sources = [other for other in part.sources if other != source_id]
        if not part.sources:
            del new.parts[part_id]
            _forget_leaker(new, part_id, None)
    return new, f"Take out {source.name}"


def _remove_part(new: Document, part_id: str) -> tuple[Document, str]:
    new, label = remove_part(new, part_id)
    _forget_leaker(new, part_id, None)
    return new, label


def _take_changes(new: Document, action: TakeChanges) -> tuple[Document, str]:
    for part_id, marks in action.marks.items():
        if marks:
            new, _ = _mark(new, SetMark(kind="mark", part_id=part_id, marks=marks))
    for part_id in action.notes.keys() | action.remove.keys():
        new, _ = set_pattern(
            new,
            SetPattern(
                kind="set_pattern",
                part_id=part_id,
                notes=action.notes.get(part_id, {}),
                remove=action.remove.get(part_id, []),
            ),
        )
    gone = {part_id: set(ids) - set(action.notes.get(part_id, {})) for part_id, ids in action.remove.items()}
    count = sum(len(many) for per_part in (action.marks, action.notes, gone) for many in per_part.values())
    return new, f"Take {count} change{'' if count == 1 else 's'} made elsewhere"


def _mark(new: Document, action: SetMark) -> tuple[Document, str]:
    marks = new.part(action.part_id).marks
    for mark_id, mark in action.marks.items():
        for older in [key for key, old in marks.items() if abs(old.time_s - mark.time_s) < NEAR_S]:
            was_added = marks.pop(older).kind == "add"
            # Dropping what was added by hand takes the addition back; nothing else was there.
            if was_added and mark.kind == "drop":
                break
        else:
            marks[mark_id] = mark
    first = next(iter(action.marks.values()))
    where = f"at {clock(first.time_s)}" if len(action.marks) == 1 else f"{len(action.marks)} places"
    return new, f"{_named(new, action.part_id)}: {first.kind} {where}"


def _unmark(new: Document, action: Unmark) -> tuple[Document, str]:
    marks = new.part(action.part_id).marks
    ids = list(marks) if action.mark_ids is None else action.mark_ids
    missing = [mark_id for mark_id in ids if mark_id not in marks]
    if missing:
        raise Problem("This mark was taken back already.", kind="missing")
    for mark_id in ids:
        del marks[mark_id]
    return new, f"{_named(new, action.part_id)}: take back {len(ids)} mark{'s' if len(ids) != 1 else ''}"


def _layer(layers: dict[str, Layer], layer_id: str) -> Layer:
    if layer_id not in layers:
        raise Problem("This layer is not there any more.", kind="missing")
    return layers[layer_id]


def _named(document: Document, part_id: str) -> str:
    return document.part_name(part_id)


def _said(changes: Mapping[str, object]) -> str:
    return ", ".join(f"{_word(name)} {_value(name, value)}" for name, value in changes.items())


def _word(name: str) -> str:
    for unit in ("_db", "_ms", "_hz", "_percent", "_beats", "_s"):
        name = name.removesuffix(unit)
    return name.replace("_", " ").replace("hold off", "hold-off")


def _value(name: str, value: object) -> str:
    if value is None:
        return {"spill_margin_db": "off", "spill_from": "learnt"}.get(name, "as suggested")
    if isinstance(value, list):
        return (
            f"through {len(value)} point{'' if len(value) == 1 else 's'}"
            if name == "curve"
            else f"{len(value)} named"
        )
    if isinstance(value, str):
        return value
    if isinstance(value, bool):
        return "on" if value else "off"
    unit = next(
        (
            unit
            for ending, unit in (("_db", " dB"), ("_ms", " ms"), ("_hz", " Hz"), ("_percent", " %"))
            if name.endswith(ending)
        ),
        "",
    )
    return f"{value:g}{unit}".replace("-", "−")
