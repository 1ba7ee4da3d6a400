"""Features: the names of what is known of a candidate at the moment it must be decided, in the order of their
columns, and which of them can speak one way only.
"""

from __future__ import annotations

FEATURES = (
    "under_usual_db",
    "rise_db",
    "over_past_db",
    "rise_low_db",
    "rise_mid_db",
    "rise_high_db",
    "over_spill_low_db",
    "over_spill_mid_db",
    "over_spill_high_db",
    "over_spill_db",
    "over_leaker_db",
    "own_over_others_db",
    "own_part_under_usual_db",
    "leaker_under_usual_db",
    "behind_leaker_hops",
    "louder_elsewhere_db",
    "unlike_own_db",
    "unlike_spill_db",
    "since_last_ms",
    "over_last_db",
    "kick",
    "drum",
    "cymbal",
    "overall",
    "look_ahead_ms",
    "microphones",
    "age_ms",
    "similarity_own",
    "similarity_other",
    "bright_similarity_own",
    "bright_similarity_other",
    "over_ringing_db",
)
FOR = (
    "under_usual_db",
    "rise_db",
    "over_past_db",
    "over_spill_low_db",
    "over_spill_mid_db",
    "over_spill_high_db",
    "over_spill_db",
    "over_leaker_db",
    "own_over_others_db",
    "own_part_under_usual_db",
    "similarity_own",
    "bright_similarity_own",
    "over_ringing_db",
)
AGAINST = ("louder_elsewhere_db", "similarity_other", "bright_similarity_other")
