"""Which candidates count as hits, and why: candidates, settings and marks in, decisions with reasons and
doubt out.

``evidence`` and ``stroke_probability`` weigh, ``multi_microphone`` does it for a whole kit; begin with
``decision.decide``, one pass over those numbers. ``reason`` says a decision in a sentence, ``second_look``
lists the doubtful ones.
"""

from nubrak.core.decide.decision import decide, threshold_line
from nubrak.core.decide.evidence import Evidence, evidence_of
from nubrak.core.decide.features import AGAINST, FEATURES, FOR
from nubrak.core.decide.multi_microphone import MultiMicrophoneEvidence, leaks_by, weigh, weigh_again
from nubrak.core.decide.reason import clock, reason
from nubrak.core.decide.second_look import WORTH_A_LOOK, Place, places, similar_to
from nubrak.core.decide.settings import MARK_REACH_S, CurvePoint, FindSettings, Mark
from nubrak.core.decide.states import Decisions, State
from nubrak.core.decide.stroke_probability import (
    TAUGHT,
    Forest,
    Taught,
    forest_in,
    log_odds,
    stroke_probability,
)
from nubrak.core.decide.suggest import Suggestion

__all__ = [
    "AGAINST",
    "FEATURES",
    "FOR",
    "MARK_REACH_S",
    "TAUGHT",
    "WORTH_A_LOOK",
    "CurvePoint",
    "Decisions",
    "Evidence",
    "FindSettings",
    "Forest",
    "Mark",
    "MultiMicrophoneEvidence",
    "Place",
    "State",
    "Suggestion",
    "Taught",
    "clock",
    "decide",
    "evidence_of",
    "forest_in",
    "leaks_by",
    "log_odds",
    "places",
    "reason",
    "similar_to",
    "stroke_probability",
    "threshold_line",
    "weigh",
    "weigh_again",
]
