"""The lock of a layer: measured, taken, taken again when the layer changes; its samples over the hits."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from nubrak.core.layer import (
    HitOffset,
    Layer,
    Lock,
    LockAgainst,
    Place,
    Sounding,
    as_stereo,
    find_lock,
    judged,
    lock_basis,
    overlay,
    plan_layer,
)
from nubrak.core.mix import moved
from nubrak.core.pieces import PIECES
from nubrak.core.problem import Problem
from nubrak.core.session import AnyAction, Document, LayerValue, SetLayer, changed
from nubrak.core.signal import db_to_gain
from nubrak.desk.desk import Desk
from nubrak.desk.standing import Standing
from nubrak.store.sessions import SessionState

_SAID_DB = 0.1  # of low end; what gains less is not said
_WANDERS_MS = 0.15  # from here on single offsets are worth having


class OtherMicrophone(BaseModel):
    """How the sum with the layer fares in another microphone that hears the piece."""

    name: str
    gain_db: float = Field(description="low end of the sum there, over the layer as it stood on the hit")


class LockFound(BaseModel):
    """How a layer is best put against the recording."""

    polarity: int
    offset_samples: int
    gain_db: float = Field(description="low end of the sum, over the layer as it stood on the hit")
    over_wrong_db: float = Field(description="over the other polarity at that place")
    similarity: float
    same_sound: bool = Field(description="whether layer and recording are the same sound")
    wanders_ms: float
    in_place: bool = Field(description="whether the layer lies so now")
    stale: bool = Field(description="whether a hand placed the layer before its sound or range changed")
    others: list[OtherMicrophone]
    said: str


class OverlayColumns(BaseModel):
    """All hits laid over each other, and the layer over them."""

    time_ms: list[float]
    median: list[float]
    low: list[float]
    high: list[float]
    layer: list[float]
    hits: int


@dataclass(frozen=True)
class Locked:
    """The ``lock`` of a layer, when each of its notes sounds, (n,) in s, the hits it was measured on, (n,) in
    samples, and what sounds there.
    """

    lock: Lock
    time_s: NDArray[np.float64]
    hits: NDArray[np.int64]
    sounds: list[Sounding]

    def changes(self, each: bool = False) -> dict[str, LayerValue]:
        """The settings of a layer that lies so, with an offset of its own for every hit where ``each``."""
        own = zip(self.time_s.tolist(), self.lock.each_samples.tolist(), strict=True)
        return {
            "polarity": self.lock.polarity,
            "offset_samples": self.lock.offset_samples,
            "each": [HitOffset(time_s=at_s, offset_samples=offset) for at_s, offset in own] if each else [],
            "placed_by_hand": False,
        }


def lock_of(
    desk: Desk, standing: Standing, part_id: str, layer: Layer, most: int | None = None, level_db: float = 0.0
) -> Locked:
    """The lock of a layer against what its settings name, on all its strokes or on ``most`` of them, evenly
    chosen; ``level_db`` louder than it is set.
    """
    rate = standing.document.rate_hz
    hits, time_s, sounds = struck_by(desk, standing, part_id, layer, most)
    louder = db_to_gain(level_db)
    sounds = [replace(one, gains=one.gains * louder) for one in sounds]
    recording = _against(desk, standing, part_id, layer.lock_against)
    return Locked(find_lock(recording, hits, sounds, rate, layer), time_s, hits, sounds)


def found_lock(desk: Desk, standing: Standing, part_id: str, layer_id: str) -> LockFound:
    """The lock of a layer of a part; and what it does in the other microphones that hear the piece."""
    document, rate = standing.document, standing.document.rate_hz
    layer = layer_of(document, part_id, layer_id)
    locked = lock_of(desk, standing, part_id, layer)
    found = locked.lock
    others = []
    for source_id in _others(standing, part_id):
        source = document.source(source_id)
        there = judged(
            moved(desk.audio.source_mono(source, rate), source.microphone, rate),
            locked.hits,
            locked.sounds,
            rate,
            found.offset_samples,
            found.polarity,
        )
        others.append(OtherMicrophone(name=source.name, gain_db=round(there, 1)))
    in_place = (layer.polarity, layer.offset_samples) == (found.polarity, found.offset_samples)
    return LockFound(
        polarity=found.polarity,
        offset_samples=found.offset_samples,
        gain_db=round(found.gain_db, 1),
        over_wrong_db=round(found.over_wrong_db, 1),
        similarity=round(found.similarity, 2),
        same_sound=found.same_sound,
        wanders_ms=round(found.wanders_ms, 2),
        in_place=in_place and not layer.each,
        stale=layer.placed_by_hand and layer.lock_is_stale,
        others=others,
        said=_said(found, layer, in_place, rate),
    )


def lock_again(
    desk: Desk, session_id: str, revision: int, part_id: str, layer_id: str, each: bool
) -> SessionState:
    """Put a layer where its lock is, with an offset of its own for every hit where ``each``."""
    standing = desk.standing(session_id)
    layer = layer_of(standing.document, part_id, layer_id)
    changes = lock_of(desk, standing, part_id, layer).changes(each)
    action = SetLayer(kind="set_layer", part_id=part_id, layer_id=layer_id, changes=changes)
    return desk.sessions.edit(session_id, revision, action)


def edit(
    desk: Desk, session_id: str, revision: int, action: AnyAction, gesture: str | None = None
) -> SessionState:
    """Apply an action, as part of a ``gesture`` where it is one of several. A layer whose sound, range or
    start it changes is locked anew in the same edit, unless a hand has placed it.
    """
    if isinstance(action, SetLayer):
        changes = action.changes | _relocked(desk, session_id, action)
        action = action.model_copy(update={"changes": changes})
    return desk.sessions.edit(session_id, revision, action, gesture)


def _relocked(desk: Desk, session_id: str, action: SetLayer) -> dict[str, LayerValue]:
    """Where a layer lies after an action; nothing where its lock is not touched."""
    if {"polarity", "offset_samples", "each"} & set(action.changes):
        return {}
    standing = desk.standing(session_id)
    try:
        before = layer_of(standing.document, action.part_id, action.layer_id)
        after = changed(before, action.changes)
        if action.instrument is not None:
            after = after.model_copy(update={"instrument": action.instrument})
        if after.placed_by_hand or lock_basis(after) == lock_basis(before):
            return {}
        return lock_of(desk, standing, action.part_id, after).changes(each=bool(before.each))
    except Problem:
        return {}  # nothing is there to lock it to; what is wrong with the action, the action itself says


def _said(found: Lock, layer: Layer, in_place: bool, rate_hz: int) -> str:
    place = f"{_placed(found, rate_hz)} ({found.gain_db:+.1f} dB low end)"
    if found.same_sound:
        text = f"Same sound as the recording. Best fit: {place}."
    else:
        text = f"Different sound, attack on attack: {place}."
        if found.widest.gain_db - found.gain_db >= _SAID_DB:
            moved_ms = abs(1000.0 * found.widest.offset_samples / rate_hz)
            text += (
                f" {_placed(found.widest, rate_hz).capitalize()} would add "
                f"{found.widest.gain_db - found.gain_db:.1f} dB, and move the attack by {moved_ms:.2f} ms."
            )
    if layer.placed_by_hand and layer.lock_is_stale:
        text += " Placed by hand before its sound changed."
    elif in_place and not layer.each:
        text += " In place."
    if found.wanders_ms > _WANDERS_MS:
        text += f" Hits wander by {found.wanders_ms:.2f} ms; each can have its own offset."
    return text.replace("-", "−")


def _placed(place: Lock | Place, rate_hz: int) -> str:
    ms, count = 1000.0 * place.offset_samples / rate_hz, abs(place.offset_samples)
    turned = "flip polarity" if place.polarity == -1 else "polarity as it is"
    if not count:
        return turned
    samples = f"{count} sample{'' if count == 1 else 's'}"
    return f"{turned}, {abs(ms):.2f} ms ({samples}) {'later' if ms > 0 else 'earlier'}"


def overlaid(desk: Desk, standing: Standing, part_id: str, layer_id: str) -> OverlayColumns:
    """All hits at their attack, their spread, and the layer as it lies over them now."""
    layer, rate = layer_of(standing.document, part_id, layer_id), standing.document.rate_hz
    hits, _, sounds = struck_by(desk, standing, part_id, layer)
    recording = recorded_first(desk, standing, part_id)
    most = max(sounds, key=lambda one: len(one.rows))
    found = overlay(
        recording, hits, most.sample * np.float32(layer.polarity), layer.offset_samples - most.attack, rate
    )
    columns = [
        np.round(column, 4).tolist()
        for column in (1000 * found.time_s, found.median, found.low, found.high, found.layer)
    ]
    return OverlayColumns(
        time_ms=columns[0],
        median=columns[1],
        low=columns[2],
        high=columns[3],
        layer=columns[4],
        hits=len(hits),
    )


def recorded_first(desk: Desk, standing: Standing, part_id: str) -> NDArray[np.float32]:
    """A part's first microphone as it is heard, (frames,): what its layers are put to."""
    document = standing.document
    source = document.source(document.part(part_id).sources[0])
    return moved(desk.audio.source_mono(source, document.rate_hz), source.microphone, document.rate_hz)


