"""Who leaks into whom, and what rings on: candidates of all parts in, the power that others put at each
candidate out.

Begin with ``cancelling`` (each microphone without what the others hear better), ``onsets`` (a part as the
others hear of it), then ``leaks`` (learnt per pair), ``prediction`` (what is due), ``ringing``.
"""

from nubrak.core.spill.cancelling import without_spill
from nubrak.core.spill.found_together import find_together, found_one_by_one
from nubrak.core.spill.in_step import in_step_share
from nubrak.core.spill.leaks import SPREAD_REGIONS, Leak, learn_all
from nubrak.core.spill.onsets import NEVER_DB, PartOnsets, kind_of, loud_first, part_onsets, usual_db
from nubrak.core.spill.prediction import predict
from nubrak.core.spill.ring_out import ring_out_s
from nubrak.core.spill.ringing import echo_share, over_past, over_ringing, rings_s, sustain_ratio

__all__ = [
    "NEVER_DB",
    "SPREAD_REGIONS",
    "Leak",
    "PartOnsets",
    "echo_share",
    "find_together",
    "found_one_by_one",
    "in_step_share",
    "kind_of",
    "learn_all",
    "loud_first",
    "over_past",
    "over_ringing",
    "part_onsets",
    "predict",
    "ring_out_s",
    "rings_s",
    "sustain_ratio",
    "usual_db",
    "without_spill",
]
