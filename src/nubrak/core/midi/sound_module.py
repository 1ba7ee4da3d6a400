"""The simulated sound module: MIDI bytes in, the kit's strokes out. It stands in for an instrument that a
person does not have.

Bytes are read as the MIDI 1.0 Detailed Specification has a receiver do it: running status holds until another
status byte, real-time bytes may stand anywhere and end nothing, system common messages end running status, a
note-on of velocity 0 is a note-off.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from nubrak.core.layer import as_stereo, level_of_velocity_db
from nubrak.core.midi.as_parts import piece_of
from nubrak.core.pieces import NoteMap
from nubrak.core.samples import Instrument, Kit, Sample
from nubrak.core.signal import db_to_gain

LONGEST_S = 3.0  # of a sample: it is held in memory
_FADE_S = 0.05  # where that cuts it off
# That follow a status byte (MIDI 1.0 Detailed Specification).
_DATA_BYTES = {0x8: 2, 0x9: 2, 0xA: 2, 0xB: 2, 0xC: 1, 0xD: 1, 0xE: 2}
_COMMON_BYTES = {0xF1: 1, 0xF2: 2, 0xF3: 1}  # the same of system common messages
_NOTE_ON = 0x9  # status of a note-on, upper half of the byte
_HAT_CLOSED, _HAT_PEDAL, _HAT_OPEN = 42, 44, 46  # General MIDI Level 1 percussion key map


@dataclass(frozen=True)
class Remembered:
    """What a receiver remembers between two lots of bytes: the running status, and data bytes of a message
    that has not ended.
    """

    status: int = 0
    data: tuple[int, ...] = ()
    round_robin: dict[str, int] = field(default_factory=dict)


@dataclass(frozen=True)
class Strike:
    """A note to sound."""

    note: int
    velocity: int
    channel: int


def received(stream: bytes, heard: Remembered) -> tuple[list[Strike], Remembered]:
    """The notes that these bytes begin, and what is remembered. Bytes that make no sense are passed over, as
    a receiver must.
    """
    status, data = heard.status, list(heard.data)
    strikes = []
    for byte in stream:
        if byte >= 0xF8:
            continue
        if byte >= 0x80:
            status, data = byte, []
            continue
        if status == 0 or status == 0xF0:
            continue
        data.append(byte)
        wanted = _COMMON_BYTES.get(status, 0) if status >= 0xF0 else _DATA_BYTES[status >> 4]
        if len(data) < wanted:
            continue
        if status >> 4 == _NOTE_ON and data[1] > 0:
            strikes.append(Strike(data[0], data[1], (status & 0xF) + 1))
        data = []
        if status >= 0xF0:
            status = 0
    return strikes, Remembered(status, tuple(data), heard.round_robin)


def fullest(kits: list[Kit]) -> Kit:
    """The kit with the most different pieces, the first of those that have as many; an empty one where there
    is none.
    """
    return max(
        kits, key=lambda kit: len({one.piece for one in kit.instruments.values()}), default=Kit(name="None")
    )


def instrument_for(note: int, kit: Kit) -> Instrument | None:
    """What the kit sounds for a General MIDI percussion note; None where it has nothing like it."""
    by_id = {_HAT_CLOSED: "hat-closed", _HAT_PEDAL: "hat-pedal", _HAT_OPEN: "hat-open"}
    if note in by_id and by_id[note] in kit.instruments:
        return kit.instruments[by_id[note]]
    piece = piece_of(note, NoteMap())
    return next((one for one in kit.instruments.values() if one.piece == piece), None)


def chokes(note: int) -> bool:
    """Whether a stroke silences an open hi-hat that still sounds."""
    return note in (_HAT_CLOSED, _HAT_PEDAL)


def sounded(
    strike: Strike,
    kit: Kit,
    heard: Remembered,
    sample_audio: Callable[[Sample], NDArray[np.float32]],
    rate_hz: int,
) -> tuple[NDArray[np.float32], Remembered]:
    """What a strike sounds like, (frames, 2), full scale 1, faded out where it is cut; and what is remembered
    of turns.
    """
    instrument = instrument_for(strike.note, kit)
    if instrument is None:
        return np.zeros((0, 2), np.float32), heard
    round_robin = instrument.round_robin(strike.velocity)
    turn = heard.round_robin.get(instrument.name, 0)
    sample: Sample = round_robin[turn % len(round_robin)]
    audio = as_stereo(sample_audio(sample))[: round(LONGEST_S * rate_hz)].copy()
    fade = min(round(_FADE_S * rate_hz), len(audio))
    if fade and len(audio) == round(LONGEST_S * rate_hz):
        audio[-fade:] *= np.linspace(1, 0, fade, dtype=np.float32)[:, None]
    under = float(level_of_velocity_db(np.array([strike.velocity]), sample.velocity, 1.0)[0])
    return audio * np.float32(db_to_gain(under)), Remembered(
        heard.status, heard.data, heard.round_robin | {instrument.name: turn + 1}
    )
