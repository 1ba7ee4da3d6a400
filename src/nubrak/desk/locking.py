"""What the Layer bench is told: the lock of a layer, and its samples laid over the recording."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from nubrak.core.layer import Layer, Lock, Sounding, as_stereo, find_lock, judged, overlay, plan_layer
from nubrak.core.mix import moved
from nubrak.core.pieces import PIECES
from nubrak.core.problem import Problem
from nubrak.desk.desk import Desk
from nubrak.desk.standing import Standing

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
    wanders_ms: float
    each_s: list[float] = Field(description="when each note sounds")
    each_samples: list[int] = Field(description="its own offset, kept within a millisecond")
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


def found_lock(desk: Desk, standing: Standing, part_id: str, layer_id: str) -> LockFound:
    """The lock of a layer against its part's recording; and what it does in the other microphones that hear
    the piece.
    """
    layer, hits, time_s, sounds, rate = _locked_parts(desk, standing, part_id, layer_id)
    document = standing.document
    recording = recorded_first(desk, standing, part_id)
    found = find_lock(recording, hits, sounds, rate)
    others = []
    for source_id in _others(standing, part_id):
        source = document.source(source_id)
        there = judged(
            moved(desk.audio.source_mono(source, rate), source.microphone, rate),
            hits,
            sounds,
            rate,
            found.offset_samples,
            found.polarity,
        )
        others.append(OtherMicrophone(name=source.name, gain_db=round(there, 1)))
    return LockFound(
        polarity=found.polarity,
        offset_samples=found.offset_samples,
        gain_db=round(found.gain_db, 1),
        over_wrong_db=round(found.over_wrong_db, 1),
        similarity=round(found.similarity, 2),
        wanders_ms=round(found.wanders_ms, 2),
        each_s=time_s.tolist(),
        each_samples=found.each_samples.tolist(),
        others=others,
        said=_said(found, layer, rate),
    )


def _said(found: Lock, layer: Layer, rate_hz: int) -> str:
    ms = 1000.0 * found.offset_samples / rate_hz
    turned = "turned round" if found.polarity == -1 else "polarity as it is"
    place, count = "on the hit", abs(found.offset_samples)
    if count:
        samples = f"{count} sample{'' if count == 1 else 's'}"
        place = f"{abs(ms):.2f} ms ({samples}) {'later' if ms > 0 else 'earlier'}"
    here = layer.polarity == found.polarity and layer.offset_samples == found.offset_samples
    text = (
        f"{layer.instrument.name} fits best {place}, {turned}: {found.gain_db:+.1f} dB of low end over doing "
        f"nothing, {found.over_wrong_db:.1f} dB over the other polarity."
    )
    text += " It stands so now." if here else ""
    if found.wanders_ms > _WANDERS_MS:
        text += (
            f" The recording wanders by {found.wanders_ms:.2f} ms from hit to hit; each hit can have its own "
            "offset."
        )
    return text.replace("-", "−")


def overlaid(desk: Desk, standing: Standing, part_id: str, layer_id: str) -> OverlayColumns:
    """All hits at their attack, their spread, and the layer as it lies over them now."""
    layer, hits, _, sounds, rate = _locked_parts(desk, standing, part_id, layer_id)
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


def _locked_parts(
    desk: Desk, standing: Standing, part_id: str, layer_id: str
) -> tuple[Layer, NDArray[np.int64], NDArray[np.float64], list[Sounding], int]:
    layer = standing.document.part(part_id).layers.get(layer_id)
    if layer is None:
        raise Problem("This layer is not there any more.", kind="missing")
    return layer, *struck_by(desk, standing, part_id, layer), standing.document.rate_hz


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


def _others(standing: Standing, part_id: str) -> list[str]:
    """The other microphones that hear a part's piece: the rest of its own, and those over the whole kit."""
    part = standing.document.part(part_id)
    over = [
        source
        for other in standing.document.parts.values()
        if PIECES[other.piece].family == "overall"
        for source in other.sources
    ]
    return list(dict.fromkeys(source for source in [*part.sources[1:], *over] if source != part.sources[0]))
