"""What a drum sounds like in seven numbers, and the recorded drums they are held against.

Populations are the hardest strokes (velocity 127) of all drum kits of Debian's sound fonts: the general
one, and elsewhere those that others recorded. A sound that two fonts share counts once.
"""

from __future__ import annotations

import hashlib
from functools import lru_cache

import mido
import numpy as np
from numpy.typing import NDArray

from benchmarks.keep import CACHE, RATE_HZ, keep_array
from benchmarks.sound_fonts import TICKS_PER_S, drum_track, sounded
from benchmarks.sounds import FONTS, attack_of

# As they are printed: of the first four the logarithm to base 2 is kept, in which hertz and seconds are even.
NAMES = (
    "first 10 ms, Hz",
    "10-100 ms, Hz",
    "to -20 dB, s",
    "to -40 dB, s",
    "crest, dB",
    "flat, dB",
    "ring flat, dB",
)
LOGARITHMIC = 4
GENERAL = "general"
ELSEWHERE = ("musescore", "small", "csound", "patches")
_PROGRAMS = (0, 8, 16, 32, 40)  # of acoustic kits; what the orchestra's kit adds are kettledrums
_LENGTH_S = 6.0
_LEAD_S = 0.05
# Keys of the General MIDI Level 1 percussion key map that are drums of one kind.
KEYS: dict[str, tuple[int, ...]] = {
    "kick": (35, 36),
    "snare": (38, 40),
    "side stick": (37,),
    "rack tom": (45, 47, 48, 50),
    "floor tom": (41, 43),
    "closed hat": (42,),
    "pedal hat": (44,),
    "open hat": (46,),
    "crash": (49, 57),
    "splash": (55,),
    "upturned crash": (52,),
    "ride": (51, 59),
    "ride bell": (53,),
    "clap": (39,),
    "tambourine": (54,),
    "shaker": (69, 70),
    "bongo": (60, 61),
    "conga": (62, 63, 64),
    "double bell": (67, 68),
    "cowbell": (56,),
    "scrape": (73, 74),
    "sticks": (75,),
    "block": (76, 77),
    "triangle": (80, 81),
}
# Which kind an instrument of ours is, by its id; what is not here has no recorded counterpart.
KIND_OF: dict[str, str] = {
    "kick": "kick",
    "snare": "snare",
    "snare-side": "side stick",
    "rack-tom": "rack tom",
    "mid-tom": "rack tom",
    "floor-tom": "floor tom",
    "hat-closed": "closed hat",
    "hat-open": "open hat",
    "hat-pedal": "pedal hat",
    "crash": "crash",
    "splash": "splash",
    "china": "upturned crash",
    "ride": "ride",
    "ride-bell": "ride bell",
    "clap": "clap",
    "clap-cupped": "clap",
    "clap-flat": "clap",
    "tambourine": "tambourine",
    "shaker": "shaker",
    "cabasa": "shaker",
    "maracas": "shaker",
    "conga": "conga",
    "conga-low": "conga",
    "conga-slap": "conga",
    "bongo": "bongo",
    "bongo-low": "bongo",
    "cowbell": "cowbell",
    "cowbell-small": "cowbell",
    "bells-high": "double bell",
    "bells-low": "double bell",
    "scrape-short": "scrape",
    "scrape-long": "scrape",
    "sticks": "sticks",
    "block-high": "block",
    "block-low": "block",
    "triangle": "triangle",
    "triangle-held": "triangle",
}
_SAME = 0.99  # how alike two spectra are that come from one recording
_QUIETEST = 1e-3


