"""Drum performances with known truth, sounded by real recorded drums.

Notes with human timing and dynamics are rendered piece by piece through fluidsynth from Debian's
fluid-soundfont-gm, so that each piece is alone and its attacks can be read off the clean signal: 40 dB under
the stroke's peak, or where the stroke leaves what rang before of the same piece (found by rendering the piece
without that stroke and comparing).
"""

from __future__ import annotations

import hashlib
import subprocess
from dataclasses import dataclass
from pathlib import Path

import mido
import numpy as np
from numpy.typing import NDArray

from benchmarks.keep import keep_array
from benchmarks.sound_fonts import TICKS_PER_S, drum_track, sounded

SOUND_FONT = Path("/usr/share/sounds/sf2/FluidR3_GM.sf2")
CACHE = Path(__file__).parent / ".cache"
RATE_HZ = 44100
NOTES = {
    "kick": 36,
    "snare": 38,
    "hi-hat": 42,
    "open-hat": 46,
    "rack-tom": 48,
    "floor-tom": 43,
    "crash": 49,
    "ride": 51,
}
LEAD_S = 0.5


@dataclass(frozen=True)
class Stroke:
    time_s: float
    piece: str
    velocity: int


def available() -> bool:
    """Whether fluidsynth and its sound font are installed."""
    return (
        SOUND_FONT.exists() and subprocess.run(["which", "fluidsynth"], capture_output=True).returncode == 0
    )


def rock(bars: int, bpm: float, seed: int) -> list[Stroke]:
    """Straight rock with ghost strokes, flams and a fill every fourth bar."""
    rng = np.random.default_rng(seed)
    beat = 60.0 / bpm
    strokes: list[Stroke] = []

    def add(place: float, piece: str, velocity: float, spread_ms: float = 5.0) -> None:
        time_s = LEAD_S + place * beat + rng.normal(0, spread_ms / 1000)
        strokes.append(Stroke(time_s, piece, int(np.clip(rng.normal(velocity, 6), 8, 127))))

    for bar in range(bars):
        start = 4.0 * bar
        fill = bar % 4 == 3
        for eighth in range(8 if not fill else 4):
            add(start + eighth / 2, "hi-hat" if bar % 8 < 4 else "ride", 88 if eighth % 2 == 0 else 62)
        for place in (0.0, 2.0, 2.5) if bar % 2 == 0 else (0.0, 1.5, 2.0):
            if not (fill and place > 1.9):
                add(start + place, "kick", 100)
        for place in (1.0, 3.0) if not fill else (1.0,):
            add(start + place, "snare", 108)
        for sixteenth in rng.choice([3, 6, 7, 9, 11, 14, 15], 2, replace=False):
            if not (fill and sixteenth > 7):
                add(start + sixteenth / 4, "snare", 34)
        if fill:
            for step in range(8):
                add(
                    start + 2 + step / 4,
                    ("snare", "rack-tom", "floor-tom")[min(step // 3, 2)],
                    96 + 10 * (step % 2 == 0),
                )
            strokes.append(Stroke(LEAD_S + (start + 1.0) * beat - 0.028, "snare", 52))
        if bar % 4 == 0:
            add(start, "crash", 104)
    return sorted(strokes, key=lambda stroke: stroke.time_s)


def render(strokes: list[Stroke], program: int = 0, length_s: float | None = None) -> NDArray[np.float32]:
    """The strokes through the sound font's drum kit ``program``, mono (frames,) float32, dry."""
    length_s = length_s or max(stroke.time_s for stroke in strokes) + 3.0
    key = hashlib.sha256(repr((strokes, program, length_s, RATE_HZ)).encode()).hexdigest()[:24]
    kept = CACHE / f"{key}.npy"
    if kept.exists():
        return np.asarray(np.load(kept))
    events = []
    for stroke in strokes:
        note = NOTES[stroke.piece]
        events.append(
            (stroke.time_s, mido.Message("note_on", channel=9, note=note, velocity=stroke.velocity))
        )
        events.append((stroke.time_s + 0.05, mido.Message("note_off", channel=9, note=note, velocity=0)))
    events.sort(key=lambda event: event[0])
    track, now = drum_track(program), 0
    for time_s, message in events:
        tick = round(time_s * TICKS_PER_S)
        track.append(message.copy(time=tick - now))
        now = tick
    mono = sounded(track, SOUND_FONT, length_s)
    keep_array(kept, mono)
    return mono


def attack_of(alone: NDArray[np.float32], near: int, back: int = 900, ahead: int = 1764) -> int:
    """First sample of a stroke near sample ``near`` that stands within 40 dB of its peak and over what rang
    before.
    """
    begin = max(near - back, 0)
    window = np.abs(alone[begin : near + ahead])
    rang = np.abs(alone[max(begin - back, 0) : begin]).max(initial=0.0)
    over = np.nonzero(window > max(window.max() * 10 ** (-40 / 20), 1.2 * rang))[0]
    return begin + int(over[0]) if len(over) else near


def truth(strokes: list[Stroke], program: int = 0) -> NDArray[np.float64]:
    """The physical attack of every stroke in seconds (n,), read off renders in which it stands alone.

    The strokes of one piece are dealt to several renders, each at its own place, so that in every render the
    stroke before has died away. ``strokes`` are in order of time.
    """
    length_s = strokes[-1].time_s + 3.0
    attacks = np.zeros(len(strokes))
    for piece in {stroke.piece for stroke in strokes}:
        apart_s = 8.0 if piece in ("crash", "ride", "open-hat") else 2.0
        rows: list[list[int]] = []
        for index in (i for i, stroke in enumerate(strokes) if stroke.piece == piece):
            row = next((r for r in rows if strokes[index].time_s - strokes[r[-1]].time_s > apart_s), None)
            if row is None:
                rows.append([index])
            else:
                row.append(index)
        for row in rows:
            alone = render([strokes[i] for i in row], program, length_s)
            for i in row:
                attacks[i] = attack_of(alone, round(strokes[i].time_s * RATE_HZ)) / RATE_HZ
    return attacks


def moments(attacks: NDArray[np.float64], together_s: float = 0.008) -> NDArray[np.float64]:
    """Attacks of all pieces as moments: strokes that fall within ``together_s`` of the first count once, at
    the first.
    """
    out: list[float] = []
    for time_s in np.sort(attacks):
        if not out or time_s - out[-1] > together_s:
            out.append(float(time_s))
    return np.array(out)
