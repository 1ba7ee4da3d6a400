"""Takes of every kind that a person may drop, by library: single microphones of a kit, cymbals, overheads,
rooms, loops, claps and hand drums, mouths, clicks, and music to play along with. Nothing of them is named.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from dataclasses import dataclass, replace

import mido
import numpy as np
from numpy.typing import NDArray
from scipy.signal import butter, oaconvolve, sosfilt

from benchmarks.free_play import programmed
from benchmarks.hands import HEARD_AS, hand, syllable, take
from benchmarks.keep import CACHE, keep_array
from benchmarks.learn import LIBRARIES, made_up_kit
from benchmarks.live_sessions import CALIBRATION_S, taught_session
from benchmarks.loops import mix_down
from benchmarks.sound_fonts import TICKS_PER_S, sounded
from benchmarks.sounds import FONTS, RATE_HZ, Kit, struck
from benchmarks.styles import FREE, perform

SESSIONS = 110
EACH = {"loop": 170, "room": 110, "crash": 90, "mouth": 130, "click": 120, "music": 140}
OF_HANDS = 50
OF_MACHINES = {"machine drum": 160, "machine loop": 60}
_LENGTHS_S = (4.0, 7.0, 12.0, 20.0)
_OF_SESSIONS_S = (8.0, 14.0, 24.0)  # a microphone of a kit is seldom recorded for some seconds only
_LATELY = 5_000_000  # seeds that nothing else uses
_FONTED = [name for name, fonts in LIBRARIES.items() if fonts[0][0] != "made"]
_HAND_KINDS = {
    "clap": "clap",
    "tambourine": "tambourine",
    "shaker": "shaker",
    "conga": "conga",
    "cowbell": "cowbell",
}
_PROGRAMS = {
    "chords": (0, 4, 5, 16, 19, 24, 25, 27, 48, 49, 50, 52, 61, 62, 88, 89, 90, 91),
    "bass": (32, 33, 34, 35, 36, 38, 39),
    "lead": (11, 12, 40, 56, 65, 66, 71, 73, 80, 81, 82),
}


@dataclass(frozen=True)
class Take:
    """One take: (frames,), what it is, and the libraries it is played on; several are made at once where they
    are microphones of one session.
    """

    audio: NDArray[np.float32]
    kind: str
    libraries: frozenset[str]


def made_by() -> list[tuple[str, int]]:
    """What has to be made for all of them: a maker and its seed each."""
    jobs = [("session", seed) for seed in range(SESSIONS)]
    jobs += [(kind, seed) for kind, count in EACH.items() for seed in range(count)]
    jobs += [(kind, seed) for kind in _HAND_KINDS for seed in range(OF_HANDS)]
    jobs += [(kind, seed) for kind, count in OF_MACHINES.items() for seed in range(count)]
    return jobs


def takes_of(job: tuple[str, int]) -> list[Take]:
    """What one job gives."""
    maker, seed = job
    rng = np.random.default_rng([_LATELY, seed, *maker.encode()])
    if maker == "session":
        return _microphones(seed, rng)
    made = _MAKERS[maker](rng) if maker in _MAKERS else _hands(maker, rng)
    return [replace(made, audio=_window(made.audio, rng))]


def _window(
    audio: NDArray[np.float32],
    rng: np.random.Generator,
    least: int = 0,
    lengths_s: tuple[float, ...] = _LENGTHS_S,
) -> NDArray[np.float32]:
    """A stretch of it, as long as takes are, at some level."""
    size = round(float(rng.choice(lengths_s)) * RATE_HZ)
    first = least + int(rng.integers(max(len(audio) - least - size, 0) + 1))
    part = audio[first : first + size]
    peak = max(float(np.abs(part).max(initial=0.0)), 1e-6)
    return (part * np.float32(10 ** (rng.uniform(-24, -0.5) / 20) / peak)).astype(np.float32)


def _microphones(seed: int, rng: np.random.Generator) -> list[Take]:
    """Every microphone of a session in which its drum is really played; the pair above it as one."""
    one = taught_session(seed)
    out = []
    for name, audio in one.audio.items():
        begin = round(CALIBRATION_S * RATE_HZ)
        kind = "overheads" if name == "crash" else name
        part = _window(audio, rng, begin, _OF_SESSIONS_S)
        struck_here = one.truth_s[name][one.truth_s[name] > CALIBRATION_S]
        if kind == "overheads" or len(struck_here) > 0.4 * (len(audio) / RATE_HZ - CALIBRATION_S):
            out.append(Take(part, kind, one.libraries))
    return out


def _loop(rng: np.random.Generator) -> Take:
    kit, libraries = made_up_kit(rng, touched=bool(rng.random() < 0.5))
    strokes = perform(FREE, 20.0, int(rng.integers(1 << 30)))
    gone = set(
        rng.choice(
            ["kick", "snare", "hi-hat", "rack-tom", "floor-tom", "crash", "ride"], int(rng.integers(3))
        )
    )
    some = [one for one in strokes if one.piece not in gone]
    audio, _ = mix_down(
        lambda piece: kit[piece], some if len(some) > 12 else strokes, int(rng.integers(1 << 30))
    )
    return Take(audio, "loop", libraries)


def _room(rng: np.random.Generator) -> Take:
    """A whole kit from far: mostly what comes back from the walls."""
    loop = _loop(rng)
    decay_s = rng.uniform(0.4, 1.8)
    t = np.arange(round(decay_s * RATE_HZ)) / RATE_HZ
    tail = rng.standard_normal(len(t)) * np.exp(-6.9 * t / decay_s)
    tail = sosfilt(
        butter(1, [rng.uniform(60, 250), rng.uniform(2500, 9000)], "bandpass", fs=RATE_HZ, output="sos"), tail
    )
    tail[: round(rng.uniform(0.003, 0.02) * RATE_HZ)] *= 0.1
    wet = oaconvolve(loop.audio, tail / np.sqrt(tail @ tail))[: len(loop.audio)]
    direct = 10 ** (rng.uniform(-14, -2) / 20)
    return Take(
        (wet / np.sqrt(wet @ wet) + direct * loop.audio / np.sqrt(loop.audio @ loop.audio)).astype(
            np.float32
        ),
        "room",
        loop.libraries,
    )


def _crash(rng: np.random.Generator) -> Take:
    """One crash through its own microphone."""
    kit, libraries = made_up_kit(rng, touched=bool(rng.random() < 0.5))
    out, at = np.zeros(26 * RATE_HZ), rng.uniform(0.1, 1.0)
    while at < 20.0:
        stroke, _ = struck(kit["crash"], "crash", int(rng.integers(50, 120)), rng)
        begin = round(at * RATE_HZ)
        out[begin : begin + len(stroke)] += stroke[: len(out) - begin]
        at += float(rng.choice([0.5, 1.0, 2.0, 4.0])) * rng.uniform(0.45, 0.65)
    return Take(_miked(out, rng), "crash", libraries)


def _machine_drum(rng: np.random.Generator) -> Take:
    """One drum as a machine plays it: even to the sample, every step alike or accented, dry."""
    kit, libraries = made_up_kit(rng)
    kind = str(
        rng.choice(["kick", "kick", "snare", "snare", "hi-hat", "hi-hat", "rack-tom", "floor-tom", "ride"])
    )
    step_s = 15.0 / rng.uniform(70, 180)
    bar = rng.random(16) < rng.choice([0.15, 0.3, 0.6])
    bar[:: int(rng.choice([2, 4, 4, 8]))] |= bool(rng.random() < 0.6)
    bar[int(rng.integers(16))] = True
    hard = np.where(rng.random(16) < 0.3, 112, 88) if rng.random() < 0.5 else np.full(16, 100)
    out = np.zeros(27 * RATE_HZ)
    same = {velocity: struck(kit[kind], kind, velocity, rng) for velocity in set(hard.tolist())}
    for k in range(int(20.0 / step_s)):
        if bar[k % 16]:
            stroke, attack = same[int(hard[k % 16])]
            begin = max(round((0.1 + k * step_s) * RATE_HZ) - attack, 0)
            out[begin : begin + len(stroke)] += stroke[: len(out) - begin]
    return Take(out.astype(np.float32), kind, libraries)


def _machine_loop(rng: np.random.Generator) -> Take:
    """A whole loop that a machine plays."""
    kit, libraries = made_up_kit(rng)
    strokes = programmed(perform(FREE, 20.0, int(rng.integers(1 << 30))), rng)
    audio, _ = mix_down(lambda piece: kit[piece], strokes, int(rng.integers(1 << 30)))
    return Take(audio, "loop", libraries)


def _hands(kind: str, rng: np.random.Generator) -> Take:
    library = str(rng.choice(_FONTED))
    font, programs = LIBRARIES[library][int(rng.integers(len(LIBRARIES[library])))]
    another = int(rng.integers(1, 1 << 30)) if rng.random() < 0.6 else 0
    kit = Kit("hands", font, int(rng.choice(programs)), float(np.exp(rng.normal(0, 0.12))), another)
    names = HEARD_AS[kind]
    names = tuple(rng.choice(names, int(rng.integers(1, len(names) + 1)), replace=False).tolist())
    audio, _ = take(lambda chance: hand(kit, names, chance), int(rng.integers(1 << 30)))
    return Take(audio, kind, frozenset({library}))


def _mouth(rng: np.random.Generator) -> Take:
    """Syllables of one mouth: a few, over and over, each a little other."""
    own = [int(rng.integers(1 << 30)) for _ in range(int(rng.integers(2, 6)))]
    throat_hz = float(rng.uniform(90, 260))

    def said(chance: np.random.Generator) -> tuple[NDArray[np.floating], int]:
        sound, attack = syllable(np.random.default_rng([int(chance.choice(own)), int(chance.integers(6))]))
        if chance.random() < 0.3:
            t = np.arange(len(sound)) / RATE_HZ
            glide = throat_hz * (1 + 0.5 * np.exp(-t / 0.03))
            hum = np.sin(2 * np.pi * np.cumsum(glide) / RATE_HZ) * np.minimum(t / 0.01, 1) * np.exp(-t / 0.07)
            sound = sound + 0.6 * np.abs(sound).max() * hum
        return sound, attack

    audio, _ = take(said, int(rng.integers(1 << 30)))
    return Take(audio, "mouth", frozenset({"mouth"}))


def _click(rng: np.random.Generator) -> Take:
    """A metronome: even to the sample, the first of a bar another, clean or as it leaks from headphones."""
    out = np.zeros(24 * RATE_HZ)
    beat_s, bar = 60.0 / rng.uniform(60, 200), int(rng.choice([1, 3, 4, 4, 6]))
    beat_s /= int(rng.choice([1, 1, 2]))
    libraries = frozenset({"click"})
    if rng.random() < 0.4:
        library = str(rng.choice(_FONTED))
        libraries = frozenset({library})
        font, programs = LIBRARIES[library][0]
        piece = str(rng.choice(["cowbell", "hi-hat", "maracas"]))
        one, attack = struck(Kit("click", font, int(programs[0])), piece, 100, rng)
        high = low = np.asarray(one[attack:], float)
        if rng.random() < 0.5:
            places = np.arange(0, len(low) - 1, 1.5)
            high = np.interp(places, np.arange(len(low)), low)
    else:
        t = np.arange(round(rng.uniform(0.01, 0.08) * RATE_HZ)) / RATE_HZ
        hz = rng.uniform(500, 2500)
        noise = rng.standard_normal(len(t)) if rng.random() < 0.3 else 0.0
        high, low = (
            (np.sin(2 * np.pi * hz * up * t) + noise) * np.exp(-t / rng.uniform(0.004, 0.03))
            for up in (rng.choice([1.5, 2.0]), 1.0)
        )
    for k in range(int(22.0 / beat_s)):
        sound = high if k % bar == 0 else low
        begin = round(k * beat_s * RATE_HZ) + 2000
        out[begin : begin + len(sound)] += sound[: len(out) - begin] * (1.0 if k % bar == 0 else 0.7)
    return Take(_miked(out, rng) if rng.random() < 0.5 else out.astype(np.float32), "click", libraries)


def _music(rng: np.random.Generator) -> Take:
    """A few bars of chords, bass and a voice, sometimes with drums under them."""
    library = str(rng.choice(_FONTED))
    fonts = LIBRARIES[library]
    font = fonts[int(rng.integers(len(fonts)))][0]
    beat = 60.0 / rng.uniform(70, 150)
    events: list[tuple[float, mido.Message]] = []
    root = int(rng.integers(40, 52))
    scale = np.array([0, 2, 4, 5, 7, 9, 11]) if rng.random() < 0.6 else np.array([0, 2, 3, 5, 7, 8, 10])
    for channel, part in enumerate(("chords", "bass", "lead")):
        if channel and rng.random() < 0.25:
            continue
        program = int(rng.choice(_PROGRAMS[part]))
        events.append((0.0, mido.Message("program_change", channel=channel, program=program)))
        at = 0.0
        while at < 20.0:
            long = (
                float(rng.choice({"chords": [2, 4], "bass": [0.5, 1, 1], "lead": [0.5, 1, 2]}[part])) * beat
            )
            step = int(rng.integers(7))
            notes = [step, step + 2, step + 4] if part == "chords" else [step]
            if part != "lead" or rng.random() < 0.7:
                for one in notes:
                    number = (
                        root
                        + {"chords": 12, "bass": -12, "lead": 24}[part]
                        + int(scale[one % 7])
                        + 12 * (one // 7)
                    )
                    hard = int(np.clip(rng.normal(85, 12), 30, 120))
                    events.append((at, mido.Message("note_on", channel=channel, note=number, velocity=hard)))
                    events.append((at + 0.95 * long, mido.Message("note_off", channel=channel, note=number)))
            at += long
    if rng.random() < 0.3:
        for k in range(int(20.0 / beat)):
            events.append((k * beat, mido.Message("note_on", channel=9, note=(36, 38)[k % 2], velocity=90)))
            events.append((k * beat, mido.Message("note_on", channel=9, note=42, velocity=70)))
    key = hashlib.sha256(repr((font, [(a, str(m)) for a, m in events])).encode()).hexdigest()[:24]
    kept = CACHE / f"music-{key}.npy"
    if not kept.exists():
        track, now = mido.MidiTrack([mido.MetaMessage("set_tempo", tempo=500_000)]), 0
        for at, message in sorted(events, key=lambda one: one[0]):
            tick = round(at * TICKS_PER_S)
            track.append(message.copy(time=tick - now))
            now = tick
        keep_array(kept, sounded(track, FONTS[font], 21.0, 0.4))
    return Take(np.asarray(np.load(kept)), "music", frozenset({library}))


def _miked(audio: NDArray[np.floating], rng: np.random.Generator) -> NDArray[np.float32]:
    """As a microphone near by hears it: a little of a room, coloured, with hiss."""
    t = np.arange(round(0.25 * RATE_HZ)) / RATE_HZ
    room = rng.standard_normal(len(t)) * np.exp(-t / rng.uniform(0.03, 0.1))
    room[: round(0.006 * RATE_HZ)] = 0
    sos = butter(1, [rng.uniform(40, 200), rng.uniform(6000, 16000)], "bandpass", fs=RATE_HZ, output="sos")
    out = sosfilt(sos, audio / max(np.abs(audio).max(), 1e-9))
    out = out + rng.uniform(0.02, 0.15) * oaconvolve(out, room / np.sqrt(room @ room))[: len(out)]
    return np.asarray(out + rng.standard_normal(len(out)) * 10 ** (rng.uniform(-80, -55) / 20), np.float32)


_MAKERS: dict[str, Callable[[np.random.Generator], Take]] = {
    "loop": _loop,
    "machine drum": _machine_drum,
    "machine loop": _machine_loop,
    "room": _room,
    "crash": _crash,
    "mouth": _mouth,
    "click": _click,
    "music": _music,
}