def measures(audio: NDArray[np.float32]) -> NDArray[np.float64]:
    """Seven numbers of one stroke (frames,), as ``NAMES`` says: where the energy of its first 10 ms and
    of what follows lies, how long it takes to fall, how much its peak stands over its first 100 ms, and
    how flat the spectrum of its first 300 ms is from 100 Hz to 10 kHz, weighted from the attack on and in
    the middle.
    """
    sound = np.asarray(audio, np.float64) / max(float(np.abs(audio).max()), 1e-9)
    sound = sound[attack_of(sound.astype(np.float32)) :]
    sound = np.concatenate([sound, np.zeros(max(0, RATE_HZ // 2 - len(sound)))])
    size = round(0.005 * RATE_HZ)
    power = np.convolve(sound**2, np.ones(size) / size, "valid")[::44]
    level_db = 10 * np.log10(power + 1e-14)
    count = round(0.3 * RATE_HZ)
    crest_db = 20 * np.log10(np.abs(sound).max() / np.sqrt(np.mean(sound[: RATE_HZ // 10] ** 2)))
    return np.array(
        [
            np.log2(_centre_hz(sound[: RATE_HZ // 100])),
            np.log2(_centre_hz(sound[RATE_HZ // 100 : RATE_HZ // 10])),
            *(
                np.log2(np.flatnonzero(level_db >= level_db.max() - fall)[-1] * 44 / RATE_HZ)
                for fall in (20, 40)
            ),
            crest_db,
            _flatness_db(sound[:count] * np.hanning(2 * count)[count:]),
            _flatness_db(sound[:count] * np.hanning(count)),
        ]
    )


def _centre_hz(sound: NDArray[np.float64]) -> float:
    power = np.abs(np.fft.rfft(sound, 8192)) ** 2
    return float(power @ np.fft.rfftfreq(8192, 1 / RATE_HZ) / max(power.sum(), 1e-30))


def _flatness_db(sound: NDArray[np.float64]) -> float:
    power = np.abs(np.fft.rfft(sound, 16384)) ** 2
    hz = np.fft.rfftfreq(16384, 1 / RATE_HZ)
    part = power[(hz >= 100) & (hz <= 10000)]
    part = part + 1e-20 * part.max() + 1e-30
    return float(10 * np.log10(np.exp(np.mean(np.log(part))) / np.mean(part)))


@lru_cache(maxsize=32)
def _strokes(font: str, program: int) -> dict[int, NDArray[np.float32]]:
    """The hardest stroke of every key of a kit that sounds."""
    keys = sorted({key for keys in KEYS.values() for key in keys})
    named = hashlib.sha256(repr(("hardest", font, program, keys, _LENGTH_S)).encode()).hexdigest()[:24]
    kept = CACHE / f"{named}.npy"
    if not kept.exists():
        track, now = drum_track(program), 0
        for number, key in enumerate(keys):
            for at_s, velocity in ((_LEAD_S, 127), (_LENGTH_S - 0.3, 0)):
                tick = round((number * _LENGTH_S + at_s) * TICKS_PER_S)
                track.append(mido.Message("note_on", channel=9, note=key, velocity=velocity, time=tick - now))
                now = tick
        keep_array(kept, sounded(track, FONTS[font], _LENGTH_S * len(keys), gain=0.3))
    audio, size = np.load(kept), round(_LENGTH_S * RATE_HZ)
    rows = {key: audio[number * size : (number + 1) * size] for number, key in enumerate(keys)}
    return {key: row for key, row in rows.items() if np.abs(row).max() > _QUIETEST}


def recorded(kind: str, fonts: tuple[str, ...]) -> NDArray[np.float64]:
    """The measures of every recorded drum of a kind, (drums, 7)."""
    found: list[NDArray[np.float64]] = []
    spectra: list[NDArray[np.float64]] = []
    for font in fonts:
        for program in (0,) if font == "patches" else _PROGRAMS:
            for key in KEYS[kind]:
                stroke = _strokes(font, program).get(key)
                if stroke is None:
                    continue
                begin = max(attack_of(stroke) - 200, 0)
                spectrum = np.abs(np.fft.rfft(stroke[begin : begin + 12000], 16384))
                spectrum /= np.linalg.norm(spectrum)
                if all(float(spectrum @ other) < _SAME for other in spectra):
                    spectra.append(spectrum)
                    found.append(measures(stroke))
    return np.array(found).reshape(-1, len(NAMES))


@lru_cache(maxsize=64)
def usual(kind: str, fonts: tuple[str, ...] = (GENERAL, *ELSEWHERE)) -> NDArray[np.float64]:
    """The 10th, 50th and 90th percentile of each measure of a kind, (3, 7)."""
    return np.asarray(np.percentile(recorded(kind, fonts), [10, 50, 90], axis=0))
