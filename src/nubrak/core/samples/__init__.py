"""Sample sets: kits, measuring what comes in, arranging it, SFZ. Audio files in, instruments out.

Begin with ``kit``: what an instrument is.
"""

from nubrak.core.samples.arrange import ArrivedSample, arranged
from nubrak.core.samples.kit import LONGEST_SAMPLE_S, MOST_INSTRUMENTS, STARTER, Instrument, Kit, Sample
from nubrak.core.samples.measure import attack_of, character, measure
from nubrak.core.samples.sfz import MOST_TEXT, inside, instruments_of, read_sfz, write_sfz

__all__ = [
    "LONGEST_SAMPLE_S",
    "MOST_INSTRUMENTS",
    "MOST_TEXT",
    "STARTER",
    "ArrivedSample",
    "Instrument",
    "Kit",
    "Sample",
    "arranged",
    "attack_of",
    "character",
    "inside",
    "instruments_of",
    "measure",
    "read_sfz",
    "write_sfz",
]
