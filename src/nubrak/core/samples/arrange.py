"""Arranging sample files that came in together: which belong to one instrument, which are strengths of it,
and which take turns.

Names come first: words for strength and turn are read from them. Where a name has only numbers, what is heard
decides: files are one instrument if their pitch, length and brightness are those of one drum and their levels
rise with the number, which makes them strengths, or are alike, which makes them turns. All others stay apart:
a folder of numbered one-shots is a folder of sounds.
"""

from __future__ import annotations

import re
from collections import defaultdict
from itertools import pairwise

import numpy as np
from pydantic import BaseModel, Field

from nubrak.core.names import Name
from nubrak.core.pieces import guess_from_name, plain_name
from nubrak.core.samples.kit import LONGEST_SAMPLE_S, MOST_SAMPLES, Instrument, Measured, Sample
from nubrak.core.samples.measure import character

# Words for how hard it was struck, softest first (the trade’s and those of scores).
_STRENGTHS = {
    "ppp": 0,
    "pp": 1,
    "p": 2,
    "mp": 3,
    "mf": 4,
    "f": 5,
    "ff": 6,
    "fff": 7,
    "ghost": 0,
    "soft": 1,
    "softest": 0,
    "quiet": 1,
    "light": 1,
    "medium": 4,
    "med": 4,
    "mid": 4,
    "hard": 6,
    "loud": 6,
    "hardest": 7,
    "accent": 7,
    "full": 6,
}
_NUMBERED = {
    "v": "strength",
    "vel": "strength",
    "velocity": "strength",
    "layer": "strength",
    "lyr": "strength",
    "dyn": "strength",
    "rr": "turn",
    "r": "turn",
    "round": "turn",
    "robin": "turn",
    # These count turns, unless the turn is said as well; then they count whatever the level tells.
    "alt": "maybe",
    "take": "maybe",
    "var": "maybe",
    "hit": "maybe",
}
# How far strokes of one drum lie from their middle (chosen on the kits that ship).
_TURNS_DB = 3.0  # levels of takes of one strength
_BRIGHT_OCTAVES, _LENGTH_OCTAVES, _PITCH_SEMITONES = 0.28, 0.35, 0.7
_STRENGTHS_VARY = 2.5  # times as much where they are strengths
_APART_DB = 4.0  # steps in level from which two samples are taken for two strengths
_ALIKE_DB = 2.0  # levels this close say that the files were brought to one level
_MOST_STRENGTHS = 16  # velocity layers of one instrument; finer ones nobody hears


class ArrivedSample(BaseModel):
    """A sample file that was taken in and measured."""

    audio: str
    name: Name = Field(max_length=4096, description="its file name, with the folders it lies in")
    attack_s: float = Field(ge=0, le=LONGEST_SAMPLE_S)
    measured: Measured


class Named(BaseModel):
    """What a file's name says of its place in an instrument."""

    stem: str = Field(description="the instrument, in small letters")
    called: str = Field(default="", description="the same as it is written")
    strength: float | None = None
    turn: int | None = None
    number: int | None = Field(
        default=None, description="a number of which the name does not say what it counts"
    )
    only_numbers: bool = Field(
        default=False, description="strength or turn is told by bare numbers, or not at all"
    )


