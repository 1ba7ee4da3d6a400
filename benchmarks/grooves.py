"""Grooves as drummers know them (common practice), in bars of four, three and six-eight, and how a player
plays them: human timing, a tempo that wanders, ghost strokes, fills, strokes left out. They stand in
``grooves.txt``; rows longer than a bar go over several bars.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from benchmarks.styles import Stroke

_PIECES = {
    "K": "kick", "S": "snare", "H": "hi-hat", "O": "open-hat", "R": "ride", "B": "ride-bell",
    "P": "pedal-hat", "T": "rack-tom", "F": "floor-tom",
}  # fmt: skip
_STRENGTHS = {"X": 112, "x": 92, "o": 60, "g": 34, "-": 88, ",": 34}
_SOMETIMES = {"-": 0.5, ",": 0.5}
CELLS = {"4": 16, "4 triplets": 12, "3": 12, "3 triplets": 9, "6/8": 12}
CELLS_OF_BEAT = {"4": 4, "4 triplets": 3, "3": 4, "3 triplets": 3, "6/8": 6}


@dataclass(frozen=True)
class Groove:
    """One groove: its meter, the tempos it is played at (beats per minute; dotted beats in 6/8), its rows."""

    name: str
    family: str
    meter: str
    slow_bpm: float
    fast_bpm: float
    rows: dict[str, str]
    swing: float = 0.0

    @property
    def beats_per_bar(self) -> int:
        return CELLS[self.meter] // CELLS_OF_BEAT[self.meter]


def _read(text: str) -> list[Groove]:
    """Every groove of a text: a head, then a row for each piece."""
    out: list[Groove] = []
    for line in text.splitlines():
        if line.startswith("#") or not line.strip():
            continue
        if line.startswith(" "):
            key, row = line.split(maxsplit=1)
            out[-1].rows[key] = row.replace(" ", "")
            continue
        name, family, meter, tempo, *swing = (word.strip() for word in line.split(";"))
        slow, fast = (float(one) for one in tempo.split(" to "))
        out.append(Groove(name, family, meter, slow, fast, {}, float(swing[0]) if swing else 0.0))
    return out


GROOVES = _read(Path(__file__).with_suffix(".txt").read_text(encoding="utf-8"))


@dataclass(frozen=True)
class Played:
    """What was played, and the beats it was played to, (n,) in s; the first of them begins a bar."""

    groove: Groove
    bpm: float
    strokes: list[Stroke]
    beats_s: NDArray[np.float64]
    bar_one_s: float


def play(groove: Groove, bpm: float, seed: int, length_s: float = 30.0, wander: bool = True) -> Played:
    """A groove by hands and feet: ``bpm`` beats per minute on the whole, for about ``length_s``."""
    rng = np.random.default_rng([seed, *groove.name.encode()])
    cells, of_beat = CELLS[groove.meter], CELLS_OF_BEAT[groove.meter]
    beats_per_bar = groove.beats_per_bar
    bars = max(4, round(length_s * bpm / 60.0 / beats_per_bar))
    period = 60.0 / bpm
    # The tempo wanders by a per cent or two, slowly, as without a click; or stands, as with one.
    steps = np.zeros(bars * beats_per_bar + 1)
    if wander and rng.random() < 0.7:
        walk = np.cumsum(rng.normal(0, 0.006, len(steps)))
        steps = 0.8 * (walk - np.linspace(walk[0], walk[-1], len(steps))) + rng.uniform(
            -0.02, 0.02
        ) * np.linspace(-1, 1, len(steps))
        steps = np.clip(steps - steps.mean(), -0.06, 0.06)
    lead_s = float(rng.choice([0.0, 0.5, rng.uniform(0.1, 3.0)]))
    beats_s = lead_s + np.concatenate([[0.0], np.cumsum(period * np.exp(steps[:-1]))])
    spread_s = rng.uniform(0.003, 0.012)
    fills = int(rng.choice([4, 8, 8, 1000]))
    lays_s = {key: rng.normal(0, 0.004) for key in groove.rows}
    strokes: list[Stroke] = []

    def hit(cell: float, piece: str, strength: float, late_s: float = 0.0) -> None:
        at = np.interp(cell / of_beat, np.arange(len(beats_s)), beats_s)
        time_s = float(at + rng.normal(0, spread_s) + late_s)
        strokes.append(Stroke(max(time_s, 0.001), piece, int(np.clip(rng.normal(strength, 7), 8, 127))))

    for bar in range(bars):
        filled = bar % fills == fills - 1
        for key, row in groove.rows.items():
            begin = (bar * cells) % len(row)
            for cell, mark in enumerate(row[begin : begin + cells]):
                if mark == "." or (mark in _SOMETIMES and rng.random() > _SOMETIMES[mark]):
                    continue
                if rng.random() < 0.03 or (filled and cell >= cells - of_beat * min(2, beats_per_bar - 1)):
                    continue
                late = groove.swing * (cell % 2) * period / of_beat * 2
                hit(bar * cells + cell, _PIECES[key], _STRENGTHS[mark], late + lays_s[key])
        if rng.random() < 0.15:
            hit(bar * cells + rng.integers(0, cells), "kick", 90)
        if filled:
            step = 1 if of_beat < 6 else 2
            begin = cells - of_beat * min(2, beats_per_bar - 1)
            drums = ("snare", "rack-tom", "floor-tom")
            for number, cell in enumerate(range(begin, cells, step)):
                hit(bar * cells + cell, drums[number * 3 * step // (cells - begin)], 92)
        if (bar and bar % fills == 0) or (bar == 0 and rng.random() < 0.5):
            hit(bar * cells, "crash", 108)
    strokes.sort(key=lambda one: one.time_s)
    return Played(groove, bpm, strokes, beats_s, float(beats_s[0]))


def as_found(played: Played, seed: int = 0) -> list[Stroke]:
    """The strokes as a search gives them: a few missed, a few false ones, a few taken for another piece."""
    rng = np.random.default_rng([seed, *played.groove.name.encode(), 7])
    pieces = sorted({one.piece for one in played.strokes})
    out = []
    for one in played.strokes:
        if rng.random() < (0.02 if one.velocity > 50 else 0.15):
            continue
        piece = str(rng.choice(pieces)) if rng.random() < 0.02 else one.piece
        out.append(Stroke(one.time_s + float(rng.normal(0, 0.001)), piece, one.velocity))
    last = played.strokes[-1].time_s
    for _ in range(round(0.02 * len(out))):
        out.append(Stroke(float(rng.uniform(0, last)), str(rng.choice(pieces)), int(rng.integers(20, 90))))
    return sorted(out, key=lambda one: one.time_s)
