"""The slices of a source as a kit of the library."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from nubrak.core.gather import inspect
from nubrak.core.layer import as_stereo
from nubrak.core.prints import FIRST_KEY, Cancelled, GoOn, write_sample
from nubrak.core.problem import Problem
from nubrak.core.samples import (
    LONGEST_SAMPLE_S,
    MOST_INSTRUMENTS,
    Instrument,
    Kit,
    Sample,
    Slice,
    character,
    clearest,
    levels_db,
    measure,
    slice_audio,
)
from nubrak.core.signal import db_to_gain
from nubrak.desk.desk import Desk
from nubrak.desk.printing import draft
from nubrak.desk.slicing import cut_source
from nubrak.desk.standing import Standing
from nubrak.store.audio import put_audio


def kit_of_slices(
    desk: Desk, standing: Standing, source_id: str | None, named: str | None, go_on: GoOn
) -> Kit:
    """The slices of a source, else of the first, as a kit: an instrument each, on rising notes."""
    document, rate = standing.document, standing.document.rate_hz
    source_id = source_id or next(iter(document.sources), "")
    source = document.source(source_id)
    _, audio, slices, names, pieces = cut_source(desk, standing, source_id)
    if len(slices) > MOST_INSTRUMENTS:
        raise Problem(
            f"{len(slices)} slices are more than a kit holds: {MOST_INSTRUMENTS} sounds.",
            "No kit was made.",
            "Cut at a longer step, or raise the threshold of the hits.",
        )
    levels = levels_db(audio, rate, slices) if source.cut.matched else np.zeros(len(slices))
    title = source.name.rpartition(".")[0] or source.name
    kit = Kit(name=(named or f"{title}, cut")[:120])
    for number, one in enumerate(slices):
        if not go_on(number / len(slices)):
            raise Cancelled
        sound = slice_audio(audio, one)[: round(LONGEST_SAMPLE_S * rate)]
        sound = sound * np.float32(db_to_gain(float(levels[number])))
        name = f"{number + 1:03d} {names[number]}".strip()[:100]
        attack_s = (one.attack - one.start) / rate
        sample = Sample(audio=stored(desk, sound, rate, name), name=f"{name}.wav", attack_s=attack_s)
        measured = measure(as_stereo(sound), attack_s, rate)
        key = FIRST_KEY + number
        made = Instrument(
            name=name,
            piece=pieces[number],
            samples=[sample.model_copy(update={"measured": measured})],
            key=key if key < 128 else None,
        )
        kit.instruments[_slice_id(number)] = made.model_copy(update={"words": character(made)})
    alone = {one.lower() for one in standing.names.values()}
    kit.favourites = _cleanest(audio, rate, slices, pieces, [name in alone for name in names])
    return kit


def _slice_id(number: int) -> str:
    return f"slice-{number + 1:03d}"


def _cleanest(
    audio: NDArray[np.float32], rate_hz: int, slices: list[Slice], pieces: list[str], alone: list[bool]
) -> list[str]:
    """The slice of each piece that stands most by itself: a kit that is written with begins with it.

    ``alone`` says of each slice whether one piece only is struck in it.
    """
    mono = audio.mean(axis=1)
    at_s = np.array([one.attack / rate_hz for one in slices])
    out = []
    for piece in dict.fromkeys(pieces):
        own = [k for k, one in enumerate(pieces) if one == piece]
        own = [k for k in own if alone[k]] or own
        own.sort(key=lambda k: at_s[k])
        others = {one: at_s[[k for k, p in enumerate(pieces) if p == one]] for one in set(pieces) - {piece}}
        best = clearest(mono, rate_hz, at_s[own], others)[0]
        out.append(_slice_id(own[best.row]))
    return out


def stored(desk: Desk, sound: NDArray[np.float32], rate_hz: int, name: str) -> str:
    """The content hash under which a sound is kept as a file of its name."""
    path = draft(desk, "wav")
    try:
        write_sample(path, sound, rate_hz)
        return put_audio(desk.engine, path, f"{name}.wav", inspect(path))
    finally:
        path.unlink(missing_ok=True)