def named(path: str) -> Named:
    """Read instrument, strength and turn from a file's path."""
    parts = path.replace("\\", "/").split("/")
    stem = plain_name(parts[-1]).rpartition(".")[0] or plain_name(parts[-1])
    written = re.findall(r"[^\W\d_]+|[0-9]+", re.sub(r"(?<=[^\W\d_A-Z])(?=[A-Z])", " ", stem))
    words = [word.lower() for word in written]
    rest: list[int | str] = []
    out = Named(stem="")
    numbers: list[int] = []
    maybe: int | None = None
    at = 0
    while at < len(words):
        word, after = words[at], words[at + 1] if at + 1 < len(words) else ""
        if word in _NUMBERED and after.isdigit():
            if _NUMBERED[word] == "strength":
                out.strength = float(after)
            elif _NUMBERED[word] == "turn":
                out.turn = int(after)
            else:
                maybe = int(after)
            at += 2
            continue
        if word in _STRENGTHS and rest:
            out.strength = float(_STRENGTHS[word])
        elif word.isdigit() and rest:
            numbers.append(int(word))
        elif word not in _NUMBERED or not rest:
            rest.append(at)
        at += 1
    if maybe is not None and out.turn is None:
        out.turn = maybe
    elif maybe is not None:
        numbers.append(maybe)
    out.only_numbers = out.strength is None and out.turn is None
    if len(numbers) >= 2 and out.only_numbers:
        out.strength, out.turn = float(numbers[-2]), numbers[-1]
        rest += [str(number) for number in numbers[:-2]]
    elif numbers:
        out.number = numbers[-1]
        rest += [str(number) for number in numbers[:-1]]
    # A tom's or crash's own number is part of its name; it comes before the strength or the turn and was put
    # back above.
    if not rest and len(parts) > 1:
        rest = [plain_name(parts[-2])]
    called = [written[one] if isinstance(one, int) else one for one in rest]
    out.called = " ".join(called) or stem
    out.stem = out.called.lower()
    return out


def arranged(files: list[ArrivedSample], each: bool = False) -> list[Instrument]:
    """Instruments of these files, in the order of their names; velocity ranges and turns guessed, all of them
    changeable. With ``each``, every file is an instrument of its own.
    """
    groups: dict[tuple[str, str], list[tuple[ArrivedSample, Named]]] = defaultdict(list)
    for file in sorted(files, key=lambda one: _natural(one.name)):
        says = named(file.name)
        folder = file.name.replace("\\", "/").rpartition("/")[0]
        groups[folder, says.stem].append((file, says))
    out = []
    for (folder, _), group in groups.items():
        numbered = any(says.only_numbers for _, says in group)
        if each or (numbered and not _one_drum(group)):
            out += [_instrument(folder, [one]) for one in group]
        else:
            parts = range(0, len(group), MOST_SAMPLES)
            out += [_instrument(folder, group[first : first + MOST_SAMPLES]) for first in parts]
    return out


def _one_drum(group: list[tuple[ArrivedSample, Named]]) -> bool:
    """Whether files whose names differ only in numbers are strokes of one drum: they sound like one, and
    their levels rise with the number or are alike.
    """
    if len(group) < 2:
        return True
    measured = [file.measured for file, _ in group]
    level = np.array([one.loudness_lkfs for one in measured])
    number = [says.number if says.strength is None else says.strength for _, says in group]
    rises = None not in number and _rises(np.array(number, float), level)
    if not rises and float(np.ptp(level)) > _TURNS_DB:
        return False
    # A stroke that is harder is brighter and rings longer.
    wider = _STRENGTHS_VARY if rises else 1.0
    bright = np.log2(np.maximum([one.bright_hz for one in measured], 1.0))
    length = np.log2(np.maximum([one.length_s for one in measured], 1e-3))
    pitch = [12.0 * np.log2(one.fundamental_hz) for one in measured if one.fundamental_hz]
    return (
        _spread(bright) <= wider * _BRIGHT_OCTAVES
        and _spread(length) <= wider * _LENGTH_OCTAVES
        and (len(pitch) < 2 or _spread(np.array(pitch)) <= _PITCH_SEMITONES)
    )


def _spread(values: np.ndarray) -> float:
    """How far four in five lie from their median; of two, how far they lie apart."""
    if len(values) < 3:
        return float(np.ptp(values))
    return float(np.quantile(np.abs(values - np.median(values)), 0.8, method="higher"))


def _instrument(folder: str, group: list[tuple[ArrivedSample, Named]]) -> Instrument:
    strengths = _strengths(group)
    level = np.array([max(file.measured.loudness_lkfs for file in files) for files in strengths])
    ranges = _ranges(level)
    samples = []
    for files, (low, high, played) in zip(strengths, ranges, strict=True):
        for file in files:
            samples.append(
                Sample(
                    audio=file.audio,
                    name=plain_name(file.name, 200),
                    low_velocity=low,
                    high_velocity=high,
                    velocity=played,
                    attack_s=file.attack_s,
                    measured=file.measured,
                )
            )
    stem = group[0][1].called
    guess = (
        guess_from_name(stem)
        or guess_from_name(group[0][0].name)
        or (guess_from_name(folder) if folder else None)
    )
    own = plain_name(group[0][0].name)
    name = (own.rpartition(".")[0] or own) if len(group) == 1 else stem[:1].upper() + stem[1:]
    made = Instrument(name=name[:120], piece=guess.piece if guess else "else", samples=samples)
    made.words = character(made)
    return made


