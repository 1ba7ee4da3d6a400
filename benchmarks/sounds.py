"""Single strokes of real recorded drums, from General MIDI sounds through fluidsynth or timidity, with their
attack known to the sample.

Every piece of a kit is struck alone at 16 velocities and cut out; the attack is where the stroke comes within
40 dB of its peak. A performance is put together from these strokes, each a little different in pitch and
colour, as no two strokes of a player are alike.
"""

from __future__ import annotations

import hashlib
import shutil
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import mido
import numpy as np
from numpy.typing import NDArray
from scipy.signal import firwin2, lfilter, minimum_phase, oaconvolve

from benchmarks.keep import CACHE, RATE_HZ, keep_array
from benchmarks.sorting.libraries import Voice
from benchmarks.sorting.made import made
from benchmarks.sorting.varied import varied
from benchmarks.sound_fonts import TICKS_PER_S, drum_track, sounded

FONTS = {
    "general": Path("/usr/share/sounds/sf2/FluidR3_GM.sf2"),  # Debian: fluid-soundfont-gm
    # Debian: musescore-general-soundfont-lossless, which grew out of the general one
    "musescore": Path("/usr/share/sounds/sf2/MuseScore_General_Full.sf2"),
    "small": Path("/usr/share/sounds/sf2/TimGM6mb.sf2"),  # Debian: timgm6mb-soundfont
    "csound": Path("/usr/share/sounds/sf2/sf_GMbank.sf2"),  # Debian: csound-soundfont
    "opl3": Path("/usr/share/sounds/sf2/OPL-3_FM_128M.sf2"),  # Debian: opl3-soundfont
    "patches": Path("/etc/timidity/freepats.cfg"),  # Debian: freepats, and timidity
}
NOTES = {
    "kick": 36,
    "snare": 38,
    "hi-hat": 42,
    "pedal-hat": 44,
    "open-hat": 46,
    "rack-tom": 48,
    "floor-tom": 43,
    "crash": 49,
    "ride": 51,
    "ride-bell": 53,
    "clap": 39,
    "tambourine": 54,
    "cabasa": 69,
    "maracas": 70,
    "bongo": 60,
    "low-bongo": 61,
    "mute-conga": 62,
    "conga": 63,
    "low-conga": 64,
    "cowbell": 56,
}
# How our own synthesis calls what it makes, and what it makes with them.
_MADE_AS = {
    "hi-hat": ("hi-hat", "hi-hat/closed"),
    "pedal-hat": ("hi-hat", "hi-hat/pedal"),
    "open-hat": ("hi-hat", "hi-hat/open"),
    "half-hat": ("hi-hat", "hi-hat/half"),
    "ride-bell": ("ride/bell", "ride/bell"),
}
LENGTH_S = {
    "crash": 4.0,
    "ride": 3.0,
    "ride-bell": 3.0,
    "open-hat": 2.0,
    "half-hat": 2.0,
    "hi-hat": 1.0,
    "pedal-hat": 1.0,
}
VELOCITIES = np.arange(8, 129, 8).clip(max=127)
LEAD_S = 0.05
_COLOUR_HZ = (60.0, 150.0, 400.0, 1000.0, 2500.0, 6000.0, 14000.0)


@dataclass(frozen=True)
class Kit:
    """A drum kit of a sound font, or one made by our own synthesis where ``font`` is ``made``; ``pitch``
    makes another drum of it by playing it faster or slower, and ``another``, any number but 0, an equalised,
    tuned or damped one. ``touch``, any number but 0, lets soft strokes sound otherwise than full ones, and
    no two alike, however few recordings the library has.
    """

    name: str
    font: str
    program: int
    pitch: float = 1.0
    another: int = 0
    touch: int = 0


@dataclass(frozen=True)
class Sound:
    """One piece: a stroke per velocity, (frames,) each, and the sample its attack stands at."""

    strokes: tuple[NDArray[np.float32], ...]
    attacks: tuple[int, ...]
    usual: float  # root mean square of the first 30 ms of a full stroke, of velocity 96


def available(font: str = "general") -> bool:
    """Whether the sounds and what plays them are installed."""
    return (
        FONTS[font].exists()
        and shutil.which("timidity" if FONTS[font].suffix == ".cfg" else "fluidsynth") is not None
    )


