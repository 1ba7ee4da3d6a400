"""Who leaks into whom, and what rings on: candidates of all parts in, the power that others put at each candidate out.

Begin with ``onsets`` (a part as the others hear of it), then ``leaks`` (learnt per pair), ``prediction`` (what is due), ``ringing``.
"""

from nubrak.core.spill.leaks import Leak, learn_all
from nubrak.core.spill.onsets import NEVER_DB, Heard, hear, kind_of, loud_first, usual_db
from nubrak.core.spill.prediction import nearest, predict
from nubrak.core.spill.ringing import blooms, echo_share, over_past, over_ringing, rings_s

__all__ = [
    "NEVER_DB",
    "Heard",
    "Leak",
    "blooms",
    "echo_share",
    "hear",
    "kind_of",
    "learn_all",
    "loud_first",
    "nearest",
    "over_past",
    "over_ringing",
    "predict",
    "rings_s",
    "usual_db",
]
