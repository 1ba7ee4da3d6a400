"""A kit out of a session's own recordings, kept in the library like any other."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from nubrak.core.layer import as_stereo
from nubrak.core.pieces import hears_the_kit
from nubrak.core.prints import CLOSE, Cancelled, GoOn
from nubrak.core.problem import Problem
from nubrak.core.samples import (
    FEWEST,
    Cutout,
    Instrument,
    Kit,
    Layered,
    as_sample,
    character,
    cut_out,
    measure,
    said_of,
    take_strokes,
)
from nubrak.desk.clear_strokes import Placed, strokes_of
from nubrak.desk.desk import Desk
from nubrak.desk.sliced_kit import kit_of_slices, stored
from nubrak.desk.standing import Standing
from nubrak.store.kits import put_kit


class KitChoice(BaseModel):
    """What a kit is made of."""

    name: str | None = Field(default=None, min_length=1, max_length=120, description="empty: the session's")
    microphones: Literal["close", "all"] = Field(
        default="close",
        description="each piece's own, or overheads and rooms as well, as instruments beside it",
    )

    of: Literal["layers", "best", "slices"] = Field(
        default="layers",
        description=(
            "layers: each piece's clearest strokes by how hard they are; best: the one stroke of kick, snare "
            "and hat that stands most by itself; slices: the slices of a source on rising notes"
        ),
    )
    source_id: str | None = Field(default=None, description="whose slices; empty: the first source's")


class TakenStroke(BaseModel):
    """One stroke that was taken, and why."""

    time_s: float
    velocity: int
    reason: str


class TakenPiece(BaseModel):
    """What was taken of one piece."""

    part_id: str
    name: str
    said: str
    strokes: list[TakenStroke]


class RecordedKit(BaseModel):
    """A kit that was made of a session."""

    kit_id: str
    name: str
    pieces: list[TakenPiece]


def make_kit(desk: Desk, standing: Standing, choice: KitChoice, kit_id: str, go_on: GoOn) -> RecordedKit:
    """Make a kit of a session and keep it under an id; made twice, it is kept once. A ``Problem`` where
    no piece was struck often enough.
    """
    document = standing.document
    if choice.of == "slices":
        kit = kit_of_slices(desk, standing, choice.source_id, choice.name, go_on)
        put_kit(desk.engine, kit_id, kit)
        return RecordedKit(kit_id=kit_id, name=kit.name, pieces=[])
    parts = [part_id for part_id, _ in document.ordered_parts() if document.is_noted(part_id)]
    far = _far(desk, standing) if choice.microphones == "all" and choice.of == "layers" else {}
    called = "drums" if choice.of == "layers" else "its best strokes"
    kit, pieces = Kit(name=(choice.name or f"{document.name}, {called}")[:120]), []
    had = set[str]()
    for number, part_id in enumerate(parts):
        if not go_on(number / len(parts)):
            raise Cancelled
        piece = document.parts[part_id].piece
        if choice.of == "best" and (piece not in BEST_OF or piece in had):
            continue
        taken = _taken(desk, standing, part_id, parts)
        if taken is None:
            continue
        had.add(piece)
        (begin, audio), strokes, of_all = taken
        if choice.of == "best":
            strokes = [_over_all(min(strokes, key=lambda one: one[0].clear.spoilt_db))]
        name = standing.names[part_id]
        heard = {f"{name}, {CLOSE}": (begin, audio)} | {f"{name}, {place}": one for place, one in far.items()}
        for title, (at, sound) in heard.items():
            moved = [(one, _moved(where, begin - at)) for one, where in strokes]
            instrument = _instrument(
                desk, title, document.parts[part_id].piece, sound, moved, document.rate_hz
            )
            kit.instruments[f"{part_id[:24]}-{len(kit.instruments)}".lower()] = instrument
        pieces.append(
            TakenPiece(
                part_id=part_id,
                name=name,
                said=said_of([one for one, _ in strokes], of_all),
                strokes=[
                    TakenStroke(
                        time_s=round(begin / document.rate_hz + one.clear.time_s, 6),
                        velocity=one.velocity,
                        reason=one.clear.reason,
                    )
                    for one, _ in strokes
                ],
            )
        )
    if not pieces:
        raise Problem(
            "No piece was struck often enough to make a kit of.",
            todo=f"A piece needs {FEWEST} strokes that count: look for them in Find.",
        )
    put_kit(desk.engine, kit_id, kit)
    return RecordedKit(kit_id=kit_id, name=kit.name, pieces=pieces)


BEST_OF = ("kick", "snare", "hi-hat")


def _over_all(stroke: tuple[Layered, Cutout]) -> tuple[Layered, Cutout]:
    """A stroke that sounds however hard it is struck."""
    one, where = stroke
    return replace(one, low=1, high=127), where


def _taken(
    desk: Desk, standing: Standing, part_id: str, parts: list[str]
) -> tuple[Placed, list[tuple[Layered, Cutout]], int] | None:
    """Where a part's recording begins and its audio, its clearest strokes, and how many it has; None
    where they are too few.
    """
    placed = strokes_of(desk, standing, part_id, parts)
    if placed is None or len(placed[1]) < FEWEST:
        return None
    (begin, audio), struck_s, hard, _, others = placed
    found = take_strokes(audio.mean(axis=1), standing.document.rate_hz, struck_s, hard, others)
    return (begin, audio), found, len(struck_s)


def _far(desk: Desk, standing: Standing) -> dict[str, Placed]:
    """The microphones that hear the whole kit, by where they stand."""
    out: dict[str, Placed] = {}
    for source in standing.document.sources.values():
        place = hears_the_kit(source.name)
        if place is not None and not source.aside:
            named = place if place not in out else f"{place} {len(out) + 1}"
            out[named] = desk.audio.placed(source, standing.document.rate_hz)
    return out


def _moved(where: Cutout, by: int) -> Cutout:
    """The same stretch of another recording that begins ``by`` samples earlier."""
    begin = max(where.begin + by, 0)
    return Cutout(begin, max(where.end + by, begin + 1), where.lead, where.fade_in, where.fade_out)


def _instrument(
    desk: Desk,
    name: str,
    piece: str,
    audio: NDArray[np.float32],
    strokes: list[tuple[Layered, Cutout]],
    rate_hz: int,
) -> Instrument:
    """Strokes cut out of audio (frames, channels), stored, as an instrument."""
    samples = []
    for turn, (stroke, where) in enumerate(strokes, start=1):
        sound = cut_out(audio, where)
        stem = f"{name} v{stroke.velocity:03d} {turn}"
        key = stored(desk, sound, rate_hz, stem)
        measured = measure(as_stereo(sound), where.lead / rate_hz, rate_hz)
        sample = as_sample(stroke, where, rate_hz, key, f"{stem}.wav")
        samples.append(sample.model_copy(update={"measured": measured}))
    out = Instrument(name=name[:120], piece=piece, samples=samples)
    return out.model_copy(update={"words": character(out)})
