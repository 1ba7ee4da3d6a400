"""Grooves for whole loops: any tempo, straight, swung or in six-eight, bars that repeat with the variation of
a hand; on kits, on machines, by hands, or mixed.

Every stroke is drawn from a pattern of one bar per voice. Patterns follow what each piece usually does
(common practice) loosely enough that no place in the bar tells the piece.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True)
class Played:
    """One stroke of a loop: when its attack is wanted, which sound, how hard (1 to 127), and on which drum or
    with which part of the hand, where that sound has several.
    """

    time_s: float
    sound: str
    velocity: int
    which: int = 0


@dataclass
class Groove:
    """A loop's time: ``steps`` of a bar, where each lies in s from the bar's start, and its length."""

    bpm: float
    steps: int
    bars: int
    place_s: NDArray[np.float64] = field(repr=False)
    bar_s: float = 0.0


def draw_time(rng: np.random.Generator) -> Groove:
    """Tempo, feel and length of a loop."""
    bpm, feel = float(rng.uniform(70, 180)), rng.choice(["straight", "straight", "swung", "six-eight"])
    bars = int(rng.choice([2, 2, 4, 4, 8])) if bpm > 100 else int(rng.choice([2, 2, 4]))
    if feel == "six-eight":
        steps, bar_s = 12, 60.0 / bpm * 3  # twelve sixteenths of six eighths
        place = np.arange(12) / 12
    else:
        steps, bar_s = 16, 240.0 / bpm
        place = np.arange(16) / 16
        if feel == "swung":
            late = rng.uniform(0.15, 0.4)
            by_eighth = rng.random() < 0.5
            place = place + (late / 16 * (np.arange(16) % 2) if not by_eighth else 0.0)
            if by_eighth:
                eighth = np.arange(16) % 4 // 2
                place = place + late / 8 * eighth * (1 - 0.5 * (np.arange(16) % 2))
    return Groove(bpm, steps, bars, np.asarray(place) * bar_s, bar_s)


def _line(
    rng: np.random.Generator, groove: Groove, likely: NDArray[np.float64], loud: float, accent: float
) -> dict[int, float]:
    """One bar of a voice: step → velocity."""
    on = rng.random(groove.steps) < likely
    beat = np.arange(groove.steps) % 4 == 0
    return {int(k): loud + accent * float(beat[k]) + float(rng.normal(0, 6)) for k in np.nonzero(on)[0]}


def _every(rng: np.random.Generator, groove: Groove, step: int, first: int = 0) -> NDArray[np.float64]:
    out = np.zeros(groove.steps)
    out[first::step] = 0.97
    return out


def _voice(rng: np.random.Generator, groove: Groove, sound: str) -> dict[int, tuple[str, float]]:
    """One bar of what a sound usually does."""
    steps, half = groove.steps, groove.steps // 2
    loud = float(rng.uniform(55, 110))
    free = rng.random() < 0.2
    if free:
        likely, accent = np.full(steps, rng.uniform(0.08, 0.5)), rng.uniform(0, 25)
    elif sound == "kick":
        likely = np.full(steps, rng.uniform(0.05, 0.25))
        likely[0], likely[half] = 0.95, rng.uniform(0.2, 0.9)
        if rng.random() < 0.25:
            likely = _every(rng, groove, 4 if steps == 16 else 6)
        loud, accent = rng.uniform(85, 112), 8.0
    elif sound in ("snare", "clap", "snare/side"):
        likely = np.full(steps, rng.uniform(0.0, 0.05))
        backs = (half,) if steps == 12 or rng.random() < 0.2 else (4, 12)
        likely[list(backs)] = 0.97
        loud, accent = rng.uniform(85, 115), 5.0
    elif sound in ("hi-hat/closed", "ride", "shaker", "tambourine", "hi-hat/pedal"):
        step = int(rng.choice([1, 2, 2, 2, 4] if sound != "hi-hat/pedal" else [4, 4, 8]))
        likely = _every(rng, groove, step, first=int(rng.choice([0, 0, 0, step // 2])))
        loud, accent = rng.uniform(45, 100), rng.uniform(0, 25)
    elif sound in ("hi-hat/open", "hi-hat/half", "ride/bell"):
        likely = np.zeros(steps)
        likely[rng.choice(np.arange(0, steps, 2), int(rng.integers(1, 4)), replace=False)] = 0.9
        accent = 5.0
    elif sound == "crash":
        likely, accent = np.zeros(steps), 0.0
    elif sound.endswith("tom"):
        likely, accent = np.full(steps, rng.choice([0.0, 0.0, 0.12, 0.25])), 8.0
    else:
        likely, accent = np.full(steps, rng.uniform(0.1, 0.5)), rng.uniform(0, 25)
    line = _line(rng, groove, likely, loud, accent)
    bar = {k: (sound, v) for k, v in line.items()}
    if sound in ("shaker", "tambourine", "hi-hat/closed") and rng.random() < 0.4:
        # There and back: every second one is softer.
        back = rng.uniform(5, 35)
        bar = {k: (s, max(v - back * (k % 2), 20.0)) for k, (s, v) in bar.items()}
    if sound == "snare" and rng.random() < 0.4:
        for k in np.nonzero(rng.random(steps) < rng.uniform(0.08, 0.3))[0]:
            bar.setdefault(int(k), (sound, float(rng.uniform(24, 50))))
    return bar


def _tops(rng: np.random.Generator, hands: list[str]) -> list[str]:
    """What is laid over a beat: something that goes on and on, perhaps a second, and a few hands."""
    steady = ("hi-hat/closed", "shaker", "tambourine", "ride")
    out = [
        str(s) for s in rng.choice(steady, int(rng.choice([1, 1, 2])), replace=False, p=[0.4, 0.3, 0.2, 0.1])
    ]
    if "hi-hat/closed" in out:
        out += [s for s, share in (("hi-hat/open", 0.4), ("hi-hat/pedal", 0.15)) if rng.random() < share]
    some = [s for s in hands if s not in out]
    return out + [str(s) for s in rng.choice(some, int(rng.choice([0, 0, 1, 2])), replace=False)]


def draw_sounds(rng: np.random.Generator, kind: str) -> list[str]:
    """What a loop of a kind is played on."""
    hands = ["tambourine", "shaker", "cowbell", "conga", "conga", "woodblock", "clap", "else"]
    if kind == "hands":
        return [str(one) for one in rng.choice(hands, int(rng.integers(2, 5)), replace=False)]
    if kind == "tops":
        return _tops(rng, hands)
    if kind == "few":
        some = ["kick", "snare", "hi-hat/closed", "ride", "snare/side", "rack-tom", "floor-tom", *hands]
        return [str(one) for one in rng.choice(some, int(rng.integers(1, 3)), replace=False)]
    if kind == "mouth":
        return ["kick", "snare", "hi-hat/closed"] + [
            s for s in ("hi-hat/open", "clap", "else") if rng.random() < 0.25
        ]
    out = [
        s for s, share in (("kick", 0.93), ("snare", 0.82), ("hi-hat/closed", 0.8)) if rng.random() < share
    ]
    likely = {
        "hi-hat/open": 0.4,
        "hi-hat/half": 0.2,
        "hi-hat/pedal": 0.2,
        "ride": 0.28,
        "ride/bell": 0.1,
        "crash": 0.35,
        "rack-tom": 0.3,
        "mid-tom": 0.22,
        "floor-tom": 0.3,
        "snare/side": 0.15,
        "clap": 0.12,
    }
    if kind == "electronic":
        likely |= {
            "clap": 0.45,
            "ride": 0.12,
            "ride/bell": 0.05,
            "hi-hat/half": 0.12,
            "hi-hat/pedal": 0.05,
            "cowbell": 0.15,
        }
    out += [s for s, share in likely.items() if rng.random() < share]
    if kind == "mixed":
        out += [str(one) for one in rng.choice(hands[:-2], int(rng.integers(1, 3)), replace=False)]
    elif rng.random() < 0.08:
        out.append(str(rng.choice(hands)))
    return list(dict.fromkeys(out)) if len(out) >= 2 else ["kick", "snare", "hi-hat/closed"]


def play(rng: np.random.Generator, kind: str) -> tuple[list[Played], float]:
    """A whole loop, and its length in s."""
    groove, sounds = draw_time(rng), draw_sounds(rng, kind)
    machine = kind == "electronic" or rng.random() < 0.15
    loose_s = 0.0 if machine and rng.random() < 0.7 else float(rng.uniform(0.001, 0.008))
    bar = {sound: _voice(rng, groove, sound) for sound in sounds}
    vary, strokes = float(rng.choice([0.0, 0.03, 0.08, 0.15])), []
    toms = [s for s in sounds if s.endswith("tom")]
    which = {(s, k): int(rng.choice([0, 0, 0, 1, 1, 2, 3])) for s in sounds for k in range(groove.steps)}
    for number in range(groove.bars):
        start_s = number * groove.bar_s
        steps = {sound: dict(of) for sound, of in bar.items()}
        for of in steps.values():
            for k in list(of):
                if rng.random() < vary * 0.5:
                    del of[k]
        for sound, of in steps.items():
            for k in range(groove.steps):
                if k not in of and sound != "crash" and rng.random() < vary * 0.12:
                    of[k] = (sound, float(rng.uniform(40, 110)))
        if "crash" in sounds and (number == 0 or rng.random() < 0.2):
            steps["crash"][0] = ("crash", float(rng.uniform(85, 120)))
        if (
            (toms or "snare" in sounds)
            and (number == groove.bars - 1 or rng.random() < 0.1)
            and rng.random() < 0.6
        ):
            length = int(rng.choice([4, 4, 8])) if groove.steps == 16 else int(rng.choice([3, 6]))
            order = [s for s in ("snare", "rack-tom", "mid-tom", "floor-tom") if s in sounds] or ["snare"]
            for k in range(groove.steps - length, groove.steps):
                for sound in order:
                    steps.get(sound, {}).pop(k, None)
                at = min((k - groove.steps + length) * len(order) // length, len(order) - 1)
                if order[at] in steps and rng.random() < 0.9:
                    steps[order[at]][k] = (order[at], float(rng.uniform(70, 115)))
                if rng.random() < 0.7:
                    for hat in ("hi-hat/closed", "ride"):
                        steps.get(hat, {}).pop(k, None)
        # One pair of hats makes one sound at a time; the rarer way wins.
        for k in range(groove.steps):
            ways = [
                s
                for s in ("hi-hat/half", "hi-hat/open", "hi-hat/pedal", "hi-hat/closed")
                if k in steps.get(s, {})
            ]
            for s in ways[1:]:
                del steps[s][k]
            if k in steps.get("ride/bell", {}):
                steps.get("ride", {}).pop(k, None)
            if k in steps.get("snare/side", {}):
                steps.get("snare", {}).pop(k, None)
        for of in steps.values():
            for k, (sound, velocity) in of.items():
                at = start_s + groove.place_s[k] + (rng.normal(0, loose_s) if loose_s else 0.0)
                struck = int(np.clip(rng.normal(velocity, 0 if machine else 5), 14, 127))
                if sound in ("snare", "rack-tom", "floor-tom") and rng.random() < 0.015:
                    strokes.append(
                        Played(max(at - rng.uniform(0.022, 0.035), 0), sound, max(struck // 2, 14))
                    )
                number_of = which[sound, k] if rng.random() < 0.9 else int(rng.integers(4))
                strokes.append(Played(max(float(at), 0.0), sound, struck, number_of))
    return sorted(strokes, key=lambda one: one.time_s), groove.bars * groove.bar_s