def _against(desk: Desk, standing: Standing, part_id: str, what: LockAgainst) -> NDArray[np.float32]:
    """What a layer of a part is locked to, (frames,): its own first microphone, the overheads, or the sum of
    its microphones and the overheads that is heard.
    """
    document, rate = standing.document, standing.document.rate_hz
    over = _overheads(document)
    if what == "own" or (what == "overheads" and not over):
        return recorded_first(desk, standing, part_id)
    gains = dict.fromkeys((source for _, source in over), 1.0)
    if what == "heard":
        own = [(part_id, source) for source in document.part(part_id).sources]
        gains = {
            source: float(db_to_gain(document.part(part).blend.recording_db))
            for part, source in [*over, *own]
            if document.part(part).blend.recording_on and not document.part(part).muted
        }
    heard = [
        moved(desk.audio.source_mono(document.source(one), rate), document.source(one).microphone, rate)
        * gain
        for one, gain in gains.items()
    ]
    if not heard:
        return recorded_first(desk, standing, part_id)
    out = np.zeros(max(len(one) for one in heard), np.float32)
    for one in heard:
        out[: len(one)] += one
    return out


def layer_of(document: Document, part_id: str, layer_id: str) -> Layer:
    """A layer of a part; a ``Problem`` where it is not there."""
    layer = document.part(part_id).layers.get(layer_id)
    if layer is None:
        raise Problem("This layer is not there any more.", kind="missing")
    return layer