def _strengths(group: list[tuple[ArrivedSample, Named]]) -> list[list[ArrivedSample]]:
    """The files by strength, softest first; those of one strength take turns."""
    level = np.array([file.measured.loudness_lkfs for file, _ in group])
    if any(says.strength is not None for _, says in group):
        keys = [says.strength if says.strength is not None else float(says.number or 0) for _, says in group]
    elif (
        all(says.number is not None for _, says in group)
        and len(group) > 1
        and _rises(np.array([says.number for _, says in group], float), level)
    ):
        keys = [float(says.number or 0) for _, says in group]
    else:
        keys = _by_level(level)
    found: dict[float, list[int]] = defaultdict(list)
    for place, key in enumerate(keys):
        found[key].append(place)
    # Softest first by what is heard: names count up or down.
    by_level = sorted(found.values(), key=lambda places: float(np.mean(level[places])))
    by_name = [found[key] for key in sorted(found)]
    chosen = by_level if np.ptp(level) > _ALIKE_DB else by_name
    while len(chosen) > _MOST_STRENGTHS:
        chosen = [
            chosen[i] + (chosen[i + 1] if i + 1 < len(chosen) else []) for i in range(0, len(chosen), 2)
        ]
    return [
        [group[place][0] for place in sorted(places, key=lambda one: group[one][1].turn or 0)]
        for places in chosen
    ]


def _rises(number: np.ndarray, level: np.ndarray) -> bool:
    """Whether the level follows the number, up or down, by more than takes of one strength would."""
    if len(number) < 3:
        return bool(np.ptp(level) >= 6.0)
    rank_n, rank_l = np.argsort(np.argsort(number)), np.argsort(np.argsort(level))
    return bool(np.ptp(level) >= 6.0 and abs(np.corrcoef(rank_n, rank_l)[0, 1]) > 0.9)


def _by_level(level: np.ndarray) -> list[float]:
    order = np.argsort(level)
    step = np.concatenate([[0], np.cumsum(np.diff(level[order]) >= _APART_DB)])
    out = np.empty(len(level))
    out[order] = step
    return [float(one) for one in out]


def _ranges(level: np.ndarray) -> list[tuple[int, int, int]]:
    """Lowest, highest and own velocity of every strength, softest first.

    The loudest stands for 127 and the others for what the published law, 40 log10(v / 127), makes of their
    level; where all were brought to one level the range is shared evenly, and all sound at their own level at
    127.
    """
    count = len(level)
    if count == 1:
        return [(1, 127, 127)]
    if float(np.ptp(level)) <= _ALIKE_DB * (count - 1) * 0.5:
        edges = np.round(np.linspace(0, 127, count + 1)).astype(int)
        return [(int(low) + 1, int(high), 127) for low, high in pairwise(edges)]
    velocity = np.clip(np.round(127 * 10.0 ** ((level - level.max()) / 40.0)), 1, 127).astype(int)
    # Every strength keeps a range of its own, however close two lie.
    for place in range(1, count):
        velocity[place] = max(velocity[place], velocity[place - 1] + 1)
    velocity = np.minimum(velocity, 127 - np.arange(count)[::-1])
    tops = [*((velocity[:-1] + velocity[1:]) // 2), 127]
    lows = [1, *(top + 1 for top in tops[:-1])]
    return [(int(low), int(top), int(own)) for low, top, own in zip(lows, tops, velocity, strict=True)]


def _natural(name: str) -> list[tuple[int, int | str]]:
    return [(0, int(part)) if part.isdigit() else (1, part.lower()) for part in re.findall(r"\d+|\D+", name)]
