"""Playing to learn from, in no style of the accuracy benchmark: runs of any rate and loudness on every piece,
and beats as hard on a listener as players make them.

Beats hold strokes of any strength down to 10: ghost strokes 20 to 32 dB under full ones between loud hats,
rolls and buzzes that swell and fade, flams, drags, closed strokes soon after an open one, hats by the foot
under snare and ride, limbs that play softly all the time (all of it common practice).
"""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from benchmarks.styles import Player, Stroke

_RATES = {
    "kick": (1, 2, 4, 4, 6),
    "snare": (1, 2, 4, 8),
    "hi-hat": (2, 2, 4, 4),
    "rack-tom": (1, 2, 4),
    "floor-tom": (1, 2, 4),
    "ride": (1, 2, 3, 4),
    "crash": (0.25, 0.5, 1),
}
_HATS = ("hi-hat", "hi-hat", "hi-hat", "open-hat", "pedal-hat", "half-hat")
_AROUND = (("snare",), ("snare", "rack-tom", "floor-tom"), ("rack-tom", "floor-tom"))
_SOFTEST = 10
_HAND_S = 0.045  # what follows faster is a buzz: the stick falls by itself


def free_play(player: Player, bars: int) -> None:
    """By the player's own dice runs or beats."""
    (runs if player.rng.random() < 0.4 else beats)(player, bars)


def programmed(strokes: list[Stroke], rng: np.random.Generator) -> list[Stroke]:
    """The same as a machine plays it: on a grid to the sample, in a few strengths, one stroke of a piece at a
    time.
    """
    step_s, strengths = rng.uniform(0.035, 0.05), rng.choice([8, 16, 32])
    out = {}
    for one in strokes:
        at_s = round(one.time_s / step_s) * step_s
        velocity = int(np.clip(round(one.velocity / strengths) * strengths, _SOFTEST, 122))
        out[at_s, one.piece] = replace(one, time_s=at_s, velocity=velocity)
    return [out[key] for key in sorted(out)]


def runs(player: Player, bars: int) -> None:
    """Every piece in runs of any rate and loudness, together with any other."""
    rng = player.rng
    for piece, steps in _RATES.items():
        at = 0.0
        while at < 4.0 * bars:
            lasts = float(rng.choice([2, 4, 8]))
            if rng.random() < (0.6 if piece in ("kick", "snare", "hi-hat") else 0.4):
                _run(player, piece, at, lasts, float(rng.choice(steps)))
            at += lasts


def _run(player: Player, piece: str, at: float, lasts: float, rate: float) -> None:
    rng = player.rng
    loud, accents = rng.uniform(30, 112), rng.uniform(0, 30)
    if piece == "snare" and rng.random() < 0.35:
        # Ghost strokes round a few full ones.
        loud, accents = rng.uniform(14, 46), rng.uniform(50, 80)
    swing = rng.choice([0.0, 0.0, 0.33]) / max(rate, 1)
    for step in range(round(lasts * rate)):
        if rng.random() < 0.85:
            sound = piece
            if piece == "hi-hat":
                sound = str(rng.choice(_HATS))
            elif piece == "ride" and rng.random() < 0.1:
                sound = "ride-bell"
            place = at + step / rate + (swing if step % 2 else 0.0)
            strength = np.clip(loud + (accents if rng.random() < 0.3 else 0), _SOFTEST, 122)
            _stroke(player, place, sound, float(strength))


def _stroke(player: Player, place: float, sound: str, strength: float) -> None:
    """A stroke, now and then with grace strokes before it, where hands play."""
    kind = player.rng.random() if sound in ("snare", "rack-tom", "floor-tom") else 1.0
    strike = player.flam if kind < 0.05 else player.drag if kind < 0.08 else player.hit
    strike(place, sound, strength)


def beats(player: Player, bars: int) -> None:
    """A hand on the hats or the ride, ghost strokes, rolls, feet, fills; another beat every few bars."""
    bar = 0
    while bar < bars:
        count = min(int(player.rng.choice([2, 2, 4])), bars - bar)
        _beat(player, 4.0 * bar, count)
        bar += count


