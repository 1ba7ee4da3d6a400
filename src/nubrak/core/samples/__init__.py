"""Sample sets: kits, measuring what comes in, arranging it, SFZ. Audio files in, instruments out.

Begin with ``kit``: what an instrument is.
"""

from nubrak.core.samples.arrange import ArrivedSample, arranged
from nubrak.core.samples.cutting import (
    MOST_SLICES,
    CutMark,
    CutSettings,
    Slice,
    Step,
    cut,
    grid_cuts_s,
    slice_audio,
    snapped,
)
from nubrak.core.samples.kit import LONGEST_SAMPLE_S, MOST_INSTRUMENTS, STARTER, Instrument, Kit, Sample
from nubrak.core.samples.measure import attack_of, character, measure
from nubrak.core.samples.replay import at_tempo, levels_db, replayed
from nubrak.core.samples.sfz import MOST_TEXT, inside, instruments_of, read_sfz, write_sfz

__all__ = [
    "LONGEST_SAMPLE_S",
    "MOST_INSTRUMENTS",
    "MOST_SLICES",
    "MOST_TEXT",
    "STARTER",
    "ArrivedSample",
    "CutMark",
    "CutSettings",
    "Instrument",
    "Kit",
    "Sample",
    "Slice",
    "Step",
    "arranged",
    "at_tempo",
    "attack_of",
    "character",
    "cut",
    "grid_cuts_s",
    "inside",
    "instruments_of",
    "levels_db",
    "measure",
    "read_sfz",
    "replayed",
    "slice_audio",
    "snapped",
    "write_sfz",
]
