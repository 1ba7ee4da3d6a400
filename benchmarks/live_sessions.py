"""Performances behind ten seconds in which each drum is played softly and hard, as live work begins: what a
trigger is taught on, and what it is scored on.
"""

from __future__ import annotations

import pickle
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from benchmarks.keep import keep
from benchmarks.learn import FOLDS, LIBRARIES, made_up_kit
from benchmarks.microphones import Scene, overheads_as_one, record, truth_of
from benchmarks.sounds import CACHE, RATE_HZ, Kit
from benchmarks.styles import FREE, Stroke, perform
from nubrak.core.decide import FindSettings
from nubrak.core.find import VERSION
from nubrak.core.flow import PartInput, decide_all
from nubrak.core.spill import find_together

CALIBRATION_S = 10.0
LENGTH_S = 40.0
SESSIONS = 160
_PIECES = ("kick", "snare", "hi-hat", "rack-tom", "floor-tom", "ride", "crash")
_TOUCHES = (42, 70, 100, 112)  # softly to hard: what a person plays who is asked for both
_APART_S, _FIRST_S, _SPREAD_S = 0.33, 0.3, 0.02
_KEPT = CACHE / "live"
_MADE = 1  # a new number where sessions are made otherwise


@dataclass(frozen=True)
class LiveSession:
    """Microphones (frames,) each by the piece they stand at; of each piece the attacks in s, how hard, and
    how far over the rest, (m, 2) in dB; which libraries it is played on. The calibration lies before
    ``CALIBRATION_S``.
    """

    audio: dict[str, NDArray[np.float32]]
    truth_s: dict[str, NDArray[np.float64]]
    velocity: dict[str, NDArray[np.int64]]
    over_rest_db: dict[str, NDArray[np.float64]]
    libraries: frozenset[str]

    @property
    def asked_s(self) -> NDArray[np.float64]:
        """From when to when each piece was asked for, (c, 2), as a window shows it."""
        each_s = len(_TOUCHES) * _APART_S
        begun = {name: at[at < CALIBRATION_S].min(initial=CALIBRATION_S) for name, at in self.truth_s.items()}
        order = sorted(begun, key=lambda name: begun[name])
        first = {name: _FIRST_S - 0.1 + k * each_s for k, name in enumerate(order)}
        first |= {name: CALIBRATION_S for name in begun if begun[name] == CALIBRATION_S}
        return np.array([(first[name], first[name] + each_s) for name in self.audio])


def calibration(pieces: list[str], rng: np.random.Generator) -> list[Stroke]:
    """Each drum by itself, softly and hard, as somebody plays who was asked to."""
    strokes, at = [], _FIRST_S
    for piece in pieces:
        for touch in _TOUCHES:
            time_s, hard = at + rng.normal(0, _SPREAD_S), int(np.clip(rng.normal(touch, 6), 20, 127))
            strokes.append(Stroke(time_s, piece, hard))
            at += _APART_S
    return strokes


def behind_calibration(strokes: list[Stroke], seed: int) -> list[Stroke]:
    """A performance with a calibration of all of its pieces before it."""
    rng = np.random.default_rng([seed, 31])
    struck = {stroke.piece.removesuffix("-bell") for stroke in strokes}
    pieces = [piece for piece in _PIECES if piece in struck or piece == "hi-hat"]
    later = [replace(stroke, time_s=stroke.time_s + CALIBRATION_S) for stroke in strokes]
    return calibration(pieces, rng) + later


def _recorded(
    kit: object, strokes: list[Stroke], seed: int, scene: Scene, libraries: frozenset[str]
) -> LiveSession:
    recording = record(kit, behind_calibration(strokes, seed), seed, scene)  # type: ignore[arg-type]
    audio = overheads_as_one(recording)
    none = np.zeros(0, np.int64)
    return LiveSession(
        audio,
        {name: truth_of(recording, name) for name in audio},
        {name: recording.velocity.get(name, none) for name in audio},
        {
            name: recording.over_rest_db.get(name, np.full((len(truth_of(recording, name)), 2), 99.0))
            for name in audio
        },
        libraries,
    )