def attack_of(alone: NDArray[np.float32]) -> int:
    """First sample of a stroke that stands alone within 40 dB of the peak of its first 40 ms from there."""
    size = np.abs(alone)
    begin = int(np.argmax(size > size.max() * 0.003))
    return int(np.argmax(size > size[begin : begin + round(0.04 * RATE_HZ)].max() * 0.01))


@lru_cache(maxsize=256)
def sound(kit: Kit, piece: str) -> Sound:
    """All velocities of one piece of a kit."""
    length_s = LENGTH_S.get(piece, 1.5)
    size = round(length_s * RATE_HZ)
    if piece == "half-hat" and kit.font != "made":
        return _let_go_a_little(kit)
    if kit.font == "made":
        strokes = _made(kit, piece, size)
    else:
        audio = _rendered(kit, piece, length_s)
        strokes = [audio[at * size : (at + 1) * size] for at in range(len(VELOCITIES))]
        if FONTS[kit.font].suffix == ".cfg":
            strokes = strokes[-1:] * len(
                VELOCITIES
            )  # one recording per piece; played softly it is lost in 16 bits
    if kit.pitch != 1.0:
        strokes = [
            np.interp(np.arange(0, size - 1, kit.pitch), np.arange(size), stroke).astype(np.float32)
            for stroke in strokes
        ]
    if kit.another:
        strokes = _varied(kit, piece, strokes)
    if kit.touch:
        strokes = _touched(kit, piece, strokes)
    return _sound_of(strokes)


def _sound_of(strokes: list[NDArray[np.float32]]) -> Sound:
    fade = np.ones(len(strokes[0]), np.float32)
    fade[-2000:] = np.linspace(1, 0, 2000)
    strokes = [stroke * fade for stroke in strokes]
    attacks = [attack_of(stroke) for stroke in strokes]
    return Sound(tuple(strokes), tuple(attacks), loudness(strokes[11], attacks[11]))


def loudness(stroke: NDArray[np.float32], attack: int) -> float:
    """Root mean square of the first 30 ms of a stroke."""
    return float(np.sqrt(np.mean(stroke[attack : attack + round(0.03 * RATE_HZ)] ** 2)))


def _made(kit: Kit, piece: str, size: int) -> list[NDArray[np.float32]]:
    """Strokes from our own synthesis, (size,) each, with silence before them."""
    instrument, name = _MADE_AS.get(piece, (piece, piece))
    voice = made("made acoustic", instrument, kit.program)[name]
    nearest = [int(np.argmin(np.abs(np.array(voice.velocities) - one))) for one in VELOCITIES]
    return [_after_silence(voice.strokes[at], size) for at in nearest]


def _after_silence(stroke: NDArray[np.float32], size: int) -> NDArray[np.float32]:
    out, lead = np.zeros(size, np.float32), round(LEAD_S * RATE_HZ)
    out[lead : lead + len(stroke)] = stroke[: size - lead]
    return out


def _let_go_a_little(kit: Kit) -> Sound:
    """Hats half open: open ones that are damped."""
    open_hat = sound(kit, "open-hat")
    fall_s = float(np.random.default_rng([kit.another, kit.program]).uniform(0.05, 0.13))
    t = np.arange(len(open_hat.strokes[0])) / RATE_HZ
    strokes = [
        (one * np.exp(-np.maximum(t[: len(one)] - at / RATE_HZ, 0.0) / fall_s)).astype(np.float32)
        for one, at in zip(open_hat.strokes, open_hat.attacks, strict=True)
    ]
    return _sound_of(strokes)


def _varied(kit: Kit, piece: str, strokes: list[NDArray[np.float32]]) -> list[NDArray[np.float32]]:
    """Another instrument of the same kind; a pair of hats is the same in all its ways."""
    instrument, name = _MADE_AS.get(piece, (piece, piece))
    rng = np.random.default_rng([kit.another, *instrument.encode()])
    # All as loud as each other: how loud a stroke is, its velocity says.
    alike = tuple(one * np.float32(0.5 / max(float(np.abs(one).max()), 1e-9)) for one in strokes)
    voice = varied(Voice(name, alike, tuple(VELOCITIES.tolist())), rng, None)
    if len(voice.strokes) != len(strokes):
        return strokes
    size = max(len(one) for one in voice.strokes) + round(LEAD_S * RATE_HZ)
    return [_after_silence(one, size) for one in voice.strokes]


