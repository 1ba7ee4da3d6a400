"""Sample sets: kits, measuring what comes in, arranging it, SFZ. Audio files in, instruments out.

Begin with ``kit``: what an instrument is.
"""

from nubrak.core.samples.arrange import ArrivedSample, arranged
from nubrak.core.samples.clearest import Clear, Layered, clearest, layered
from nubrak.core.samples.cutting import (
    MOST_SLICES,
    NEAREST_S,
    CutMark,
    CutSettings,
    Slice,
    Step,
    cut,
    grid_cuts_s,
    slice_audio,
    snapped,
)
from nubrak.core.samples.donors import Donor, donors
from nubrak.core.samples.from_recording import (
    FEWEST,
    Cutout,
    as_sample,
    cut_out,
    cutout,
    said_of,
    take_strokes,
)
from nubrak.core.samples.kit import LONGEST_SAMPLE_S, MOST_INSTRUMENTS, STARTER, Instrument, Kit, Sample
from nubrak.core.samples.measure import attack_of, character, measure
from nubrak.core.samples.replay import at_tempo, levels_db, replayed
from nubrak.core.samples.sfz import MOST_TEXT, inside, instruments_of, read_sfz, write_sfz

__all__ = [
    "FEWEST",
    "LONGEST_SAMPLE_S",
    "MOST_INSTRUMENTS",
    "MOST_SLICES",
    "MOST_TEXT",
    "NEAREST_S",
    "STARTER",
    "ArrivedSample",
    "Clear",
    "CutMark",
    "CutSettings",
    "Cutout",
    "Donor",
    "Instrument",
    "Kit",
    "Layered",
    "Sample",
    "Slice",
    "Step",
    "arranged",
    "as_sample",
    "at_tempo",
    "attack_of",
    "character",
    "clearest",
    "cut",
    "cut_out",
    "cutout",
    "donors",
    "grid_cuts_s",
    "inside",
    "instruments_of",
    "layered",
    "levels_db",
    "measure",
    "read_sfz",
    "replayed",
    "said_of",
    "slice_audio",
    "snapped",
    "take_strokes",
    "write_sfz",
]
