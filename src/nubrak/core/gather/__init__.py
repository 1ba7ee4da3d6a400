"""What was recorded: reading files and their time stamps, what a file is, what belongs together.

Files in, facts and guesses out. Begin with ``read``.
"""

from nubrak.core.gather.belonging import other_half, same_piece, takes_of
from nubrak.core.gather.guess import LEAST_STROKES, TAUGHT, guess_from_sound, spectral_shape
from nubrak.core.gather.read import AudioFacts, audio_blocks, inspect, one_channel, read_mono, time_stamp_s

__all__ = [
    "LEAST_STROKES",
    "TAUGHT",
    "AudioFacts",
    "audio_blocks",
    "guess_from_sound",
    "inspect",
    "one_channel",
    "other_half",
    "read_mono",
    "same_piece",
    "spectral_shape",
    "takes_of",
    "time_stamp_s",
]