_FOLD = 16384  # enough for colours as smooth as these


def _touched(kit: Kit, piece: str, strokes: list[NDArray[np.float32]]) -> list[NDArray[np.float32]]:
    """Strokes of which the softer are darker as a rule, coloured otherwise and sooner gone: a stick that
    falls from low down, and elsewhere on the head, makes another sound and not a quieter one.
    """
    rng = np.random.default_rng([kit.touch, *piece.encode()])
    octaves = np.linspace(0, 1, len(_COLOUR_HZ))
    colour_db = rng.normal(0, 3.5, len(_COLOUR_HZ)) - rng.uniform(-2, 9) * octaves
    gone = rng.uniform(0, 5)
    out = []
    for velocity, stroke in zip(VELOCITIES.tolist(), strokes, strict=True):
        softness = float(np.clip((112 - velocity) / 90, 0, 1))
        gains = 10 ** (softness * colour_db / 20)
        at_hz = [0, *_COLOUR_HZ, RATE_HZ / 2]
        wanted = firwin2(1023, at_hz, [gains[0], *gains, gains[-1]], fs=RATE_HZ)
        coloured = oaconvolve(stroke, minimum_phase(wanted, n_fft=_FOLD, half=False))[: len(stroke)]
        t = np.maximum(np.arange(len(stroke)) / RATE_HZ - LEAD_S, 0.0)
        out.append((coloured * np.exp(-softness * gone * t)).astype(np.float32))
    return out


def _rendered(kit: Kit, piece: str, length_s: float) -> NDArray[np.float32]:
    key = hashlib.sha256(
        repr((kit.font, kit.program, piece, length_s, list(VELOCITIES), 4)).encode()
    ).hexdigest()[:24]
    kept = CACHE / f"{key}.npy"
    if kept.exists():
        return np.asarray(np.load(kept))
    track, now = drum_track(kit.program), 0
    for number, velocity in enumerate(VELOCITIES):
        for place_s, strength in (
            (number * length_s + LEAD_S, int(velocity)),
            ((number + 0.95) * length_s, 0),
        ):
            tick = round(place_s * TICKS_PER_S)
            track.append(
                mido.Message("note_on", channel=9, note=NOTES[piece], velocity=strength, time=tick - now)
            )
            now = tick
        # All sound off, so that nothing of this stroke rings into the next.
        track.append(mido.Message("control_change", channel=9, control=120, value=0))
    # As long as all strokes are, each rounded to samples.
    whole_s = round(length_s * RATE_HZ) * len(VELOCITIES) / RATE_HZ
    mono = sounded(track, FONTS[kit.font], whole_s)
    keep_array(kept, mono)
    return mono


def struck(kit: Kit, piece: str, velocity: int, rng: np.random.Generator) -> tuple[NDArray[np.float32], int]:
    """One stroke, (frames,), and the sample of its attack: a little other in pitch and colour than the last
    one.

    A sound font's layers do not grow louder in step; as a stroke's strength is what is asked for, each stroke
    is brought to the level that its velocity has by the law of DLS Level 1, 40 log10(v / 96) against a full
    stroke (from memory).
    """
    of = sound(kit, piece)
    nearest = int(np.argmin(np.abs(VELOCITIES - velocity)))
    stroke = of.strokes[nearest]
    speed = 1.0 + rng.normal(0, 0.004)
    places = np.arange(0, len(stroke) - 1, speed)
    stroke = np.interp(places, np.arange(len(stroke)), stroke)
    tilt = rng.normal(0, 0.15 if kit.touch else 0.06)
    stroke = lfilter([1.0, -tilt], [1.0], stroke).astype(np.float32)
    attack = attack_of(stroke)
    stroke *= np.float32(of.usual * (velocity / 96.0) ** 2 / max(loudness(stroke, attack), 1e-9))
    return stroke, attack
