"""The simulated sound module on a session's library: MIDI bytes in, frames of sound out."""

from __future__ import annotations

import struct

import numpy as np

from nubrak.core.midi import Remembered, Strike, chokes, fullest, sounded
from nubrak.core.samples import Kit
from nubrak.desk.desk import Desk
from nubrak.store.kits import all_kits

RATE_HZ = 44100  # what the module sounds at; a page brings it to its own rate


def module_kit(desk: Desk) -> Kit:
    """The kit that the module plays: the fullest there is."""
    return fullest(list(all_kits(desk.engine).values()))


def frame_of(desk: Desk, kit: Kit, strike: Strike, heard: Remembered) -> tuple[bytes, Remembered]:
    """The frame of one strike, and what is remembered. A frame holds note, velocity, whether it silences an
    open hi-hat, a spare byte, then little-endian float32, interleaved stereo.
    """
    audio, heard = sounded(strike, kit, heard, lambda sample: desk.audio.sample(sample, RATE_HZ), RATE_HZ)
    head = struct.pack("<BBBB", strike.note, strike.velocity, chokes(strike.note), 0)
    return head + np.ascontiguousarray(audio, "<f4").tobytes(), heard
