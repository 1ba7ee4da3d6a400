"""The score: “The Moth and the Lamplighter”, act one, as the theatre's percussionist played it in the
workshop.

All strokes follow from a seed: human timing (each limb drifts a little and lands off the grid), dynamics by
metre, ghost strokes, flams and fills.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

TITLE = "The Moth and the Lamplighter"
BPM = 96.0  # of act one
BARS = 30  # and how long it is
LEAD_S = 0.75  # before bar 1


@dataclass(frozen=True)
class Stroke:
    """One stroke: when its attack leaves the drum, on what, how strong (0 to 1)."""

    time_s: float
    sound: str
    strength: float


def act_one(bpm: float = BPM, bars: int = BARS, seed: int = 1907) -> list[Stroke]:
    """The whole first act, 75 seconds: procession, workshop, the moth's dance, and home."""
    rng = np.random.default_rng(seed)
    beat = 60.0 / bpm
    strokes: list[Stroke] = []
    drift = np.cumsum(rng.normal(0, 0.0012, bars * 4 + 8))
    drift -= np.linspace(0, drift[-1], len(drift))

    def play(beats: float, sound: str, strength: float, loose_ms: float = 4.0) -> None:
        time_s = LEAD_S + beats * beat + float(drift[int(beats)]) + rng.normal(0, loose_ms / 1000)
        strokes.append(
            Stroke(max(time_s, 0.05), sound, float(np.clip(strength + rng.normal(0, 0.035), 0.12, 1.0)))
        )

    for bar in range(bars):
        at = 4.0 * bar
        quiet = 8 <= bar < 12
        dance = 16 <= bar < 24
        fill = bar % 8 == 7
        loud = 0.72 if quiet else 1.0
        for eighth in range(4 if fill else 8):
            accent = 0.86 if eighth % 2 == 0 else 0.62
            if dance:
                play(at + eighth / 2 + (0.05 if eighth % 2 else 0), "ride", 0.8 * accent * loud, 5)
            else:
                play(
                    at + eighth / 2,
                    "hat-open" if bar % 4 == 3 and eighth == 7 else "hat-closed",
                    accent * loud,
                    4,
                )
        for place in (0.0, 1.75, 2.5) if bar % 2 else (0.0, 2.0, 2.75):
            if not (fill and place >= 2):
                play(at + place, "kick", (0.94 if place == 0 else 0.82) * loud, 3)
        for place in (1.0, 3.0):
            if not (fill and place > 2):
                play(at + place, "snare", 0.93 * loud, 3.5)
        for sixteenth in rng.choice([3, 5, 6, 7, 9, 11, 13, 14], 3, replace=False):
            if not quiet and not (fill and sixteenth > 7):
                play(at + sixteenth / 4, "snare", 0.42, 6)
        if bar % 8 == 4:
            strokes.append(Stroke(LEAD_S + (at + 1.0) * beat - 0.031, "snare", 0.45))
        if fill:
            for step in range(8):
                sound = (
                    "snare",
                    "snare",
                    "snare",
                    "rack-tom",
                    "rack-tom",
                    "rack-tom",
                    "floor-tom",
                    "floor-tom",
                )[step]
                play(at + 2 + step / 4, sound, 0.78 + 0.12 * (step % 2 == 0), 5)
        if bar % 8 == 0:
            play(at, "crash", 0.9, 3)
    return sorted(strokes, key=lambda stroke: stroke.time_s)


def loop_of_the_moth(bpm: float = 104.0, seed: int = 44) -> list[Stroke]:
    """Two bars for the moth's dance: kick, snare, hats and a tambourine through one microphone."""
    rng = np.random.default_rng(seed)
    beat = 60.0 / bpm
    rows = [(p, "kick", 0.9) for p in (0, 1.5, 2.5, 4, 5.5, 6.75)] + [(p, "snare", 0.9) for p in (1, 3, 5, 7)]
    rows += [(p, "snare", 0.32) for p in (1.75, 4.75, 6.25)] + [
        (p / 2, "hat-closed", 0.8 if p % 2 == 0 else 0.55) for p in range(16)
    ]
    rows += [(3.5, "tambourine", 0.7), (7.5, "tambourine", 0.75)]
    return sorted(
        (
            Stroke(
                max(p * beat + rng.normal(0, 0.004), 0.0), s, float(np.clip(v + rng.normal(0, 0.03), 0.15, 1))
            )
            for p, s, v in rows
        ),
        key=lambda k: k.time_s,
    )


def claps_of_the_audience(bpm: float = 96.0, seed: int = 12) -> list[Stroke]:
    """Sixteen bars of one person's claps on two and four, with a double now and then."""
    rng = np.random.default_rng(seed)
    beat = 60.0 / bpm
    rows = [(4 * bar + p, 0.85) for bar in range(8) for p in (1, 3)] + [
        (4 * bar + 3.5, 0.6) for bar in range(1, 8, 2)
    ]
    return sorted(
        (
            Stroke(
                0.5 + p * beat + rng.normal(0, 0.009), "clap", float(np.clip(v + rng.normal(0, 0.07), 0.2, 1))
            )
            for p, v in rows
        ),
        key=lambda k: k.time_s,
    )
