"""Performances of several styles, as a player's hands and feet give them: human timing, dynamics, flams,
drags.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from benchmarks.free_play import free_play

LEAD_S = 0.5
LEAST_APART_S = 0.022  # no hand strikes one drum faster, flams included


@dataclass(frozen=True)
class Stroke:
    """One stroke: when the note is struck, on what, how hard (1 to 127), and what kind of stroke it is."""

    time_s: float
    piece: str
    velocity: int
    kind: str = "plain"


@dataclass
class Player:
    """Puts strokes down with the spread of a hand."""

    bpm: float
    rng: np.random.Generator
    spread_ms: float = 5.0
    strokes: list[Stroke] = field(default_factory=list)
    loudness: float = 1.0

    def hit(
        self,
        beat: float,
        piece: str,
        velocity: float,
        spread: float = 6.0,
        early_ms: float = 0.0,
        kind: str = "plain",
    ) -> None:
        """A stroke at a place in beats."""
        time_s = LEAD_S + beat * 60.0 / self.bpm + self.rng.normal(0, self.spread_ms / 1000) - early_ms / 1000
        self.strokes.append(
            Stroke(
                max(time_s, 0.02),
                piece,
                int(np.clip(self.rng.normal(velocity, spread) * self.loudness, 6, 127)),
                kind,
            )
        )

    def flam(self, beat: float, piece: str, velocity: float) -> None:
        """A grace stroke 22 to 35 ms ahead of the main one."""
        self.hit(beat, piece, velocity, early_ms=0)
        main = self.strokes[-1]
        self.strokes.append(
            Stroke(
                main.time_s - self.rng.uniform(0.024, 0.035),
                piece,
                int(np.clip(main.velocity * self.rng.uniform(0.4, 0.65), 6, 127)),
                "flam grace",
            )
        )

    def drag(self, beat: float, piece: str, velocity: float) -> None:
        """Two grace strokes ahead of the main one."""
        self.hit(beat, piece, velocity)
        main, apart = self.strokes[-1], self.rng.uniform(0.034, 0.045)
        for back in (1, 2):
            self.strokes.append(
                Stroke(
                    main.time_s - back * apart,
                    piece,
                    int(np.clip(main.velocity * self.rng.uniform(0.35, 0.5), 6, 127)),
                    "drag grace",
                )
            )

    def fill(
        self, beat: float, beats: float, pieces: tuple[str, ...], velocity: float, steps: int = 4
    ) -> None:
        """Strokes around the drums."""
        count = round(beats * steps)
        for step in range(count):
            self.hit(
                beat + step / steps,
                pieces[min(step * len(pieces) // count, len(pieces) - 1)],
                velocity + 8 * (step % 2 == 0),
                9,
            )

    def done(self) -> list[Stroke]:
        """All strokes in order, none of one piece closer than a hand can play."""
        last: dict[str, float] = {}
        out = []
        for stroke in sorted(self.strokes, key=lambda s: s.time_s):
            if stroke.time_s - last.get(stroke.piece, -1.0) >= LEAST_APART_S:
                out.append(stroke)
                last[stroke.piece] = stroke.time_s
        return out


def straight_rock(player: Player, bars: int) -> None:
    """Eighths on the hat, back beat, fills, crashes."""
    rng = player.rng
    for bar in range(bars):
        at, fill = 4.0 * bar, bar % 4 == 3
        ride = bar % 8 >= 4
        for eighth in range(4 if fill else 8):
            piece = "ride" if ride else ("open-hat" if eighth == 7 and rng.random() < 0.3 else "hi-hat")
            player.hit(at + eighth / 2, piece, 92 if eighth % 2 == 0 else 66)
        for place in (0.0, 2.0, 2.5) if bar % 2 == 0 else (0.0, 1.5, 2.0):
            if not (fill and place > 1.9):
                player.hit(at + place, "kick", 102)
        player.hit(at + 1, "snare", 110)
        if fill:
            player.fill(at + 2, 2, ("snare", "rack-tom", "floor-tom"), 98)
        else:
            (player.flam if rng.random() < 0.2 else player.hit)(at + 3, "snare", 112)
            for sixteenth in rng.choice([3, 7, 9, 15], 1):
                player.hit(at + sixteenth / 4, "snare", 38)
        if bar % 4 == 0:
            player.hit(at, "crash", 108)


def ghost_funk(player: Player, bars: int) -> None:
    """Sixteenths on the hat, syncopated kick, a web of ghost strokes, drags."""
    rng = player.rng
    for bar in range(bars):
        at = 4.0 * bar
        for step in range(16):
            if bar % 4 == 1 and step == 14:
                player.hit(at + step / 4, "open-hat", 88)  # one pair of cymbals gives one stroke at a time
                continue
            player.hit(at + step / 4, "hi-hat", 90 if step % 4 == 0 else 60 if step % 2 == 0 else 46)
        for place in (
            [0.0, 0.75, 2.5] + ([1.75] if rng.random() < 0.5 else []) + ([3.25] if rng.random() < 0.4 else [])
        ):
            player.hit(at + place, "kick", 98, 8)
        player.hit(at + 1, "snare", 112)
        (player.drag if bar % 4 == 3 else player.hit)(at + 3, "snare", 112)
        for step in (3, 6, 7, 9, 11, 14, 15):
            if rng.random() < 0.6:
                player.hit(at + step / 4, "snare", 36, 5)
        if bar % 8 == 7:
            player.fill(at + 3.25, 0.75, ("snare", "rack-tom", "floor-tom"), 92)
        if bar % 8 == 0:
            player.hit(at, "crash", 100)


def swung_ride(player: Player, bars: int) -> None:
    """A ride pattern in triplets, hat on two and four by the foot, feathered kick, comping snare."""
    rng = player.rng
    for bar in range(bars):
        at = 4.0 * bar
        for beat in range(4):
            player.hit(at + beat, "ride-bell" if rng.random() < 0.05 else "ride", 88 if beat % 2 else 76)
            if beat % 2:
                player.hit(at + beat + 0.66, "ride", 64)
                player.hit(at + beat, "pedal-hat", 84)
            if rng.random() < 0.6:
                player.hit(at + beat, "kick", 48, 6)
        for beat in range(4):
            if rng.random() < 0.35:
                player.hit(at + beat + 0.66, "snare", rng.choice([42, 58, 92]), 6)
            if rng.random() < 0.15:
                player.hit(at + beat + 0.33, "snare", 44, 5)
            if rng.random() < 0.12:
                player.hit(at + beat + 0.66, "kick", 94)
        if bar % 4 == 3:
            player.fill(at + 3, 1, ("snare", "rack-tom", "floor-tom"), 82, 3)
        if bar % 8 == 0:
            player.hit(at, "crash", 84)


def double_kick(player: Player, bars: int) -> None:
    """Sixteenths by two feet, fast, under a back beat and crashes."""
    rng = player.rng
    for bar in range(bars):
        at = 4.0 * bar
        for step in range(16):
            if bar % 4 != 2 or step % 4 != 3:
                player.hit(at + step / 4, "kick", 98 if step % 4 == 0 else 84, 7)
        for quarter in range(4):
            player.hit(at + quarter, "ride" if bar % 2 else "hi-hat", 98)
        if bar % 4 == 3:
            player.hit(at + 1, "snare", 114)
            player.fill(at + 2, 2, ("snare", "rack-tom", "rack-tom", "floor-tom"), 104)
        else:
            for place in (1, 3):
                (player.flam if rng.random() < 0.15 else player.hit)(at + place, "snare", 114)
        if bar % 2 == 0:
            player.hit(at, "crash", 112)


def sparse_ballad(player: Player, bars: int) -> None:
    """From very soft to very loud and back: few strokes, all of them heard."""
    rng = player.rng
    for bar in range(bars):
        at = 4.0 * bar
        player.loudness = 0.38 + 0.62 * np.sin(np.pi * (bar + 0.5) / bars) ** 1.5
        for eighth in range(8 if bar > bars // 3 else 4):
            player.hit(
                at + (eighth / 2 if bar > bars // 3 else eighth),
                "ride" if bar > bars // 2 else "hi-hat",
                84 if eighth % 2 == 0 else 64,
            )
        player.hit(at, "kick", 98)
        if rng.random() < 0.6:
            player.hit(at + 2.5, "kick", 92)
        player.hit(at + 2, "snare", 104)
        if bar % 4 == 3:
            player.fill(at + 3, 1, ("rack-tom", "floor-tom"), 96)
        if bar % 8 == 4:
            player.hit(at, "crash", 100)


def tom_heavy(player: Player, bars: int) -> None:
    """A pattern on the toms, both hands, with accents; kick under them, snare for the turn."""
    rng = player.rng
    for bar in range(bars):
        at = 4.0 * bar
        for step in range(16):
            piece = (
                ("floor-tom", "floor-tom", "rack-tom", "floor-tom")[step % 4]
                if bar % 4 < 2
                else ("rack-tom", "floor-tom")[(step // 2) % 2]
            )
            if rng.random() < 0.85:
                player.hit(at + step / 4, piece, 106 if step in (0, 3, 6, 10, 12) else 66, 8)
        for quarter in range(4):
            player.hit(at + quarter, "kick", 96)
            player.hit(at + quarter, "pedal-hat", 78)
        player.hit(at + 3, "snare", 108)
        if bar % 2:
            player.flam(at + 1, "floor-tom", 106)
        if bar % 4 == 0:
            player.hit(at, "crash", 106)


STYLES: dict[str, tuple[float, Callable[[Player, int], None]]] = {
    "straight rock": (112, straight_rock),
    "ghost-note funk": (98, ghost_funk),
    "swung ride": (138, swung_ride),
    "fast double kick": (172, double_kick),
    "sparse ballad": (72, sparse_ballad),
    "tom-heavy": (120, tom_heavy),
}
FREE = "free play"


def perform(style: str, length_s: float, seed: int) -> list[Stroke]:
    """A performance of about ``length_s`` in a style; the same seed plays the same."""
    usual_bpm, play = STYLES.get(style, (120.0, free_play))
    rng = np.random.default_rng([seed, *style.encode()])
    bpm = usual_bpm * (rng.uniform(0.93, 1.07) if style in STYLES else rng.uniform(0.6, 1.5))
    player = Player(bpm, rng, spread_ms=rng.uniform(3, 8))
    play(player, max(2, round(length_s * bpm / 240)))
    return player.done()