def _beat(player: Player, at: float, bars: int) -> None:
    rng = player.rng
    steps = int(rng.choice([2, 3, 4, 4]))  # to a beat
    lead = str(rng.choice(["hi-hat", "hi-hat", "hi-hat", "ride", "floor-tom"]))
    lead_every, lead_loud = (1 if rng.random() < 0.4 else 2), rng.uniform(35, 112)
    foot_loud = rng.uniform(25, 60) if rng.random() < 0.25 else rng.uniform(70, 115)
    full, ghost = rng.uniform(70, 120), rng.uniform(_SOFTEST, 42)
    ghosts = rng.choice([0.0, 0.15, 0.35, 0.6]) * (rng.random(4 * steps) < 0.7)
    kicks = rng.random(4 * steps) < rng.choice([0.1, 0.2, 0.35])
    kicks[0] = True
    backs = {steps, 3 * steps} if rng.random() < 0.7 else {2 * steps}
    if rng.random() < 0.5:
        player.hit(at, "crash", rng.uniform(70, 120))
    by_foot = rng.random() < (0.6 if lead == "ride" else 0.2)
    for bar in range(bars):
        begin, last = at + 4.0 * bar, bar == bars - 1
        fill_from = 4 * steps - int(rng.choice([0, steps, 2 * steps])) if last else 4 * steps
        for step in range(fill_from):
            place, on_beat = begin + step / steps, step % steps == 0
            if step % lead_every == 0:
                _lead(player, place, lead, lead_loud * (1.0 if on_beat else rng.uniform(0.55, 1.0)))
            if step in backs:
                _stroke(player, place, "snare", full)
            elif rng.random() < ghosts[step]:
                player.hit(place, "snare", ghost, 4, kind="ghost")
            if kicks[step] and rng.random() < 0.9:
                player.hit(place, "kick", foot_loud)
            if by_foot and on_beat and (step // steps) % 2:
                player.hit(place, "pedal-hat", rng.uniform(40, 100), kind="by foot")
        if fill_from < 4 * steps:
            _fill(player, begin + fill_from / steps, (4 * steps - fill_from) / steps, steps)


def _lead(player: Player, place: float, lead: str, strength: float) -> None:
    """One stroke of the hand that goes on: an open hat is closed soon after by a stroke or the foot."""
    rng = player.rng
    if lead == "ride":
        player.hit(place, "ride-bell" if rng.random() < 0.08 else "ride", strength)
        return
    kind = rng.random() if lead == "hi-hat" else 1.0
    if kind >= 0.15:
        player.hit(place, lead, strength)
        return
    player.hit(place, "open-hat" if kind < 0.1 else "half-hat", strength, kind="open")
    if rng.random() < 0.5:
        soon_s = rng.uniform(0.08, 0.25)
        closing = "hi-hat" if rng.random() < 0.6 else "pedal-hat"
        softer = rng.uniform(0.4, 1.0) * strength
        player.hit(place + soon_s * player.bpm / 60.0, closing, softer, kind="soon closed")


def _fill(player: Player, begin: float, beats_long: float, steps: int) -> None:
    """Around the drums, or a roll or a buzz on one of them."""
    rng = player.rng
    if rng.random() < 0.45:
        _roll(player, begin, beats_long)
        return
    drums, loud = (
        [("snare",), ("snare", "rack-tom", "floor-tom"), ("rack-tom", "floor-tom")],
        rng.uniform(50, 115),
    )
    around = drums[int(rng.integers(len(drums)))]
    count = max(round(beats_long * steps), 1)
    for step in range(count):
        sound = around[min(step * len(around) // count, len(around) - 1)]
        _stroke(player, begin + step / steps, sound, loud * rng.uniform(0.7, 1.1))


def _roll(player: Player, begin: float, beats_long: float) -> None:
    """Strokes by two hands, evenly, that swell or fade; a buzz falls faster than a hand strikes."""
    rng, beat_s = player.rng, 60.0 / player.bpm
    apart_s = rng.uniform(0.03, 0.05) if rng.random() < 0.25 else rng.uniform(0.045, 0.1)
    count = min(max(round(beats_long * beat_s / apart_s), 3), 40)
    first, last = rng.uniform(14, 110), rng.uniform(14, 110)
    if apart_s < _HAND_S:
        count, last = min(count, 6), 0.3 * first
    sound = str(rng.choice(["snare", "snare", "rack-tom", "floor-tom"]))
    for number, strength in enumerate(np.linspace(first, last, count)):
        kind = "buzz" if apart_s < _HAND_S else "roll"
        player.hit(begin + number * apart_s / beat_s, sound, float(strength), 4, kind=kind)
