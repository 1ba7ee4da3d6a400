"""A kit in a room in front of its microphones: distances, spill coloured by where it comes from, room, noise,
faults.

The truth is the attack of each stroke as it arrives in the microphone that stands at its piece.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from scipy.signal import butter, oaconvolve, sosfilt

from benchmarks.sounds import RATE_HZ, Kit, sound, struck
from benchmarks.styles import Stroke

METRES_A_SECOND = 343.0
HOME = {"pedal-hat": "hi-hat", "open-hat": "hi-hat", "half-hat": "hi-hat", "ride-bell": "ride"}
# Where pieces and microphones stand, in metres; a drummer's kit measured by eye.
PIECES_AT = {
    "kick": (0.0, 0.0, 0.3),
    "snare": (-0.35, 0.45, 0.65),
    "hi-hat": (-0.8, 0.4, 0.85),
    "rack-tom": (-0.15, 0.1, 0.85),
    "floor-tom": (0.6, 0.45, 0.6),
    "crash": (-0.6, 0.0, 1.25),
    "ride": (0.7, 0.05, 1.05),
}
CLOSE_M = {
    "kick": 0.15,
    "snare": 0.06,
    "hi-hat": 0.10,
    "rack-tom": 0.06,
    "floor-tom": 0.06,
    "crash": 0.3,
    "ride": 0.12,
}
OVERHEADS = {"overhead left": (-0.6, 0.2, 1.9), "overhead right": (0.6, 0.2, 1.9)}
_IN_OVERHEADS_DB = {
    "crash": 0,
    "ride": -5,
    "hi-hat": -8,
    "snare": -3,
    "rack-tom": -4,
    "floor-tom": -5,
    "kick": -10,
}
_USUAL_DB = -24.0


@dataclass
class Recording:
    """What the microphones took, one signal each (frames,), and the truth of every piece in every
    microphone.
    """

    audio: dict[str, NDArray[np.float32]]
    attacks_s: dict[tuple[str, str], NDArray[np.float64]] = field(default_factory=dict)  # (piece, microphone)
    velocity: dict[str, NDArray[np.int64]] = field(default_factory=dict)  # per piece, in order of time
    kinds: dict[str, list[str]] = field(default_factory=dict)
    # Per piece, in order of time: how far each stroke's first 30 ms stand over everything else in the
    # microphone at its piece, (n, 2) in dB: in the band where they stand out most, and on the whole.
    over_rest_db: dict[str, NDArray[np.float64]] = field(default_factory=dict)
    spill_db: dict[tuple[str, str], float] = field(default_factory=dict)  # (piece, microphone)
    delay_s: dict[tuple[str, str], float] = field(default_factory=dict)
    # What of a close microphone's signal is its own piece, its room with it, (frames,).
    own: dict[str, NDArray[np.float32]] = field(default_factory=dict)

    @property
    def close(self) -> list[str]:
        """The microphones that stand at one piece."""
        return [name for name in self.audio if name in self.velocity]


_SIDES = 3  # kinds of strokes that reach other microphones otherwise, where spill is alive
_SIDE_DB = 1.2  # how much louder or softer they reach them (one standard deviation)


def _side(rng: np.random.Generator) -> NDArray[np.float64]:
    """Second-order sections of what differs from stroke to stroke in what others hear of a drum."""
    bells = [_bell(rng, 3.0) for _ in range(2)]
    bells[0][:, :3] *= 10 ** (rng.normal(0, _SIDE_DB) / 20)
    return np.concatenate(bells)


def _bell(rng: np.random.Generator, spread_db: float) -> NDArray[np.float64]:
    """A bell anywhere from 120 Hz to 8 kHz, (1, 6)."""
    centre, gain, width = (
        np.exp(rng.uniform(np.log(120), np.log(8000))),
        10 ** (rng.normal(0, spread_db) / 40),
        rng.uniform(0.7, 2.0),
    )
    w = 2 * np.pi * centre / RATE_HZ
    alpha = np.sin(w) / (2 * width)
    b = np.array([1 + alpha * gain, -2 * np.cos(w), 1 - alpha * gain])
    a = np.array([1 + alpha / gain, -2 * np.cos(w), 1 - alpha / gain])
    return np.asarray(np.concatenate([b / a[0], a / a[0]])[None])


def _colour(rng: np.random.Generator, dark: float) -> NDArray[np.float64]:
    """Second-order sections of what a stroke sounds like from afar: a cut or two, and less treble."""
    sections = [butter(1, rng.uniform(4000, 12000) * (1 - 0.6 * dark), fs=RATE_HZ, output="sos")]
    if rng.random() < 0.5:
        sections.append(butter(1, rng.uniform(40, 160), "highpass", fs=RATE_HZ, output="sos"))
    return np.concatenate([*sections, *(_bell(rng, 4.0) for _ in range(2))])


def _room(rng: np.random.Generator) -> NDArray[np.float32]:
    """An impulse response without its direct sound: some reflections, then a decaying tail."""
    decay_s = rng.uniform(0.15, 0.5)
    t = np.arange(round(1.2 * decay_s * RATE_HZ)) / RATE_HZ
    tail = rng.standard_normal(len(t)) * np.exp(-6.9 * t / decay_s)
    tail[: round(0.004 * RATE_HZ)] = 0
    sos = butter(1, [200, 5000], "bandpass", fs=RATE_HZ, output="sos")
    out = sosfilt(sos, tail)
    return np.asarray(out / np.sqrt(np.sum(out**2)), np.float32)


_FIRST = round(0.03 * RATE_HZ)
_EDGES_HZ = (30.0, 150.0, 500.0, 1500.0, 5000.0, 16000.0)
_SPEAKS_DB = -25.0  # a band of a stroke so far under its loudest one says nothing of it


def _band_power(first: NDArray[np.float32]) -> NDArray[np.float64]:
    """Power of up to 30 ms in five bands, (5,)."""
    spectrum = np.abs(np.fft.rfft(first, 2 * _FIRST)) ** 2
    edges = np.searchsorted(np.fft.rfftfreq(2 * _FIRST, 1 / RATE_HZ), _EDGES_HZ)
    return np.array([spectrum[a:b].sum() for a, b in pairwise(edges)])


def _over_rest_db(
    audio: NDArray[np.float32], attacks: NDArray[np.int64], power: NDArray[np.float64]
) -> NDArray[np.float64]:
    """How far strokes at samples (n,) with band powers (n, 5) stand over the rest of a microphone, (n, 2)."""
    out = np.zeros((len(attacks), 2))
    for row, (at, own) in enumerate(zip(attacks.tolist(), power, strict=True)):
        rest = np.maximum(_band_power(audio[at : at + _FIRST]) - own, 1e-3 * own + 1e-12)
        over = 10 * np.log10((own + 1e-12) / rest)
        speaks = own >= own.max() * 10 ** (_SPEAKS_DB / 10)
        out[row] = over[speaks].max(), 10 * np.log10((own.sum() + 1e-12) / rest.sum())
    return out


@dataclass(frozen=True)
class Scene:
    """How it is recorded. With ``faults`` one microphone is clipped, one very quiet, one hums; with ``moved``
    the snare microphone is turned away half-way through. ``apart`` scales all distances (0: tracks shifted
    until they agree), ``spill_db`` bounds the spill. Where it is ``alive``, what of a stroke reaches other
    microphones differs from stroke to stroke, as a drum sounds otherwise to each side wherever it is hit.
    Where it is ``diffuse``, spill arrives by way of many walls instead of straight; where they are
    ``squeezed``, some microphones went through a compressor before they were recorded.
    """

    faults: bool = True
    moved: bool = False
    apart: float = 1.0
    spill_db: tuple[float, float] = (-35.0, -12.0)
    alive: bool = False
    diffuse: bool = False
    squeezed: bool = False


def _walls(rng: np.random.Generator) -> NDArray[np.float32]:
    """An impulse response of what arrives by way of many walls: dense from the start, and soon gone."""
    decay_s = rng.uniform(0.02, 0.12)
    t = np.arange(round(decay_s * RATE_HZ)) / RATE_HZ
    return np.asarray(rng.standard_normal(len(t)) * np.exp(-6.9 * t / decay_s), np.float32)


_STEP = 32  # samples between two gains of a compressor


def _squeezed(signal: NDArray[np.float32], rng: np.random.Generator) -> NDArray[np.float32]:
    """A signal (frames,) through a compressor, as some consoles print it."""
    attack, release = (
        np.exp(-_STEP / (RATE_HZ * rng.uniform(*bounds))) for bounds in ((0.001, 0.02), (0.04, 0.25))
    )
    part = 1 - 1 / rng.uniform(2.0, 8.0)
    steps = -(-len(signal) // _STEP)
    peaks = np.abs(np.pad(signal, (0, steps * _STEP - len(signal)))).reshape(steps, _STEP).max(axis=1)
    level_db = 20 * np.log10(peaks + 1e-6)
    over_db = np.maximum(level_db - (level_db.max() - rng.uniform(8.0, 24.0)), 0.0) * part
    down_db, now = np.zeros(steps), 0.0
    for k, wanted in enumerate(over_db.tolist()):
        keep = attack if wanted > now else release
        now = keep * now + (1 - keep) * wanted
        down_db[k] = now
    at = np.arange(len(signal)) / _STEP
    return np.asarray(signal * 10 ** (-np.interp(at, np.arange(steps) + 1.0, down_db) / 20), np.float32)


def record(
    kit: Kit | Callable[[str], Kit], strokes: list[Stroke], seed: int, scene: Scene = Scene()
) -> Recording:
    """Every stroke through every microphone. A kit may be made up of the pieces of several."""
    kit_of = kit if callable(kit) else lambda _: kit
    rng = np.random.default_rng([seed, 77])
    length = round((max(s.time_s for s in strokes) + 3.0) * RATE_HZ)
    struck_pieces = {HOME.get(s.piece, s.piece) for s in strokes}
    tracks = {piece: np.zeros(length, np.float32) for piece in sorted(struck_pieces)}
    sides = np.random.default_rng([seed, 78])
    ways = {
        piece: [np.zeros(length, np.float32) for _ in range(_SIDES if scene.alive else 0)] for piece in tracks
    }
    attacks: dict[str, list[int]] = {piece: [] for piece in tracks}
    velocity: dict[str, list[int]] = {piece: [] for piece in tracks}
    kinds: dict[str, list[str]] = {piece: [] for piece in tracks}
    power: dict[str, list[NDArray[np.float64]]] = {piece: [] for piece in tracks}
    ends: dict[str, int] = {}
    for stroke in strokes:
        piece = HOME.get(stroke.piece, stroke.piece)
        audio, attack = struck(kit_of(piece), stroke.piece, stroke.velocity, rng)
        at = round(stroke.time_s * RATE_HZ) - attack
        if at < 0:
            audio, attack, at = audio[-at:], attack + at, 0
        gain = np.float32(10 ** (_USUAL_DB / 20) / sound(kit_of(piece), piece).usual)
        of_piece = [tracks[piece], *ways[piece]]
        if piece == "hi-hat" and at > ends.get("hat", 0):
            # A hat that closes ends its own ringing.
            fade = np.linspace(1, 0, 1200, dtype=np.float32)
            for track in of_piece:
                stop = track[at : at + 1200]
                stop *= fade[: len(stop)]
                track[at + 1200 :] = 0
        reaches = [tracks[piece], ways[piece][int(sides.integers(_SIDES))]] if scene.alive else of_piece
        for track in reaches:
            piece_track = track[at : at + len(audio)]
            piece_track += gain * audio[: len(piece_track)]
        attacks[piece].append(at + attack)
        velocity[piece].append(stroke.velocity)
        kinds[piece].append(stroke.kind)
        power[piece].append(_band_power(gain * audio[attack : attack + _FIRST]))
    microphones = [p for p in ("kick", "snare", "hi-hat", "rack-tom", "floor-tom", "ride") if p in tracks]
    out = Recording({})
    room = _room(rng)
    sent = np.sum(
        [np.float32(10 ** ((_IN_OVERHEADS_DB[piece] - 8) / 20)) * track for piece, track in tracks.items()],
        axis=0,
    )
    reverberant = oaconvolve(sent, room)[:length].astype(np.float32)
    for name in [*microphones, *OVERHEADS]:
        spill = np.zeros(length, np.float32)
        own = np.zeros(length, np.float32)
        for piece, track in tracks.items():
            here = np.array(OVERHEADS[name] if name in OVERHEADS else PIECES_AT[name])
            distance = (
                CLOSE_M[piece] if piece == name else float(np.linalg.norm(here - np.array(PIECES_AT[piece])))
            )
            delay = round(scene.apart * distance / METRES_A_SECOND * RATE_HZ)
            order = np.argsort(attacks[piece])
            out.attacks_s[piece, name] = (np.array(attacks[piece])[order] + delay) / RATE_HZ
            out.velocity[piece] = np.array(velocity[piece])[order]
            out.kinds[piece] = [kinds[piece][k] for k in order.tolist()]
            out.delay_s[piece, name] = delay / RATE_HZ
            if piece == name:
                own[delay:] = track[: length - delay]
                out.spill_db[piece, name] = 0.0
                continue
            colour = _colour(rng, 0.0 if name in OVERHEADS else 0.6)
            sent_there = (
                np.sum([sosfilt(_side(sides), way[: length - delay] + 1e-9) for way in ways[piece]], axis=0)
                if scene.alive
                else track[: length - delay] + 1e-9
            )
            # A hair over nothing, for numbers too small to be normal make filters crawl.
            arrives = sosfilt(colour, sent_there).astype(np.float32)
            if scene.diffuse:
                arrives = oaconvolve(arrives, _walls(sides))[: len(arrives)].astype(np.float32)
            near_db = -12 - 17 * min(distance / 1.2, 1.2)
            level_db = (
                _IN_OVERHEADS_DB[piece] + rng.normal(0, 2)
                if name in OVERHEADS
                else float(np.clip(near_db + rng.normal(0, 4), *scene.spill_db))
            )
            as_loud = np.sqrt(float(track @ track) / max(float(arrives @ arrives), 1e-20))
            out.spill_db[piece, name] = level_db
            spill[delay:] += np.float32(10 ** (level_db / 20) * as_loud) * arrives
        if scene.moved and name == "snare":
            spill[length // 2 :] *= 2
        wet = (-14 if name in OVERHEADS else -24) + rng.normal(0, 2)
        hiss = 10 ** (rng.uniform(-84, -70) / 20) * rng.standard_normal(length, np.float32)
        out.audio[name] = (own + spill + np.float32(10 ** (wet / 20)) * reverberant + hiss).astype(np.float32)
        if name in tracks:
            from_afar = np.float32(10 ** ((_IN_OVERHEADS_DB[name] - 8 + wet) / 20)) * tracks[name]
            out.own[name] = own + oaconvolve(from_afar, room)[:length].astype(np.float32)
            order = np.argsort(attacks[name])
            at = np.round(out.attacks_s[name, name] * RATE_HZ).astype(int)
            out.over_rest_db[name] = _over_rest_db(
                out.audio[name], at, np.array([power[name][k] for k in order])
            )
    for name, signal in out.audio.items():
        gain = np.float32(10 ** (rng.normal(0, 2.5) / 20))
        signal *= gain
        if name in out.own:
            out.own[name] *= gain
    for name in out.audio:
        if scene.squeezed and sides.random() < 0.5:
            out.audio[name] = _squeezed(out.audio[name], sides)
    if scene.faults:
        clipped, quiet, hums = rng.choice(microphones, 3, replace=False)
        loud = out.audio[clipped]
        loud *= np.float32(1.6 / np.percentile(np.abs(loud), 99.97))
        out.audio[quiet] *= np.float32(10 ** (-26 / 20))
        t = np.arange(length) / RATE_HZ
        for harmonic in (1, 2, 3, 5):
            out.audio[hums] += (10 ** (-56 / 20) / harmonic * np.sin(2 * np.pi * 50 * harmonic * t)).astype(
                np.float32
            )
    for name, signal in out.audio.items():
        # As a converter of 24 bits keeps it.
        out.audio[name] = (np.round(np.clip(signal, -1, 1) * 8388607) / 8388608).astype(np.float32)
    return out


def overheads_as_one(recording: Recording) -> dict[str, NDArray[np.float32]]:
    """The microphones as sources: the overheads are one."""
    audio = {name: signal for name, signal in recording.audio.items() if not name.startswith("overhead")}
    pair = [signal for name, signal in recording.audio.items() if name.startswith("overhead")]
    return audio | ({"crash": np.asarray(sum(pair) / len(pair), np.float32)} if pair else {})


def truth_of(recording: Recording, name: str) -> NDArray[np.float64]:
    """The attacks that a source is there for, in seconds."""
    if name != "crash":
        return recording.attacks_s[name, name]
    if ("crash", "overhead left") not in recording.attacks_s:
        return np.zeros(0)
    return np.minimum(
        recording.attacks_s["crash", "overhead left"], recording.attacks_s["crash", "overhead right"]
    )


def labels(found_s: NDArray[np.float64], truth_s: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Which of the places ``found_s`` (n,) are the strokes at ``truth_s`` (m,): for each stroke the nearest
    within 10 ms that no nearer stroke has.
    """
    out = np.zeros(len(found_s), bool)
    if not len(found_s) or not len(truth_s):
        return out
    gap = np.abs(found_s[:, None] - truth_s[None])
    for row, stroke in sorted(zip(*np.nonzero(gap <= 0.010), strict=True), key=lambda pair: gap[pair]):
        if not out[row] and np.isfinite(gap[row, stroke]):
            out[row] = True
            gap[:, stroke] = np.inf
    return out