def struck_by(
    desk: Desk, standing: Standing, part_id: str, layer: Layer, most: int | None = None
) -> tuple[NDArray[np.int64], NDArray[np.float64], list[Sounding]]:
    """The strokes a layer sounds on in samples, when its notes sound, and which sample sounds on which; of
    ``most`` strokes, evenly chosen.
    """
    part, rate = standing.document.part(part_id), standing.document.rate_hz
    if not part.sources:
        raise Problem("This part has no recording to lock to.", todo="Place the layer by hand.")
    notes, decisions = standing.notes(part_id), standing.decisions(part_id)
    plan = plan_layer(layer, notes, rate)
    recorded = notes.row[plan.row] >= 0
    if most is not None and np.count_nonzero(recorded) > most:
        some = np.nonzero(recorded)[0]
        recorded = np.zeros(len(recorded), bool)
        recorded[some[np.linspace(0, len(some) - 1, most).round().astype(int)]] = True
    rows = plan.row[recorded]
    if not len(rows):
        raise Problem(
            "This layer sounds on no recorded stroke.", todo="Widen its velocity range, or keep some hits."
        )
    hits = np.round(decisions.time_s[notes.row[rows]] * rate).astype(np.int64)
    straight = layer.model_copy(update={"polarity": 1})
    sounds = []
    for index in np.unique(plan.sample[recorded]).tolist():
        audio, attack = desk.audio.voiced(plan.samples[index], straight, rate)
        mine = np.nonzero(plan.sample[recorded] == index)[0]
        sounds.append(
            Sounding(
                as_stereo(audio).mean(axis=1), attack, mine, plan.gain[recorded][mine].astype(np.float64)
            )
        )
    return hits, notes.time_s[rows], sounds


def _overheads(document: Document) -> list[tuple[str, str]]:
    """The microphones over the whole kit, each with its part."""
    return [
        (part_id, source)
        for part_id, part in document.parts.items()
        if PIECES[part.piece].family == "overall" and part.sorted_from is None
        for source in part.sources
    ]


def _others(standing: Standing, part_id: str) -> list[str]:
    """The other microphones that hear a part's piece: the rest of its own, and those over the whole kit."""
    own = standing.document.part(part_id).sources
    over = [source for _, source in _overheads(standing.document)]
    return list(dict.fromkeys(source for source in [*own[1:], *over] if source != own[0]))
