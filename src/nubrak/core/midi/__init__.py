"""MIDI: bytes, writing, reading, what a file that came back differs in, the simulated sound module.

Notes in, files out, and back. Begin with ``write``.
"""

from nubrak.core.midi.as_parts import parts_of, piece_of
from nubrak.core.midi.clock import TICKS_PER_QUARTER, USUAL_TICKS, Clock, clock, half_tick_ms
from nubrak.core.midi.difference import midi_difference
from nubrak.core.midi.merge import Left, Proposal, proposals
from nubrak.core.midi.read import MOST_BYTES, ReadMidi, read_midi
from nubrak.core.midi.sound_module import Remembered, Strike, chokes, fullest, received, sounded
from nubrak.core.midi.write import Track, clock_of, from_bar_one_s, midi_file

__all__ = [
    "MOST_BYTES",
    "TICKS_PER_QUARTER",
    "USUAL_TICKS",
    "Clock",
    "Left",
    "Proposal",
    "ReadMidi",
    "Remembered",
    "Strike",
    "Track",
    "chokes",
    "clock",
    "clock_of",
    "from_bar_one_s",
    "fullest",
    "half_tick_ms",
    "midi_difference",
    "midi_file",
    "parts_of",
    "piece_of",
    "proposals",
    "read_midi",
    "received",
    "sounded",
]
