"""The sounds that a moment is told apart into: a piece and, after a stroke, how it was struck."""

from __future__ import annotations

from nubrak.core.pieces import plain_of

SOUNDS = (
    "kick",
    "snare",
    "snare/side",
    "clap",
    "hi-hat/closed",
    "hi-hat/half",
    "hi-hat/open",
    "hi-hat/pedal",
    "rack-tom",
    "mid-tom",
    "floor-tom",
    "crash",
    "ride",
    "ride/bell",
    "tambourine",
    "shaker",
    "cowbell",
    "conga",
    "woodblock",
    "else",
)


def piece_of(sound: str) -> str:
    """The piece that makes a sound."""
    return sound.partition("/")[0]


def way_of(sound: str) -> str | None:
    """The articulation of a sound; None where the piece has none."""
    return sound.partition("/")[2] or plain_of(piece_of(sound))


# Pieces that are easily taken for each other.
KINDS: tuple[tuple[str, ...], ...] = (
    ("snare", "clap"),
    ("rack-tom", "mid-tom", "floor-tom"),
    ("crash", "ride"),
    ("tambourine", "shaker", "cowbell", "conga", "woodblock", "else"),
)
PIECES_TOLD = tuple(dict.fromkeys(piece_of(sound) for sound in SOUNDS))
