"""Hits to notes: how hard, how tight, which note. Decisions and shape settings in, notes out.

Begin with ``notes.shape``; ``velocity``, ``steps`` and ``timing`` are what it does one after the other.
"""

from nubrak.core.shape.best_bar import BarOnsets, best_bar
from nubrak.core.shape.feel import Feel, FeelStep, feel_of, steps_of_bar
from nubrak.core.shape.notes import (
    LengthKind,
    Notes,
    PatternNote,
    ShapeSettings,
    marks_of_hits,
    needs_tempo,
    no_notes,
    shape,
    speaks_of_note,
    usual_db_of,
    velocities,
)
from nubrak.core.shape.pattern import beside_what_is_there, copied, pattern_note, repeated
from nubrak.core.shape.steps import (
    Accents,
    AnyStep,
    EvenOut,
    Ghosts,
    Limits,
    Line,
    LinePoint,
    Raise,
    Randomise,
    Recovery,
    Scale,
    Scope,
    SetTo,
    in_scope,
)
from nubrak.core.shape.timing import FeelUse, Quantise, Timing, deviation_ms
from nubrak.core.shape.velocity import CurveShape, StrengthCurve, StrengthPoint, starting_curve, velocity_of

__all__ = [
    "Accents",
    "AnyStep",
    "BarOnsets",
    "CurveShape",
    "EvenOut",
    "Feel",
    "FeelStep",
    "FeelUse",
    "Ghosts",
    "LengthKind",
    "Limits",
    "Line",
    "LinePoint",
    "Notes",
    "PatternNote",
    "Quantise",
    "Raise",
    "Randomise",
    "Recovery",
    "Scale",
    "Scope",
    "SetTo",
    "ShapeSettings",
    "StrengthCurve",
    "StrengthPoint",
    "Timing",
    "beside_what_is_there",
    "best_bar",
    "copied",
    "deviation_ms",
    "feel_of",
    "in_scope",
    "marks_of_hits",
    "needs_tempo",
    "no_notes",
    "pattern_note",
    "repeated",
    "shape",
    "speaks_of_note",
    "starting_curve",
    "steps_of_bar",
    "usual_db_of",
    "velocities",
    "velocity_of",
]
