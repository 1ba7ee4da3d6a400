"""Sample sets: kits, measuring what comes in, arranging it, SFZ, sound fonts. Audio files in, instruments
out.

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
from nubrak.core.samples.kit import (
    LONGEST_SAMPLE_S,
    MOST_INSTRUMENTS,
    SHIPPED,
    STARTER,
    Instrument,
    Kit,
    Sample,
)
from nubrak.core.samples.measure import attack_of, character, first_sound, measure
from nubrak.core.samples.replay import at_tempo, levels_db, replayed
from nubrak.core.samples.sfz import (
    MOST_KEYS,
    MOST_TEXT,
    inside,
    instruments_of,
    louder_by,
    read_sfz,
    write_sfz,
)
from nubrak.core.samples.sound_font import SoundFont, read_sound_font
from nubrak.core.samples.sound_font_voice import FontKitRead, kit_of_font

__all__ = [
    "FEWEST",
    "LONGEST_SAMPLE_S",
    "MOST_INSTRUMENTS",
    "MOST_KEYS",
    "MOST_SLICES",
    "MOST_TEXT",
    "NEAREST_S",
    "SHIPPED",
    "STARTER",
    "ArrivedSample",
    "Clear",
    "CutMark",
    "CutSettings",
    "Cutout",
    "Donor",
    "FontKitRead",
    "Instrument",
    "Kit",
    "Layered",
    "Sample",
    "Slice",
    "SoundFont",
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
    "first_sound",
    "grid_cuts_s",
    "inside",
    "instruments_of",
    "kit_of_font",
    "layered",
    "levels_db",
    "louder_by",
    "measure",
    "read_sfz",
    "read_sound_font",
    "replayed",
    "said_of",
    "slice_audio",
    "snapped",
    "take_strokes",
    "write_sfz",
]
