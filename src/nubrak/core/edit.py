"""Edits: everything a person can do to a session, as actions that give a new document and a label."""

from __future__ import annotations

from typing import Annotated, Literal, TypeVar

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from nubrak.core.decide import Mark, clock
from nubrak.core.document import Clip, Document, Layer, Part, PieceId, Source
from nubrak.core.kit import Instrument
from nubrak.core.names import PieceGuess
from nubrak.core.pieces import PIECES
from nubrak.core.problem import Problem

Id = Annotated[str, Field(pattern=r"^[A-Za-z0-9_-]{1,64}$")]


class Action(BaseModel):
    """What every action shares: nothing that is not named is taken."""

    model_config = ConfigDict(extra="forbid")


class Rename(Action):
    """Give the session another name."""

    kind: Literal["rename"]
    name: str = Field(min_length=1, max_length=120)


class SetTempo(Action):
    """Tempo, signature, and where bar 1 stands."""

    kind: Literal["set_tempo"]
    changes: dict[str, float]


class AddSource(Action):
    """A new source with the part found on it."""

    kind: Literal["add_source"]
    source_id: Id
    part_id: Id
    name: str
    clip: Clip
    guess: PieceGuess
    notes: list[str] = []


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
    changes: dict[str, float | None]


class SetShape(Action):
    """Change shape settings; what is not named stays."""

    kind: Literal["set_shape"]
    part_id: str
    changes: dict[str, float | None]


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


class AddLayer(Action):
    """Let an instrument sound with a part."""

    kind: Literal["add_layer"]
    part_id: str
    layer_id: Id
    instrument: Instrument


class SetLayer(Action):
    """Change a layer; what is not named stays."""

    kind: Literal["set_layer"]
    part_id: str
    layer_id: str
    changes: dict[str, float | bool]
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
    changes: dict[str, float | bool]


AnyAction = Annotated[
    Rename | SetTempo | AddSource | RemoveSource | SetPiece | SetFind | SetShape | SetMark | Unmark | AddLayer | SetLayer | RemoveLayer | SetBlend,
    Field(discriminator="kind"),
]

_NEAR_S = 0.004  # a mark replaces another on the same stroke


M = TypeVar("M", bound=BaseModel)


def changed(model: M, changes: dict[str, float | None] | dict[str, float | bool] | dict[str, float]) -> M:
    """The model with some fields changed and all bounds checked; a ``Problem`` says which value does not fit."""
    unknown = set(changes) - set(type(model).model_fields)
    if unknown:
        raise Problem(f"There is no setting “{sorted(unknown)[0]}”.")
    try:
        return type(model).model_validate(model.model_dump() | changes)
    except ValidationError as error:
        first = error.errors()[0]
        name = str(first["loc"][0]) if first["loc"] else "value"
        raise Problem(f"{name.replace('_', ' ')}: {first['input']!r} does not fit: {first['msg'].lower()}.", todo="Choose a value inside the bounds.") from error


def apply(document: Document, action: AnyAction) -> tuple[Document, str]:
    """The document after the action, and what undo will call it. ``document`` itself is left as it is."""
    new = document.model_copy(deep=True)
    match action:
        case Rename():
            new.name = action.name
            return new, f"Name the session “{action.name}”"
        case SetTempo():
            new.tempo = changed(new.tempo, action.changes)
            return new, f"Tempo {new.tempo.bpm:g} bpm, {new.tempo.beats_per_bar}/{new.tempo.beat_unit}"
        case AddSource():
            return _add_source(new, action), f"Add {action.name}"
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
            part.shape = changed(part.shape, action.changes)
            return new, f"{_named(new, action.part_id)}: {_said(action.changes)}"
        case SetMark():
            return _mark(new, action)
        case Unmark():
            return _unmark(new, action)
        case AddLayer():
            new.part(action.part_id).layers[action.layer_id] = Layer(instrument=action.instrument)
            return new, f"{_named(new, action.part_id)}: layer {action.instrument.name}"
        case SetLayer():
            layers = new.part(action.part_id).layers
            layer = changed(_layer(layers, action.layer_id), action.changes)
            if action.instrument is not None:
                layer = layer.model_copy(update={"instrument": action.instrument})
            layers[action.layer_id] = layer
            return new, f"{_named(new, action.part_id)}: {_said(action.changes) or f'layer {layer.instrument.name}'}"
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
    twin = next((source.name for source in new.sources.values() if any(clip.audio == action.clip.audio for clip in source.clips)), None)
    if twin is not None:
        notes.append(f"The same recording is in the session already, as {twin}. Both are kept.")
    place = max((source.place for source in new.sources.values()), default=-1) + 1
    new.sources[action.source_id] = Source(name=action.name, place=place, clips=[action.clip], guess=action.guess, notes=notes)
    new.parts[action.part_id] = Part(piece=action.guess.piece, place=place, sources=[action.source_id])
    return new


def _remove_source(new: Document, source_id: str) -> tuple[Document, str]:
    if source_id not in new.sources:
        raise Problem("This source is not in the session any more.", kind="missing")
    source = new.sources.pop(source_id)
    for part_id, part in list(new.parts.items()):
        part.sources = [other for other in part.sources if other != source_id]
        if not part.sources:
            del new.parts[part_id]
    return new, f"Take out {source.name}"


def _mark(new: Document, action: SetMark) -> tuple[Document, str]:
    marks = new.part(action.part_id).marks
    for mark_id, mark in action.marks.items():
        for older in [key for key, old in marks.items() if abs(old.time_s - mark.time_s) < _NEAR_S]:
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


def _said(changes: dict[str, float | None] | dict[str, float | bool]) -> str:
    return ", ".join(f"{_word(name)} {_value(name, value)}" for name, value in changes.items())


def _word(name: str) -> str:
    for unit in ("_db", "_ms", "_hz", "_percent", "_beats", "_s"):
        name = name.removesuffix(unit)
    return name.replace("_", " ").replace("hold off", "hold-off")


def _value(name: str, value: float | bool | None) -> str:
    if value is None:
        return "off" if name == "spill_margin_db" else "as suggested"
    if isinstance(value, bool):
        return "on" if value else "off"
    unit = next((unit for ending, unit in (("_db", " dB"), ("_ms", " ms"), ("_hz", " Hz"), ("_percent", " %")) if name.endswith(ending)), "")
    return f"{value:g}{unit}".replace("-", "−")
