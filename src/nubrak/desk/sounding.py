"""What written strokes sound like at once: one stroke of a part, and a kit for all parts together."""

from __future__ import annotations

import secrets

import numpy as np
from numpy.typing import NDArray

from nubrak.core.layer import UNDER_DB, Voice, render_layer
from nubrak.core.problem import Problem
from nubrak.core.samples import STARTER, Instrument, Kit, Sample
from nubrak.core.session import LayerPut, LayerValue, SoundWith
from nubrak.core.shape import Notes
from nubrak.core.signal import db_to_gain
from nubrak.desk.desk import Desk
from nubrak.desk.standing import Standing
from nubrak.desk.trying import fitted
from nubrak.desk.writing import AS_WRITTEN, on_its_notes, parts_of
from nubrak.store.kits import all_kits, kit_of
from nubrak.store.sessions import SessionState

_AT_S = 1.0  # where a single stroke stands while it is made: room for a layer that comes early
_BEFORE_S = 0.002
_RINGS_S = 1.6  # of a stroke that is heard by itself
_RECORDED_S = 0.45  # of a recorded one, before the next is heard with it
_FADE_S = 0.05


def stroke_sound(
    desk: Desk, standing: Standing, part_id: str, velocity: int, note: int | None
) -> NDArray[np.float32]:
    """One stroke of a part as its layers sound it, (frames, 2) at the session's rate; without layers the
    recorded stroke that is most nearly as hard; silence where there is neither.
    """
    document, rate = standing.document, standing.document.rate_hz
    part, notes = document.part(part_id), standing.notes(part_id)
    on = [layer for layer in part.layers.values() if layer.on]
    start, frames = round((_AT_S - _BEFORE_S) * rate), round(_RINGS_S * rate)
    if not on:
        return _recorded(desk, standing, part_id, notes, velocity)
    number = notes.number if note is None else note
    one = Notes(
        time_s=np.array([_AT_S]),
        velocity=np.array([velocity], np.int64),
        number=number,
        channel=notes.channel,
        length_beats=notes.length_beats,
        row=np.array([-1], np.int64),
    )

    def voiced(sample: Sample, voice: Voice) -> tuple[NDArray[np.float32], int]:
        return desk.audio.voiced(sample, voice, rate)

    out = np.zeros((frames, 2), np.float32)
    for layer in on:
        out += render_layer(layer, one, voiced, rate, start, frames, document.tempo)
    return _faded(out * np.float32(db_to_gain(part.blend.layers_db)), rate)


def _recorded(
    desk: Desk, standing: Standing, part_id: str, notes: Notes, velocity: int
) -> NDArray[np.float32]:
    rate, played = standing.document.rate_hz, np.nonzero(notes.row >= 0)[0]
    frames = round(_RECORDED_S * rate)
    if not len(played):
        return np.zeros((frames, 2), np.float32)
    row = played[np.argmin(np.abs(notes.velocity[played] - velocity))]
    at_s = float(standing.decisions(part_id).time_s[notes.row[row]])
    start = max(round((at_s - _BEFORE_S) * rate), 0)
    return _faded(desk.window(standing, "recording", [part_id], start, frames), rate)


def _faded(sound: NDArray[np.float32], rate_hz: int) -> NDArray[np.float32]:
    """Sound faded out at its end, and cut off where it has become silent."""
    loud = np.nonzero(np.abs(sound).max(axis=1) > 1e-5)[0]
    out = sound[: int(loud[-1]) + 1 if len(loud) else 0].copy()
    fade = min(round(_FADE_S * rate_hz), len(out))
    if fade and len(out) == len(sound):
        out[-fade:] *= np.linspace(1.0, 0.0, fade, dtype=np.float32)[:, None]
    return out


def sound_with(desk: Desk, session_id: str, revision: int, kit_id: str) -> SessionState:
    """Let what is written of every part whose piece a kit has sound with it, as loud as the part was
    recorded. Pieces that it lacks stay as they are, and sound with the starter kit where they had nothing.
    """
    standing, kit = desk.standing(session_id), kit_of(desk.engine, kit_id)
    starter = all_kits(desk.engine).get(STARTER, Kit(name="none"))
    layers, lacking = {}, True
    for part_id in parts_of(standing):
        part = standing.document.parts[part_id]
        found = kit.for_piece(part.piece)
        # What the kit lacks is not to be silent where nothing else sounds.
        if not found and not part.layers:
            found = starter.for_piece(part.piece)
        lacking = lacking and not kit.for_piece(part.piece)
        if found:
            layers[part_id] = {
                secrets.token_hex(4): LayerPut(
                    instrument=one, changes=_as_written(desk, standing, part_id, one, found)
                )
                for one in found
            }
    if lacking:
        raise Problem(f"“{kit.name}” has no sound for any piece of this session.", todo="Choose another kit.")
    action = SoundWith(kind="sound_with", said=kit.name, layers=layers)
    return desk.sessions.edit(session_id, revision, action)


def _as_written(
    desk: Desk, standing: Standing, part_id: str, instrument: Instrument, beside: list[Instrument]
) -> dict[str, LayerValue]:
    """How an instrument is put with what is written: locked and as loud as what was recorded."""
    out: dict[str, LayerValue] = dict(AS_WRITTEN)
    if standing.document.parts[part_id].sources:
        layer = fitted(desk, standing, part_id, instrument, None, most=48)
        level_db = min(layer.level_db + UNDER_DB, 24.0)
        placed: dict[str, LayerValue] = {"polarity": layer.polarity, "offset_samples": layer.offset_samples}
        out |= placed | {"level_db": level_db, "placed_by_hand": False}
    piece = standing.document.parts[part_id].piece
    return out | on_its_notes(standing, piece, instrument, beside)
