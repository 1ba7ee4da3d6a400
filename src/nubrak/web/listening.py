"""What is heard while choosing: sounds tried in place, brought to level and locked; matched loudness; meters; what would suit."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from nubrak.core.document import Layer
from nubrak.core.edit import changed
from nubrak.core.kit import Instrument
from nubrak.core.layer import as_stereo
from nubrak.core.levelmatch import UNDER_DB, level_under
from nubrak.core.likeness import STROKE_S, Profile, added_db, apart_db, profile, reason, strokes_of
from nubrak.core.lock import lock
from nubrak.core.loudness import SILENT_LKFS, loudness_lkfs
from nubrak.core.meters import EARLY_S, STEP_S, metered
from nubrak.core.mix import Bus
from nubrak.core.pieces import ONLY_HEARD
from nubrak.core.problem import Problem
from nubrak.core.windows import windows_at
from nubrak.store.kits import all_kits, kit_of
from nubrak.web.desk import Desk, Standing
from nubrak.web.layer_looks import laid_out

TRIED = "tried"
_MOST_TRIED = 24
_TRY_HITS = 48  # enough to lock by while a person steps through sounds; the lock shown afterwards hears all
_WINDOW_FRAMES = 1 << 18


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


class Matched(BaseModel):
    """How loud recording, layers and both are over a stretch, and what brings them to one loudness: never louder, so that nothing clips."""

    recording_lkfs: float
    layers_lkfs: float
    both_lkfs: float
    recording_db: float
    layers_db: float
    both_db: float


class MeterColumns(BaseModel):
    """Peak and momentary loudness ten times a second."""

    peak_db: list[float]
    loudness_lkfs: list[float]


class PartMeters(BaseModel):
    """One part's meters."""

    part_id: str
    recording: MeterColumns
    layers: MeterColumns


class Meters(BaseModel):
    """The meters of a stretch."""

    step_s: float
    start_s: float
    parts: list[PartMeters]
    whole: MeterColumns


def heard_parts(standing: Standing, part: str | None, backing: bool = True) -> list[str]:
    """The parts that are heard: one, all, or all but those that are only played along to."""
    if part is not None:
        standing.document.part(part)
        return [part]
    return [part_id for part_id, one in standing.document.ordered_parts() if backing or one.piece != ONLY_HEARD]


def fitted(desk: Desk, standing: Standing, part_id: str, instrument: Instrument, instead_of: Layer | None, most: int | None = None) -> Layer:
    """An instrument as a layer: locked to the recording, and as loud as the layer it is put in place of, or 6 dB under the recording."""
    layer = changed(instead_of, {"each": []}).model_copy(update={"instrument": instrument}) if instead_of else Layer(instrument=instrument)
    if not instead_of:
        layer = changed(layer, _articulation(standing, part_id, instrument))
    try:
        hits, _, sounds = laid_out(desk, standing, part_id, layer, most)
        hits_before, _, sounds_before = laid_out(desk, standing, part_id, instead_of, most) if instead_of else (hits, None, [])
    except Problem:
        return layer  # nothing was recorded that it could be held against
    part, rate = standing.document.part(part_id), standing.document.rate_hz
    recording = desk.source_mono(standing.document.source(part.sources[0]), rate)
    found = lock(recording, hits, sounds, rate)
    wanted = UNDER_DB
    if instead_of is not None:
        before = level_under(recording, hits_before, sounds_before, rate)
        wanted = before if before is not None else wanted
    under = level_under(recording, hits, sounds, rate)
    level_db = layer.level_db + (under - wanted if under is not None else 0.0)
    return changed(layer, {"polarity": found.polarity, "offset_samples": found.offset_samples, "level_db": round(float(np.clip(level_db, -60, 24)), 1)})


def _articulation(standing: Standing, part_id: str, instrument: Instrument) -> dict[str, list[int]]:
    """Which notes of a part an instrument sounds on, and which silence it, where the part has several and the instrument is one of them."""
    there = set(standing.notes(part_id).each_number.tolist())
    if instrument.key is None or instrument.key not in there or len(there) < 2:
        return {}
    return {"notes": [instrument.key], "silenced_by": [number for number in instrument.silenced_by if number in there and number != instrument.key]}


def instrument_of(desk: Desk, kit_id: str, instrument_id: str) -> Instrument:
    """An instrument of the library; a ``Problem`` where it is not there."""
    found = kit_of(desk.engine, kit_id).instruments.get(instrument_id)
    if found is None:
        raise Problem("This sound is not in its kit any more.", todo="Choose another.", kind="missing")
    return found


