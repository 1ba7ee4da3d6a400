"""What is heard: recording and layers of all parts, for any window of time, from one function.

In goes what a session says of itself (``render.Sounding``) and its audio, out come samples.

Begin with ``render``; ``blend`` is the recording against the layers.
"""

from nubrak.core.mix.blend import Blend
from nubrak.core.mix.buses import MOST_BUSES, AmountDb, BusKind, PartsBus, group_of
from nubrak.core.mix.chain import AnyStage, Blocks, KeptChain, Played, Stage, active, through
from nubrak.core.mix.gaps import (
    MOST_GAP_MARKS,
    SAME_STROKE_S,
    SILENCE_DB,
    WHOLE_RING_DB,
    Cleaning,
    GapMark,
    Openings,
    Strokes,
    gap_gain,
    openings_of,
)
from nubrak.core.mix.master import MasterDb, at_master
from nubrak.core.mix.mending import LONGEST_MEND_S, Mend, mended, touching
from nubrak.core.mix.microphone import Microphone, moved, through_microphone
from nubrak.core.mix.recordings import head_of, sharing
from nubrak.core.mix.render import Bus, Mix, ducking, played, render, render_recorded, render_source
from nubrak.core.mix.room import Room, in_room
from nubrak.core.mix.seen import curve_db, drawn_hz, spectrum_db, turned_down_db
from nubrak.core.mix.starting_points import StartingPoint, starting_points
from nubrak.core.mix.trigger import render_click, tick

__all__ = [
    "LONGEST_MEND_S",
    "MOST_BUSES",
    "MOST_GAP_MARKS",
    "SAME_STROKE_S",
    "SILENCE_DB",
    "WHOLE_RING_DB",
    "AmountDb",
    "AnyStage",
    "Blend",
    "Blocks",
    "Bus",
    "BusKind",
    "Cleaning",
    "GapMark",
    "KeptChain",
    "MasterDb",
    "Mend",
    "Microphone",
    "Mix",
    "Openings",
    "PartsBus",
    "Played",
    "Room",
    "Stage",
    "StartingPoint",
    "Strokes",
    "active",
    "at_master",
    "curve_db",
    "drawn_hz",
    "ducking",
    "gap_gain",
    "group_of",
    "head_of",
    "in_room",
    "mended",
    "moved",
    "openings_of",
    "played",
    "render",
    "render_click",
    "render_recorded",
    "render_source",
    "sharing",
    "spectrum_db",
    "starting_points",
    "through",
    "through_microphone",
    "tick",
    "touching",
    "turned_down_db",
]
