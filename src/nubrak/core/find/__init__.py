"""Where something may have been struck: one source in, its candidates out, once and at full sensitivity.

Begin with ``search.find_candidates``, which strings the steps together: ``detector`` finds rises, ``attack``
times them, ``templates``, ``matching`` and ``alignment`` match them with the sounds the source repeats,
``bands`` and ``band_envelope`` measure them.
"""

from nubrak.core.find.attack import snap
from nubrak.core.find.band_envelope import EDGES_HZ, FIRST_BAND, REGIONS, STEP_S, onset_power_at, power_at
from nubrak.core.find.bands import BAND_EDGES_HZ, within
from nubrak.core.find.candidates import VERSION, Candidates, from_bytes, join, to_bytes, whole_power_of
from nubrak.core.find.combine import combine_microphones
from nubrak.core.find.onset_power import onset_power_of, rise_in_band
from nubrak.core.find.search import find_candidates, rising_attacks
from nubrak.core.find.slow_onset import begins_at, first_of_each

__all__ = [
    "BAND_EDGES_HZ",
    "EDGES_HZ",
    "FIRST_BAND",
    "REGIONS",
    "STEP_S",
    "VERSION",
    "Candidates",
    "begins_at",
    "combine_microphones",
    "find_candidates",
    "first_of_each",
    "from_bytes",
    "join",
    "onset_power_at",
    "onset_power_of",
    "power_at",
    "rise_in_band",
    "rising_attacks",
    "snap",
    "to_bytes",
    "whole_power_of",
    "within",
]
