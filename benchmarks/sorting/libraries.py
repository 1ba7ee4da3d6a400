"""Libraries of single strokes: the drum kits of General MIDI sound fonts, every piece struck at several
velocities.

What shares samples is one library: the MuseScore font grew out of the Fluid one, and the Fluid GS font brings
no drums of its own.
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import mido
import numpy as np
from numpy.typing import NDArray

from benchmarks.keep import CACHE, RATE_HZ, keep_array
from benchmarks.sound_fonts import TICKS_PER_S, drum_track, sounded

VELOCITIES = (25, 55, 85, 110, 127)
LEAD_S = 0.02
_SF2 = Path("/usr/share/sounds/sf2")
_GENERAL = (0, 8, 16, 24, 25, 32, 40)
# Library → (file, programs): Debian's fluid-soundfont-gm, musescore-general-soundfont-lossless,
# timgm6mb-soundfont, csound-soundfont, opl3-soundfont, freepats.
LIBRARIES: dict[str, tuple[tuple[Path, tuple[int, ...]], ...]] = {
    "fluid, musescore": (
        (_SF2 / "FluidR3_GM.sf2", (*_GENERAL, 1, 3, 5, 9, 11, 17, 33, 35)),
        (_SF2 / "MuseScore_General_Full.sf2", (*_GENERAL, 2, 4, 6, 10, 12, 18, 34)),
    ),
    "timgm6mb": ((_SF2 / "TimGM6mb.sf2", _GENERAL),),
    "csound": ((_SF2 / "sf_GMbank.sf2", _GENERAL),),
    "opl3": ((_SF2 / "OPL-3_FM_128M.sf2", (0,)),),
    "freepats": ((Path("/etc/timidity/freepats.cfg"), (0,)),),
}
# General MIDI Level 1 percussion key map → sound. A sound is a piece and, after a stroke, its articulation.
SOUND_OF_KEY: dict[int, str] = {
    35: "kick",
    36: "kick",
    37: "snare/side",
    38: "snare",
    39: "clap",
    40: "snare",
    41: "floor-tom",
    42: "hi-hat/closed",
    43: "floor-tom",
    44: "hi-hat/pedal",
    45: "mid-tom",
    46: "hi-hat/open",
    47: "mid-tom",
    48: "rack-tom",
    49: "crash",
    50: "rack-tom",
    51: "ride",
    52: "crash",
    53: "ride/bell",
    54: "tambourine",
    55: "crash",
    56: "cowbell",
    57: "crash",
    58: "else",
    59: "ride",
    60: "conga",
    61: "conga",
    62: "conga",
    63: "conga",
    64: "conga",
    65: "else",
    66: "else",
    67: "else",
    68: "else",
    69: "shaker",
    70: "shaker",
    73: "else",
    74: "else",
    75: "woodblock",
    76: "woodblock",
    77: "woodblock",
    78: "else",
    79: "else",
    80: "else",
    81: "else",
}
_LENGTH_S = {"crash": 3.0, "ride": 2.4, "ride/bell": 2.4, "hi-hat/open": 1.6, "kick": 1.0, "floor-tom": 1.5}
_BRUSHES = 40
_QUIET = 10 ** (-60 / 20)


@dataclass(frozen=True)
class Voice:
    """One sound of a library: a stroke per velocity, softest first, each from its attack on."""

    sound: str
    strokes: tuple[NDArray[np.float32], ...]
    velocities: tuple[int, ...]


def _length_s(sound: str) -> float:
    return _LENGTH_S.get(sound, 0.9)


def _sound_of(key: int, program: int) -> str | None:
    """With brushes the clap's key slaps the snare, and the second snare's stirs without a stroke."""
    if program == _BRUSHES and key in (39, 40):
        return "snare" if key == 39 else None
    return SOUND_OF_KEY[key]


def _render(font: Path, program: int) -> NDArray[np.float32]:
    """Every key at every velocity one after the other, (frames,)."""
    kept = CACHE / (
        hashlib.sha256(repr((font.name, program, VELOCITIES, sorted(SOUND_OF_KEY), 1)).encode()).hexdigest()[
            :24
        ]
        + ".npy"
    )
    if kept.exists():
        return np.asarray(np.load(kept, mmap_mode="r"))
    track, now, place_s = drum_track(program), 0, 0.0
    for key, sound in SOUND_OF_KEY.items():
        for velocity in VELOCITIES:
            for at_s, strength in ((place_s + LEAD_S, velocity), (place_s + 0.95 * _length_s(sound), 0)):
                tick = round(at_s * TICKS_PER_S)
                track.append(mido.Message("note_on", channel=9, note=key, velocity=strength, time=tick - now))
                now = tick
            track.append(mido.Message("control_change", channel=9, control=120, value=0))
            place_s += _length_s(sound)
    mono = sounded(track, font, place_s + 1 / RATE_HZ, gain=0.6)
    keep_array(kept, mono)
    return mono


def from_attack(stroke: NDArray[np.float32]) -> NDArray[np.float32] | None:
    """A stroke from where it comes within 40 dB of its peak, faded at its end; nothing where it is silent."""
    size = np.abs(stroke)
    if size.max(initial=0.0) < _QUIET:
        return None
    begin = int(np.argmax(size > 0.01 * size[: round(0.2 * RATE_HZ)].max()))
    heard = np.nonzero(size > 0.0005 * size.max())[0]
    out = stroke[begin : int(heard[-1]) + 1].astype(np.float32).copy()
    fade = min(len(out), 800)
    out[-fade:] *= np.linspace(1, 0, fade, dtype=np.float32)
    return out if len(out) > 100 else None


@lru_cache(maxsize=64)
def voices(font: Path, program: int) -> dict[str, list[Voice]]:
    """The voices of one kit by sound."""
    audio, out, place_s = _render(font, program), {}, 0.0
    for key, by_map in SOUND_OF_KEY.items():
        strokes, struck = [], []
        for velocity in VELOCITIES:
            begin, place_s = round(place_s * RATE_HZ), place_s + _length_s(by_map)
            alone = from_attack(np.asarray(audio[begin : round(place_s * RATE_HZ) - 200]))
            if alone is not None:
                strokes.append(alone)
                struck.append(velocity)
        sound = _sound_of(key, program)
        if strokes and sound is not None:
            out.setdefault(sound, []).append(Voice(sound, tuple(strokes), tuple(struck)))
    return out


if __name__ == "__main__":
    for name, fonts in LIBRARIES.items():
        for font, programs in fonts:
            for program in programs:
                found = voices(font, program)
                print(name, program, {sound: len(of) for sound, of in found.items()}, flush=True)