def with_tried(desk: Desk, standing: Standing, part_id: str, layer_id: str | None, kit_id: str, instrument_id: str) -> Standing:
    """The session with a sound tried in place of a layer, or as a new one, without anything being changed."""
    instrument = instrument_of(desk, kit_id, instrument_id)
    # By what it is and not by its name alone: a kit may be changed while its sounds are tried.
    key = (standing.state.id, standing.state.revision, part_id, layer_id, instrument.model_dump_json())
    kept = desk.tried.get(key)
    if kept is None:
        layers = standing.document.part(part_id).layers
        layer = fitted(desk, standing, part_id, instrument, layers.get(layer_id or ""), _TRY_HITS)
        kept = desk.with_layer(standing, part_id, layer_id if layer_id in layers else TRIED, layer)
        desk.tried[key] = kept
        while len(desk.tried) > _MOST_TRIED:
            desk.tried.popitem(last=False)
    return kept


def suggestions(desk: Desk, standing: Standing, part_id: str, by: Literal["likeness", "adds"]) -> Suggestions:
    """The library's instruments for a part by how alike they are to its recorded strokes, or by what they would add."""
    part, rate = standing.document.part(part_id), standing.document.rate_hz
    hits = standing.struck(part_id)
    if not part.sources or not len(hits):
        raise Problem("This part has no recorded stroke to compare sounds with.", todo="Keep some hits, or choose by ear.")
    recorded = profile(strokes_of(desk.source_mono(standing.document.source(part.sources[0]), rate), hits, rate), rate)
    found = []
    for kit_id, kit in all_kits(desk.engine).items():
        for instrument_id, instrument in kit.instruments.items():
            sound = _profile_of(desk, instrument, rate)
            found.append(Suits(
                kit_id=kit_id, instrument_id=instrument_id, apart_db=round(apart_db(recorded, sound), 1), added_db=round(added_db(recorded, sound, UNDER_DB), 2),
                said=reason(recorded, sound),
            ))
    found.sort(key=(lambda one: one.apart_db) if by == "likeness" else (lambda one: -one.added_db))
    return Suggestions(by=by, sounds=found)


def _profile_of(desk: Desk, instrument: Instrument, rate_hz: int) -> Profile:
    """The profile of an instrument's hardest strokes."""
    turns = instrument.turns(127)[:4]
    key = (" ".join(f"{sample.audio}{sample.attack_s}" for sample in turns), rate_hz)
    kept = desk.profiles.get(key)
    if kept is None:
        plain = Layer(instrument=instrument)
        rows = []
        for sample in turns:
            audio, attack = desk.voiced(sample, plain, rate_hz)
            rows.append(windows_at(as_stereo(audio).mean(axis=1), np.array([attack]), round(STROKE_S * rate_hz))[0])
        desk.profiles[key] = kept = profile(np.stack(rows), rate_hz)
    return kept


def matched(desk: Desk, standing: Standing, parts: list[str], start: int, end: int) -> Matched:
    """The loudness of what is heard from sample ``start`` to ``end``, and the gains that bring the three to one."""
    loud = {}
    buses: tuple[Bus, ...] = ("recording", "layers", "both")
    for bus in buses:
        loud[bus] = loudness_lkfs(_windows(desk, standing, bus, parts, start, end), standing.document.rate_hz)
    sounding = [value for value in loud.values() if value > SILENT_LKFS]
    least = min(sounding, default=SILENT_LKFS)
    down = {bus: round(least - value, 2) if value > SILENT_LKFS else 0.0 for bus, value in loud.items()}
    return Matched(
        recording_lkfs=round(loud["recording"], 1), layers_lkfs=round(loud["layers"], 1), both_lkfs=round(loud["both"], 1),
        recording_db=down["recording"], layers_db=down["layers"], both_db=down["both"],
    )


def _windows(desk: Desk, standing: Standing, bus: Bus, parts: list[str], start: int, end: int) -> Iterator[NDArray[np.float32]]:
    for at in range(start, end, _WINDOW_FRAMES):
        yield desk.window(standing, bus, parts, at, min(_WINDOW_FRAMES, end - at), solo=True)


def meters(desk: Desk, standing: Standing, parts: list[str], start: int, frames: int) -> Meters:
    """The meters of these parts and of all of them together, from sample ``start`` on."""
    rate = standing.document.rate_hz
    early = min(round(EARLY_S * rate), start)
    lines = []
    for part_id in parts:
        recording, layers = (desk.window(standing, bus, [part_id], start - early, early + frames, solo=True) for bus in _APART)
        lines.append(PartMeters(part_id=part_id, recording=_columns(recording, rate, early), layers=_columns(layers, rate, early)))
    # Not the sum of the lines: a source that two parts share sounds once.
    whole = desk.window(standing, "both", parts, start - early, early + frames, solo=True)
    return Meters(step_s=STEP_S, start_s=start / rate, parts=lines, whole=_columns(whole, rate, early))


_APART: tuple[Bus, Bus] = ("recording", "layers")


def _columns(sound: NDArray[np.float32], rate_hz: int, early: int) -> MeterColumns:
    peak, loud = metered(sound, rate_hz, early)
    return MeterColumns(peak_db=np.round(peak, 1).tolist(), loudness_lkfs=np.round(loud, 1).tolist())
