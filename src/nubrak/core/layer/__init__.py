"""What sounds with a part: notes and instruments in, audio out, locked to the recording.

Begin with ``plan``: which sample each note gets; ``voice`` makes samples ready, ``find_lock`` measures
polarity and offset.
"""

from nubrak.core.layer.hats import fitted_hats
from nubrak.core.layer.level_match import UNDER_DB, level_under
from nubrak.core.layer.likeness import (
    STROKE_S,
    Profile,
    added_db,
    apart_db,
    difference_in_words,
    profile,
    strokes_of,
)
from nubrak.core.layer.lock import Lock, Place, Sounding, find_lock, judged
from nubrak.core.layer.lock_settings import LockAgainst, LockSettings
from nubrak.core.layer.microphones import between_microphones
from nubrak.core.layer.overlay import overlay
from nubrak.core.layer.plan import (
    LayerPlan,
    SampleAudio,
    as_stereo,
    level_of_velocity_db,
    plan_layer,
    render_layer,
)
from nubrak.core.layer.settings import HitOffset, Layer, lock_basis
from nubrak.core.layer.voice import Cuts, Voice, cuts, made_ready, ready_key, with_own

__all__ = [
    "STROKE_S",
    "UNDER_DB",
    "Cuts",
    "HitOffset",
    "Layer",
    "LayerPlan",
    "Lock",
    "LockAgainst",
    "LockSettings",
    "Place",
    "Profile",
    "SampleAudio",
    "Sounding",
    "Voice",
    "added_db",
    "apart_db",
    "as_stereo",
    "between_microphones",
    "cuts",
    "difference_in_words",
    "find_lock",
    "fitted_hats",
    "judged",
    "level_of_velocity_db",
    "level_under",
    "lock_basis",
    "made_ready",
    "overlay",
    "plan_layer",
    "profile",
    "ready_key",
    "render_layer",
    "strokes_of",
    "with_own",
]
