"""Sounds tried in place, locked and brought to level, without anything being changed."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from pydantic import BaseModel, Field

from nubrak.core.layer import UNDER_DB, Layer, level_under
from nubrak.core.mix import Blend
from nubrak.core.problem import Problem
from nubrak.core.samples import Instrument
from nubrak.core.session import AddLayer, LayerValue, SetLayer, changed
from nubrak.desk.desk import Desk
from nubrak.desk.locking import lock_of, recorded_first, struck_by
from nubrak.desk.standing import Standing
from nubrak.store.kits import kit_of
from nubrak.store.sessions import SessionState

TRIED = "tried"
_FITTED = (
    "polarity",
    "offset_samples",
    "level_db",
    "notes",
    "silenced_by",
    "each",
    "placed_by_hand",
)  # what fitting sets
_TRY_HITS = 48  # enough to lock by while a person steps through sounds; the lock shown afterwards hears all


def fitted(
    desk: Desk,
    standing: Standing,
    part_id: str,
    instrument: Instrument,
    instead_of: Layer | None,
    most: int | None = None,
) -> Layer:
    """An instrument as a layer: locked to the recording, and as loud as the layer it is put in place of, or 6
    dB under the recording.
    """
    layer = (
        changed(instead_of, {"each": [], "placed_by_hand": False}).model_copy(
            update={"instrument": instrument}
        )
        if instead_of
        else Layer(instrument=instrument)
    )
    if not instead_of:
        layer = changed(layer, _articulation(standing, part_id, instrument))
    rate = standing.document.rate_hz
    try:
        hits, _, sounds = struck_by(desk, standing, part_id, layer, most)
        recording = recorded_first(desk, standing, part_id)
        wanted = UNDER_DB
        if instead_of is not None:
            hits_before, _, sounds_before = struck_by(desk, standing, part_id, instead_of, most)
            before = level_under(recording, hits_before, sounds_before, rate)
            wanted = before if before is not None else wanted
    except Problem:
        return layer  # nothing was recorded that it could be held against
    under = level_under(recording, hits, sounds, rate)
    louder = float(np.clip(layer.level_db + (under - wanted if under is not None else 0.0), -60, 24))
    changes: dict[str, LayerValue] = {"level_db": round(louder, 1)}
    # How much a flip or a shift gains depends on how loud the layer is.
    changes |= lock_of(desk, standing, part_id, layer, most, louder - layer.level_db).changes()
    return changed(layer, changes)


def _articulation(standing: Standing, part_id: str, instrument: Instrument) -> dict[str, list[int]]:
    """Which notes of a part an instrument sounds on, and which silence it, where the part has several and the
    instrument is one of them.
    """
    there = set(standing.notes(part_id).each_number.tolist())
    if instrument.key is None or instrument.key not in there or len(there) < 2:
        return {}
    # The plain one sounds on all that no other way has: strokes that are divided later get another note.
    others = there - {instrument.key}
    plain = instrument.key == standing.own_note(part_id)
    return {
        "notes": sorted(set(range(128)) - others) if plain else [instrument.key],
        "silenced_by": [
            number for number in instrument.silenced_by if number in there and number != instrument.key
        ],
    }


def instrument_of(desk: Desk, kit_id: str, instrument_id: str) -> Instrument:
    """An instrument of the library; a ``Problem`` where it is not there."""
    found = kit_of(desk.engine, kit_id).instruments.get(instrument_id)
    if found is None:
        raise Problem("This sound is not in its kit any more.", todo="Choose another.", kind="missing")
    return found


def with_tried(
    desk: Desk, standing: Standing, part_id: str, layer_id: str | None, kit_id: str, instrument_id: str
) -> Standing:
    """The session with a sound tried in place of a layer, or as a new one, without anything being changed."""
    instrument = instrument_of(desk, kit_id, instrument_id)
    # By what it is and not by its name alone: a kit may be changed while its sounds are tried.
    key = (standing.state.id, standing.state.revision, part_id, layer_id, instrument.model_dump_json())
    with desk.lock:
        kept = desk.tried.get(key)
    if kept is None:
        layers = standing.document.part(part_id).layers
        layer = fitted(desk, standing, part_id, instrument, layers.get(layer_id or ""), _TRY_HITS)
        kept = desk.with_layer(standing, part_id, layer_id if layer_id in layers else TRIED, layer)
        with desk.lock:
            desk.tried[key] = kept
    return kept


def sounding_hits(desk: Desk, standing: Standing, part_id: str, kit_id: str, instrument_id: str) -> Standing:
    """The session with nothing but a sound of the library on a part's hits, as it lies in its kit, to be
    heard instead of ticks while settings move; without anything being changed.
    """
    document = standing.document.model_copy()
    layer = Layer(instrument=instrument_of(desk, kit_id, instrument_id))
    bare = {"layers": {TRIED: layer}, "layers_chain": [], "chain": [], "blend": Blend()}
    document.parts = document.parts | {part_id: document.part(part_id).model_copy(update=bare)}
    state = standing.state.model_copy(update={"document": document})
    return replace(standing, state=state, _plans={}, _unmixed=[])


class NewLayer(BaseModel):
    """A sound to put with a part: an instrument of the library or one of its own; locked and brought to level
    as it comes in.
    """

    revision: int
    layer_id: str = Field(pattern=r"^[A-Za-z0-9_-]{1,32}$")
    instead: bool = Field(default=False, description="in place of the layer of that id, as loud as it was")
    kit_id: str | None = None
    instrument_id: str | None = None
    instrument: Instrument | None = None


def put_sound(desk: Desk, session_id: str, part_id: str, new: NewLayer) -> SessionState:
    """Put a sound with a part, locked to the recording and about 6 dB under it, or as loud as the one it
    replaces.
    """
    standing = desk.standing(session_id)
    instrument = new.instrument
    if instrument is None:
        if new.kit_id is None or new.instrument_id is None:
            raise Problem("No sound was named.", todo="Choose one from the library.")
        instrument = instrument_of(desk, new.kit_id, new.instrument_id)
    instead = standing.document.part(part_id).layers.get(new.layer_id) if new.instead else None
    layer = fitted(desk, standing, part_id, instrument, instead)
    changes = {name: getattr(layer, name) for name in _FITTED}
    about = {"part_id": part_id, "layer_id": new.layer_id, "instrument": instrument, "changes": changes}
    action = AddLayer(kind="add_layer", **about) if instead is None else SetLayer(kind="set_layer", **about)
    return desk.sessions.edit(session_id, new.revision, action)
