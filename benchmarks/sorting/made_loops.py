"""Loops with their truth: a groove on drums of one library or two, mixed and finished."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.signal import butter, lfilter, sosfilt

from benchmarks.keep import RATE_HZ
from benchmarks.sorting.finishing import by_a_microphone, finish
from benchmarks.sorting.grooves import Played, play
from benchmarks.sorting.libraries import LIBRARIES, Voice, voices
from benchmarks.sorting.made import FAMILIES, made
from benchmarks.sorting.varied import varied

ALL_LIBRARIES = (*LIBRARIES, *FAMILIES)
# How loud each sound stands in a loop, as the level of its first 30 ms at full strength (common practice).
_LEVEL_DB = {
    "kick": 0.0,
    "snare": -1.0,
    "snare/side": -6.0,
    "clap": -3.0,
    "hi-hat/closed": -13.0,
    "hi-hat/half": -11.0,
    "hi-hat/open": -10.0,
    "hi-hat/pedal": -14.0,
    "rack-tom": -3.0,
    "mid-tom": -3.0,
    "floor-tom": -3.0,
    "crash": -6.0,
    "ride": -12.0,
    "ride/bell": -9.0,
    "tambourine": -11.0,
    "shaker": -14.0,
    "cowbell": -9.0,
    "conga": -5.0,
    "woodblock": -8.0,
    "else": -9.0,
}
OVER = "over"
_ABOVE_DB = {"kick": -8.0, "crash": 7.0, "ride": 7.0, "ride/bell": 7.0, "snare": -3.0}
_INSTRUMENTS = 400  # drawn instruments of a family


@dataclass(frozen=True)
class Loop:
    """A loop and its truth: ``time_s`` (n,) the attack of every stroke, its sound, its velocity, the level
    of its first 30 ms as mixed, before finishing, in dB, and whether it can be heard under the rest, (n,).
    """

    audio: NDArray[np.float32]
    time_s: NDArray[np.float64]
    sounds: list[str]
    velocity: NDArray[np.int64]
    level_db: NDArray[np.float64]
    heard: NDArray[np.bool_]
    libraries: frozenset[str]
    kind: str


def _half_open(voice: Voice, rng: np.random.Generator) -> Voice:
    """Hats let go a little: an open one that is damped."""
    fall_s = rng.uniform(0.05, 0.13)
    strokes = tuple(
        (s * np.exp(-np.arange(len(s)) / RATE_HZ / fall_s)).astype(np.float32)[: round(7 * fall_s * RATE_HZ)]
        for s in voice.strokes
    )
    return Voice("hi-hat/half", strokes, voice.velocities)


def _from(library: str, sound: str, program: int, rng: np.random.Generator) -> Voice | None:
    if library in FAMILIES:
        hat = sound.startswith("hi-hat")
        if (name := "hi-hat" if hat else sound) not in FAMILIES[library]:
            return None
        drawn = made(library, name, int(rng.integers(_INSTRUMENTS)))
        return drawn.get(sound) or (drawn.get("hi-hat/closed") if sound == "hi-hat/pedal" else None)
    fonts = [(font, one) for font, programs in LIBRARIES[library] for one in programs]
    of = voices(*fonts[program % len(fonts)])
    if sound == "hi-hat/half":
        return _half_open(of["hi-hat/open"][0], rng) if "hi-hat/open" in of else None
    return of[sound][int(rng.integers(len(of[sound])))] if sound in of else None


def _struck(
    voice: Voice, velocity: int, speed: float, rng: np.random.Generator, machine: bool
) -> NDArray[np.float32]:
    """One stroke at a speed, no two alike where a hand plays; brought to 40 log10(v / 127), the law of DLS
    Level 1 (from memory), against a full stroke's first 30 ms.
    """
    near = int(np.argmin(np.abs(np.array(voice.velocities) - velocity)))
    stroke = voice.strokes[near]
    if not machine:
        speed *= 1 + rng.normal(0, 0.004)
    if speed != 1.0:
        stroke = np.interp(np.arange(0, len(stroke) - 1, speed), np.arange(len(stroke)), stroke)
    if not machine:
        stroke = lfilter([1.0, -rng.normal(0, 0.05)], [1.0], stroke)
    first = stroke[: round(0.03 * RATE_HZ)]
    return (stroke * (velocity / 127) ** 2 / (np.sqrt(np.mean(first**2)) + 1e-9)).astype(np.float32)


@dataclass(frozen=True)
class Instrument:
    """What one sound of a loop is played on: voices in turn as the hand wants, how loud, how fast."""

    voices: tuple[Voice, ...]
    gain_db: tuple[float, ...]
    speed: tuple[float, ...]


# Sounds of which a player has several: two drums, a palm and a slap, there and back.
_SEVERAL = {"conga": 4, "else": 3, "woodblock": 2, "cowbell": 2, "tambourine": 2, "shaker": 2}


def _voice_of(
    libraries: tuple[str, ...], sound: str, program: int, rng: np.random.Generator, vary: bool
) -> Voice | None:
    """One voice of a sound, out of one of the libraries."""
    voice = _from(libraries[int(rng.integers(len(libraries)))], sound, program, rng)
    if voice is None or not vary or rng.random() < 0.2:
        return voice
    layer = None
    if sound != "else":
        layer = _from(libraries[int(rng.integers(len(libraries)))], sound, int(rng.integers(1000)), rng)
    return varied(voice, rng, layer)


def _instrument(
    libraries: tuple[str, ...], sound: str, program: int, rng: np.random.Generator, vary: bool
) -> Instrument | None:
    most = _SEVERAL.get(sound, 1)
    count = int(rng.integers(1, most + 1)) if most > 1 else 1
    found = [_voice_of(libraries, sound, program, rng, vary) for _ in range(count)]
    of = tuple(voice for voice in found if voice is not None)
    if not of:
        return None
    gain_db, speed = _LEVEL_DB[sound] + rng.normal(0, 4), float(np.exp(rng.normal(0, 0.08)))
    return Instrument(
        of,
        tuple(gain_db + (rng.normal(0, 2.5) if k else 0.0) for k in range(len(of))),
        tuple(speed * (float(np.exp(rng.normal(0, 0.15))) if k else 1.0) for k in range(len(of))),
    )


def _hats(
    libraries: tuple[str, ...], sounds: list[str], program: int, rng: np.random.Generator, vary: bool
) -> dict[str, Instrument]:
    """One pair of hats, the same instrument in all its ways."""
    library, drawn = libraries[int(rng.integers(len(libraries)))], int(rng.integers(1 << 30))
    gain_db, speed, out = rng.normal(0, 4), float(np.exp(rng.normal(0, 0.08))), {}
    for sound in sounds:
        voice = _from(library, sound, program, np.random.default_rng(drawn))
        if voice is not None and vary and drawn % 5:
            voice = varied(voice, np.random.default_rng(drawn), None)
        if voice is not None:
            out[sound] = Instrument((voice,), (_LEVEL_DB[sound] + gain_db + rng.normal(0, 1),), (speed,))
    return out


def drawn_instruments(
    libraries: tuple[str, ...],
    strokes: list[Played],
    program: int,
    rng: np.random.Generator,
    vary: bool = False,
) -> dict[str, Instrument]:
    """What each sound of some strokes is played on; none for what the libraries have not."""
    sounds = list(dict.fromkeys(one.sound for one in strokes))
    out = _hats(libraries, [s for s in sounds if s.startswith("hi-hat")], program, rng, vary)
    for sound in sounds:
        if not sound.startswith("hi-hat"):
            found = _instrument(libraries, sound, program, rng, vary)
            if found is not None:
                out[sound] = found
    return out


def struck(
    on: Instrument, stroke: Played, later: list[Played], rng: np.random.Generator, machine: bool
) -> NDArray[np.float32]:
    """How one stroke sounds on its instrument; the next stroke of the hats stops one of them."""
    which = stroke.which % len(on.voices)
    sound = _struck(on.voices[which], stroke.velocity, on.speed[which], rng, machine)
    sound = sound * np.float32(10 ** (on.gain_db[which] / 20))
    if stroke.sound.startswith("hi-hat"):
        after = next((s for s in later if s.sound.startswith("hi-hat")), None)
        if after is not None:
            stop = round((after.time_s - stroke.time_s) * RATE_HZ)
            sound = sound * np.clip(1 - (np.arange(len(sound)) - stop) / 400, 0, 1)
    return sound


def make_loop(
    libraries: tuple[str, ...],
    seed: int,
    vary: bool = False,
    by: tuple[str, ...] = (),
    of_kinds: tuple[str, ...] = (),
) -> Loop:
    """A loop on drums of these libraries, ``vary`` makes other drums of them; the same seed gives the same
    loop. A kit can be heard ``by`` one of several microphones: over it, or at a piece.
    """
    rng = np.random.default_rng([seed, *"|".join(libraries).encode()])
    kinds = {
        "made acoustic": ["kit", "kit", "hands", "mixed"],
        "made analogue": ["electronic", "electronic", "mixed"],
        "made digital": ["electronic", "electronic", "mixed", "hands"],
        "made mouth": ["mouth"],
    }.get(libraries[0], ["kit", "kit", "kit", "electronic", "mixed", "hands"])
    kind = "kit" if by else str(rng.choice(of_kinds or kinds))
    strokes, length_s = play(rng, kind)
    program, machine = int(rng.integers(1000)), kind == "electronic" and rng.random() < 0.8
    chosen = drawn_instruments(libraries, strokes, program, rng, vary)
    if by:
        place = str(rng.choice(by))
        chosen = {sound: _heard_by(place, on, sound, rng) for sound, on in chosen.items()}
    strokes = [one for one in strokes if one.sound in chosen]
    return _mixed(rng, strokes, length_s, chosen, machine, frozenset(libraries), kind, vary, bool(by))


def _heard_by(place: str, on: Instrument, sound: str, rng: np.random.Generator) -> Instrument:
    """An instrument as a microphone hears it: over the kit cymbals loud and skins soft, at a piece that piece
    (common practice).
    """
    by_db = _ABOVE_DB.get(sound, 4.0 if sound.startswith("hi-hat") else 0.0) + rng.normal(0, 2)
    if place != OVER:
        own = sound.partition("/")[0] == place
        by_db = rng.uniform(10, 18) if own else rng.uniform(-12, 0)
        by_db -= _LEVEL_DB[sound] + 4.0 if own else 0.0
    return Instrument(on.voices, tuple(one + by_db for one in on.gain_db), on.speed)


def _wires(rng: np.random.Generator) -> NDArray[np.float32]:
    """Snare wires that rattle along when another drum is struck."""
    t = np.arange(round(0.4 * RATE_HZ)) / RATE_HZ
    low_hz = rng.uniform(900, 2500)
    sos = butter(1, [low_hz, rng.uniform(3, 5) * low_hz], "bandpass", fs=RATE_HZ, output="sos")
    noise = sosfilt(sos, rng.standard_normal(len(t)))
    fall = np.exp(-t / rng.uniform(0.03, 0.12)) * (1 - np.exp(-t / rng.uniform(0.003, 0.015)))
    out = noise * fall
    return (out / np.sqrt(np.mean(out[: round(0.03 * RATE_HZ)] ** 2))).astype(np.float32)


def _mixed(
    rng: np.random.Generator,
    strokes: list[Played],
    length_s: float,
    chosen: dict[str, Instrument],
    machine: bool,
    libraries: frozenset[str],
    kind: str,
    vary: bool,
    by_microphone: bool,
) -> Loop:
    size = round(length_s * RATE_HZ)
    out, level_db, begins, own = np.zeros(size, np.float64), [], [], []
    wires, rattle_db = None, float(rng.uniform(-32, -16))
    if vary and kind in ("kit", "mixed") and rng.random() < 0.3:
        wires = _wires(rng)
    for number, one in enumerate(strokes):
        begin = min(round(one.time_s * RATE_HZ), size - 1)
        sound = struck(chosen[one.sound], one, strokes[number + 1 :], rng, machine)
        level_db.append(20 * np.log10(np.sqrt(np.mean(sound[: round(0.03 * RATE_HZ)] ** 2)) + 1e-9))
        if wires is not None and (one.sound == "kick" or one.sound.endswith("tom")):
            rattle = np.float32(10 ** ((level_db[-1] + rattle_db + rng.normal(0, 2)) / 20)) * wires
            sound = np.pad(sound, (0, max(0, len(wires) - len(sound))))
            sound[: len(wires)] += rattle
        # What rings over the end is heard at the beginning, as in a loop that was cut out of its own repeat.
        for at in range(0, len(sound), size):
            stretch = sound[at : at + size]
            first = stretch[: size - begin]
            out[begin : begin + len(first)] += first
            if len(stretch) > len(first):
                out[: len(stretch) - len(first)] += 0.7 * stretch[len(first) :]
        begins.append(begin)
        own.append(sound[:_HEARD_IN])
    finished = by_a_microphone if by_microphone else finish
    audio = finished(rng, out.astype(np.float32))
    heard = _heard(out, audio, begins, own)
    lead = 0 if rng.random() < 0.6 else int(rng.integers(0, RATE_HZ // 5))
    audio = np.concatenate([np.zeros(lead, np.float32), audio])
    return Loop(
        audio,
        (np.array(begins, np.int64) + lead) / RATE_HZ,
        [one.sound for one in strokes],
        np.array([one.velocity for one in strokes], np.int64),
        np.array(level_db),
        heard,
        libraries,
        kind,
    )


_HEARD_IN = 2048  # samples: a stroke's first 46 ms
_BURIED_DB = -12.0  # further under everything else in every band, nobody hears it (common practice)
_LOST_DB = -25.0  # a band that finishing took away
_EDGES = np.geomspace(40, 20000, 15)


def _bands(x: NDArray[np.float64]) -> NDArray[np.float64]:
    """Power in a few wide bands of signals (n, ``_HEARD_IN``), (n, 14)."""
    power = np.abs(np.fft.rfft(x * np.hanning(2 * _HEARD_IN)[_HEARD_IN:], axis=1)) ** 2
    at = np.searchsorted(_EDGES, np.fft.rfftfreq(_HEARD_IN, 1 / RATE_HZ)) - 1
    return np.stack([power[:, at == k].sum(axis=1) for k in range(14)], axis=1) + 1e-9


def _heard(
    mixed: NDArray[np.float64],
    finished: NDArray[np.float32],
    begins: list[int],
    own: list[NDArray[np.float32]],
) -> NDArray[np.bool_]:
    """Which strokes stand out in at least one band that finishing left, (n,)."""
    if not begins:
        return np.zeros(0, bool)

    def cut(x: NDArray[np.floating]) -> NDArray[np.float64]:
        padded = np.concatenate([x, np.zeros(_HEARD_IN)])
        return np.stack([padded[at : at + _HEARD_IN] for at in begins]).astype(np.float64)

    alone = np.stack([np.pad(one, (0, _HEARD_IN - len(one))) for one in own]).astype(np.float64)
    whole = cut(mixed)
    ratio = 10 * np.log10(_bands(alone) / _bands(whole - alone))
    left = 10 * np.log10(_bands(cut(finished)).mean(axis=0) / _bands(whole).mean(axis=0))
    ratio[:, left < np.median(left) + _LOST_DB] = -99.0
    floor = _bands(whole).sum(axis=1).max() * 1e-6
    ratio[_bands(alone) < floor] = -99.0
    return ratio.max(axis=1) > _BURIED_DB