def taught_session(seed: int) -> LiveSession:
    """One session to learn from, kept as 16 bits."""
    path = _KEPT / f"taught-{seed}-{_MADE}.pkl"
    if not path.exists():
        rng = np.random.default_rng([seed, 5150])
        kit, libraries = made_up_kit(rng, touched=seed % 2 == 1)
        diffuse, squeezed, alive = rng.random(3)
        scene = Scene(
            faults=bool(rng.random() < 0.5),
            apart=float(rng.choice([1.0, 1.0, 1.0, rng.uniform(0.4, 1.6), 0.0])),
            spill_db=(-38.0, float(rng.choice([-12.0, -12.0, -9.0, -6.0, -16.0]))),
            alive=bool(alive < 0.5),
            diffuse=bool(diffuse < 0.2),
            squeezed=bool(squeezed < 0.2),
        )
        strokes = perform(FREE, LENGTH_S, 900_000 + seed)
        one = _recorded(lambda piece: kit[piece], strokes, seed, scene, libraries)
        names = list(one.audio)
        if rng.random() < 0.3:
            names = [str(n) for n in rng.choice(names, int(rng.integers(2, len(names))), replace=False)]
        sixteen = {n: np.round(one.audio[n] * 32767).astype(np.int16) for n in names}
        path.parent.mkdir(parents=True, exist_ok=True)
        draft = path.with_suffix(".draft")
        draft.write_bytes(pickle.dumps((sixteen, one.truth_s, one.velocity, one.over_rest_db, libraries)))
        draft.replace(path)
    sixteen, *rest = pickle.loads(path.read_bytes())
    return LiveSession({n: s.astype(np.float32) / 32767 for n, s in sixteen.items()}, *rest)


def scored_session(style: str, kit: Kit, seed: int) -> LiveSession:
    """One performance of the accuracy benchmark, behind a calibration, kept."""
    path = _KEPT / f"scored-{style.replace(' ', '-')}-{kit.name.replace(' ', '-')}-{seed}-{_MADE}.pkl"
    if path.exists():
        kept: LiveSession = pickle.loads(path.read_bytes())
        return kept
    libraries = frozenset(
        name for name, fonts in LIBRARIES.items() if kit.font in [font for font, _ in fonts]
    )
    one = _recorded(kit, perform(style, LENGTH_S, seed), seed, Scene(), libraries)
    keep(path, pickle.dumps(one))
    return one


def offline_hits(one: LiveSession, name: str) -> dict[str, tuple[NDArray[np.float64], NDArray[np.float64]]]:
    """What Find decides at default settings on all of a session's audio: per microphone the attacks of its
    hits in s, (n,), and how hard each was struck in dBFS, (n,); kept under a ``name``.
    """
    path = _KEPT / f"offline-{name}-{VERSION}-{_MADE}.pkl"
    if path.exists():
        kept: dict[str, tuple[NDArray[np.float64], NDArray[np.float64]]] = pickle.loads(path.read_bytes())
        return kept
    parts = {
        name: PartInput(name, name, found, FindSettings(), [], frozenset([name]))
        for name, found in find_together(one.audio, RATE_HZ).items()
    }
    out = {
        name: (decided.time_s[decided.counts], decided.strength_db[decided.counts])
        for name, decided in decide_all(parts).items()
    }
    keep(path, pickle.dumps(out))
    return out


def fold_without(libraries: frozenset[str]) -> int:
    """The fold that was taught without these libraries."""
    return next(k for k, of in enumerate(FOLDS) if libraries <= set(of))


__all__ = ["CALIBRATION_S", "RATE_HZ", "LiveSession", "scored_session", "taught_session"]
