"""Which sounds of the library suit a part: what is like its recorded strokes, or adds what they lack."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import BaseModel, Field

from nubrak.core.layer import (
    STROKE_S,
    UNDER_DB,
    Layer,
    Profile,
    added_db,
    apart_db,
    as_stereo,
    difference_in_words,
    profile,
    strokes_of,
)
from nubrak.core.pieces import kinds_apart
from nubrak.core.problem import Problem
from nubrak.core.samples import Instrument
from nubrak.core.signal import windows_at
from nubrak.desk.desk import Desk
from nubrak.desk.standing import Standing
from nubrak.store.kits import all_kits


class Suits(BaseModel):
    """One instrument of the library against a part's recorded strokes."""

    kit_id: str
    instrument_id: str
    apart_db: float = Field(description="how far it is from what was recorded")
    added_db: float = Field(description="what it would add, 6 dB under the recording")
    said: str


class Suggestions(BaseModel):
    """The library's sounds for a part, what suits best first."""

    by: Literal["likeness", "adds"]
    sounds: list[Suits]


def suggestions(desk: Desk, standing: Standing, part_id: str, by: Literal["likeness", "adds"]) -> Suggestions:
    """The library's instruments for a part by how alike they are to its recorded strokes, or by what they
    would add.
    """
    part, rate = standing.document.part(part_id), standing.document.rate_hz
    hits = standing.struck(part_id)
    if not part.sources or not len(hits):
        raise Problem(
            "This part has no recorded stroke to compare sounds with.",
            todo="Keep some hits, or choose by ear.",
        )
    recorded = profile(
        strokes_of(desk.audio.source_mono(standing.document.source(part.sources[0]), rate), hits, rate), rate
    )
    found: list[Suits] = []
    kinds: dict[tuple[str, str], int] = {}
    for kit_id, kit in all_kits(desk.engine).items():
        for instrument_id, instrument in kit.instruments.items():
            sound = _profile_of(desk, instrument, rate)
            kinds[kit_id, instrument_id] = kinds_apart(part.piece, instrument.piece)
            found.append(
                Suits(
                    kit_id=kit_id,
                    instrument_id=instrument_id,
                    apart_db=round(apart_db(recorded, sound), 1),
                    added_db=round(added_db(recorded, sound, UNDER_DB), 2),
                    said=difference_in_words(recorded, sound),
                )
            )
    if by == "likeness":
        # A cymbal whose noise is like that of the wires is still no snare.
        found.sort(key=lambda one: (kinds[one.kit_id, one.instrument_id], one.apart_db))
    else:
        found.sort(key=lambda one: -one.added_db)
    return Suggestions(by=by, sounds=found)


def _profile_of(desk: Desk, instrument: Instrument, rate_hz: int) -> Profile:
    """The profile of an instrument's hardest strokes."""
    round_robin = instrument.round_robin(127)[:4]
    key = (" ".join(f"{sample.audio}{sample.attack_s}" for sample in round_robin), rate_hz)
    with desk.lock:
        kept = desk.profiles.get(key)
    if kept is None:
        plain = Layer(instrument=instrument)
        rows = []
        for sample in round_robin:
            audio, attack = desk.audio.voiced(sample, plain, rate_hz)
            rows.append(
                windows_at(as_stereo(audio).mean(axis=1), np.array([attack]), round(STROKE_S * rate_hz))[0]
            )
        kept = profile(np.stack(rows), rate_hz)
        with desk.lock:
            desk.profiles[key] = kept
    return kept
