"""A sound font whose drum kits come into the library."""

from __future__ import annotations

import mmap
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from nubrak.core.layer import as_stereo
from nubrak.core.prints import Cancelled, GoOn
from nubrak.core.problem import Problem
from nubrak.core.samples import Sample, SoundFont, attack_of, kit_of_font, measure, read_sound_font
from nubrak.desk.desk import Desk
from nubrak.desk.sliced_kit import stored
from nubrak.store.audio import hash_of
from nubrak.store.kits import all_kits, put_kit


class FontKits(BaseModel):
    """The kits that a sound font brought."""

    name: str
    kits: dict[str, str] = Field(description="their names by id")
    instruments: int
    skipped: list[str] = Field(description="what was left out, a sentence each")


def take_sound_font(desk: Desk, path: Path, go_on: GoOn) -> FontKits:
    """Bring all drum kits of a file in. Those that it brought before and that are there still stay as they
    were, whatever a hand has made of them. A ``Problem`` where it is
    damaged or holds none; nothing of it is kept then.
    """
    key = hash_of(path)
    with path.open("rb") as file:
        try:
            mapped = mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ)
        except ValueError as error:
            raise Problem("This file is empty.", "Nothing was kept.", "Choose a sound font.") from error
        # Not closed where an error still holds a view of it: the collector does it then.
        with memoryview(mapped) as view:
            font = read_sound_font(view)
            try:
                return _kits(desk, font, key, go_on)
            finally:
                del font


def _kits(desk: Desk, font: SoundFont, key: str, go_on: GoOn) -> FontKits:
    kept: dict[object, Sample] = {}
    out = FontKits(name=font.name[:120], kits={}, instruments=0, skipped=list(font.skipped))
    whole = sum(len(kit.regions) for kit in font.kits)
    done = 0
    made = []
    there = all_kits(desk.engine)
    for one in font.kits:
        kit_id = f"{key[:16]}-{one.program}"
        if kit_id in there:
            done += len(one.regions)
            out.kits[kit_id] = there[kit_id].name
            out.instruments += len(there[kit_id].instruments)
            continue

        def keep(audio: NDArray[np.float32], rate_hz: int, name: str, done: int = done) -> Sample:
            if not go_on(done / whole):
                raise Cancelled
            return _kept(desk, audio, rate_hz, name)

        read = kit_of_font(font, one, keep, kept)
        done += len(one.regions)
        out.skipped += [f"{one.name}: {said}" for said in read.skipped]
        if read.kit.instruments:
            named = read.kit.model_copy(update={"name": f"{one.name[:60]}, {out.name[:50]}"})
            made.append((kit_id, named))
            out.instruments += len(named.instruments)
    if not made and not out.kits:
        raise Problem(
            "None of the drums in this sound font could be read."
            + (f" {out.skipped[0]}" if out.skipped else ""),
            "Nothing was kept.",
            "Choose another.",
        )
    for kit_id, kit in made:
        put_kit(desk.engine, kit_id, kit)
        out.kits[kit_id] = kit.name
    return out


def _kept(desk: Desk, audio: NDArray[np.float32], rate_hz: int, name: str) -> Sample:
    """A sound stored and measured."""
    attack_s = attack_of(audio.mean(axis=1), rate_hz)
    return Sample(
        audio=stored(desk, audio, rate_hz, name),
        name=name[:200],
        attack_s=attack_s,
        measured=measure(as_stereo(audio), attack_s, rate_hz),
    )
