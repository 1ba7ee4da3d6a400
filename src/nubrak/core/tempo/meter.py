"""Meter: how well hits read as bars of a family of grooves, by what is usually struck where in its bar."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from scipy.special import betaln

Hits = Mapping[str, tuple[NDArray[np.float64], NDArray[np.float64]]]


@dataclass(frozen=True)
class Family:
    """Grooves that divide their bar alike; ``usual`` is how many of all are of it (from memory)."""

    name: str
    beats: int  # in a bar: dotted ones in six-eight
    cells: int  # in a beat
    beats_per_bar: int  # as it is written
    beat_unit: int
    usual: float

    @property
    def bar(self) -> int:
        return self.beats * self.cells

    @property
    def quarters(self) -> float:
        """Quarter notes in a beat."""
        return self.beats_per_bar * 4.0 / self.beat_unit / self.beats


FAMILIES = (
    Family("back", 4, 4, 4, 4, 0.40),
    Family("four", 4, 4, 4, 4, 0.08),
    Family("half", 4, 4, 4, 4, 0.07),
    Family("even", 4, 4, 4, 4, 0.13),
    Family("swung", 4, 3, 4, 4, 0.12),
    Family("swung half", 4, 3, 4, 4, 0.02),
    Family("triplets", 4, 3, 12, 8, 0.03),
    Family("three", 3, 4, 3, 4, 0.05),
    Family("three swung", 3, 3, 3, 4, 0.03),
    Family("six", 2, 6, 6, 8, 0.07),
)
CHANNELS = (
    "kick", "snare", "ghost", "hat", "hat accent", "ride", "ride accent", "pedal", "tom", "crash", "other",
    "other accent",
)  # fmt: skip
_CHANNEL_OF = {
    "kick": "kick", "snare": "snare", "clap": "snare", "hi-hat": "hat", "open-hat": "hat", "half-hat": "hat",
    "pedal-hat": "pedal", "ride": "ride", "ride-bell": "ride", "rack-tom": "tom", "floor-tom": "tom",
    "crash": "crash",
}  # fmt: skip
ACCENTS = {"hat accent": "hat", "ride accent": "ride", "other accent": "other"}
_ACCENT_SHARE, _MOST_ACCENTS, _LOUD_SHARE = 0.82, 0.92, 0.6  # of the loud strokes of a piece
_SPREAD_S = 0.013  # of a hand about its place (common practice)
_USUAL_CELL_S = 0.12
_BESIDE = 0.06  # of the strokes are on no cell: graces, false ones
_MIXED = 0.5  # of what is played mixes grooves
# Bars repeat themselves and pieces go together: so many strokes tell as much as one that stood alone.
EVIDENCE_COUNTS = 9.0
_BEYOND = 0.08  # natural logarithm of a tempo: how far beyond its usual ones a groove is played


@dataclass(frozen=True)
class Taught:
    """What the grooves of each family strike where: by family and channel mean rates, (grooves + 1, cells of
    a bar), the last of them their mean; how much a groove is held to them; and by family the slowest and the
    fastest tempo each is played at, (grooves, 2), as natural logarithms of beats per minute.
    """

    rates: list[dict[str, NDArray[np.float64]]]
    held: float
    tempo: list[NDArray[np.float64]]

    def likely(self, family: int, bpm: float) -> NDArray[np.float64]:
        """How likely each groove is to be played, at this tempo among all, as logarithms, (grooves + 1,)."""
        slow, fast = self.tempo[family].T
        outside = np.maximum(np.maximum(slow - np.log(bpm), np.log(bpm) - fast), 0.0)
        each = -0.5 * (outside / _BEYOND) ** 2 - np.log(fast - slow + _BEYOND * np.sqrt(2.0 * np.pi))
        all_of = np.append(each, _log_sum(each[:, None]) - np.log(len(each)))
        return np.asarray(all_of - np.log(len(all_of)) + np.log(FAMILIES[family].usual))


@cache
def taught() -> Taught:
    """What ships with the product; `python -m benchmarks.learn_tempo` makes it."""
    with np.load(Path(__file__).parent / "meters.npz") as kept:
        tables = {key: kept[key].astype(np.float64) for key in kept.files}
    rates = [{name: tables[f"{family.name}/{name}"] for name in CHANNELS} for family in FAMILIES]
    return Taught(rates, float(tables["held"]), [tables[f"{family.name}/tempo"] for family in FAMILIES])


def channels_of(hits: Hits) -> dict[str, NDArray[np.float64]]:
    """Hits by piece, times (n,) in s and weights (n,), as times by what they say in a bar."""
    out: dict[str, list[NDArray[np.float64]]] = {}
    for piece, (time_s, weight) in hits.items():
        if not len(time_s):
            continue
        loud = float(np.percentile(weight, 90))
        channel = _CHANNEL_OF.get(piece, "other")
        if channel == "snare":
            full = weight >= _LOUD_SHARE * loud
            out.setdefault("snare", []).append(time_s[full])
            out.setdefault("ghost", []).append(time_s[~full])
            continue
        out.setdefault(channel, []).append(time_s)
        if f"{channel} accent" in ACCENTS:
            accent = weight >= _ACCENT_SHARE * loud
            # Where all are alike, none is one.
            if accent.mean() < _MOST_ACCENTS:
                out.setdefault(f"{channel} accent", []).append(time_s[accent])
    return {name: np.sort(np.concatenate(times)) for name, times in out.items()}


def occupied(place: NDArray[np.float64], bar: int, bars: int) -> NDArray[np.int64]:
    """In how many of ``bars`` bars each of their ``bar`` cells is struck, (bar,), by strokes at ``place``
    (n,) in cells.
    """
    cell = np.unique(np.round(place).astype(np.int64))
    cell = cell[(cell >= 0) & (cell < bars * bar)]
    return np.bincount(cell % bar, minlength=bar)


def on_cells(place: NDArray[np.float64], cell_s: float) -> float:
    """How much better strokes at ``place`` (n,), in cells of ``cell_s``, lie on cells than anywhere, as a
    logarithm of the odds.
    """
    off_s = (place - np.round(place)) * cell_s
    near = np.exp(-0.5 * (off_s / _SPREAD_S) ** 2) * cell_s / (_SPREAD_S * np.sqrt(2.0 * np.pi))
    # What is beside comes as often in time, however fine the cells are.
    return float(np.log((1.0 - _BESIDE) * near + _BESIDE * cell_s / _USUAL_CELL_S).sum())


def as_bars(
    counts: Mapping[str, NDArray[np.int64]], bars: int, family: int, bpm: float, by: Taught
) -> NDArray[np.float64]:
    """How well strokes read as bars of a family that begin at each cell, (bar,), as logarithms of odds
    against strokes that are anywhere.

    ``counts`` are in how many of ``bars`` bars each cell is struck, by channel; ``bpm`` are beats per minute.
    What a groove strikes in a cell it strikes about as often whoever plays it: a beta-binomial.
    """
    bar = FAMILIES[family].bar
    begin = np.arange(bar)
    turned = (
        begin[None] - begin[:, None]
    ) % bar  # data cell j reads as model cell j - b where bars begin at b
    out, free, whole = np.zeros(bar), np.zeros(bar), np.zeros((1, bar))
    likely = EVIDENCE_COUNTS * by.likely(family, bpm)[:, None]
    usual = float(_log_sum(likely)[0])
    apart, number = likely - usual, np.arange(len(likely))[None, None]
    for name, count in counts.items():
        mean = by.rates[family][name]
        alpha, beta = by.held * mean, by.held * (1.0 - mean)
        # An accent is one of its piece's strokes.
        tries = counts[ACCENTS[name]] if name in ACCENTS else np.full(bar, bars)
        missed = np.maximum(tries - count, 0)
        # Many cells are struck alike; each such way is read once against every cell of the grooves.
        pairs, alike = np.unique(np.stack([count, missed]), axis=1, return_inverse=True)
        ways = betaln(pairs[0][:, None, None] + alpha, pairs[1][:, None, None] + beta) - betaln(alpha, beta)
        each = ways[alike.ravel()[None, :, None], number, turned[:, :, None]].sum(axis=1).T  # (grooves, bar)
        whole = whole + each
        free += _log_sum(each + apart)
        out -= _anywhere(count, missed, name in ACCENTS)
    # One groove throughout, or what one plays on the hat with what another plays on the snare.
    known, mixed = (EVIDENCE_COUNTS * np.log(one) for one in (1.0 - _MIXED, _MIXED))
    out += np.logaddexp(_log_sum(whole + likely) + known, free + usual + mixed)
    return out


def _anywhere(count: NDArray[np.int64], missed: NDArray[np.int64], accent: bool) -> float:
    """The same for strokes that come as rain does, or for accents by lot."""
    struck, all_of = float(count.sum()), float((count + missed).sum())
    if not struck:
        return 0.0
    if not accent:
        return struck * float(np.log(struck / all_of)) - struck
    left = all_of - struck
    return struck * float(np.log(struck / all_of)) + (left * float(np.log(left / all_of)) if left else 0.0)


def _log_sum(x: NDArray[np.float64]) -> NDArray[np.float64]:
    """The logarithm of the sum of exponentials over the first axis, (n, m) to (m,)."""
    most = x.max(axis=0)
    return np.asarray(most + np.log(np.exp(x - most).sum(axis=0)))
