"""What was recorded: reading files and their time stamps, what a file is, what belongs together.

Files in, facts and guesses out, and the edits that put them in a session. Begin with ``read``, then
``arrival``.
"""

from nubrak.core.gather.arrival import Arrival, gather
from nubrak.core.gather.belonging import offered_drums, offered_pairs, possible_sides
from nubrak.core.gather.guess import LISTENED_S, SURE, Heard, guess_from_sound, guess_in_company, guess_piece
from nubrak.core.gather.passes import joined_passes
from nubrak.core.gather.read import AudioFacts, audio_blocks, inspect, one_channel, read_mono, time_stamp_s
from nubrak.core.gather.round_trip import LONGEST_S, round_trip_s

__all__ = [
    "LISTENED_S",
    "LONGEST_S",
    "SURE",
    "Arrival",
    "AudioFacts",
    "Heard",
    "audio_blocks",
    "gather",
    "guess_from_sound",
    "guess_in_company",
    "guess_piece",
    "inspect",
    "joined_passes",
    "offered_drums",
    "offered_pairs",
    "one_channel",
    "possible_sides",
    "read_mono",
    "round_trip_s",
    "time_stamp_s",
]
