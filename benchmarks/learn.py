"""Teaching the core what a stroke spectral_shape like among spill, ringing and noise: `python -m
benchmarks.learn make`, then `fit`, then `guess`. Whole loops are taught by `python -m
benchmarks.learn_loops`.

Sessions of free play, no style of the accuracy benchmark, on made-up kits whose pieces come from several
sound fonts and programs at several pitches, through any choice of microphones. The kit and the styles that
the accuracy benchmark keeps apart never appear.
"""

from __future__ import annotations

import pickle
import sys
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from sklearn.ensemble import HistGradientBoostingClassifier
from sklearn.linear_model import LogisticRegression

from benchmarks.microphones import Scene, labels, overheads_as_one, record, truth_of
from benchmarks.sounds import CACHE, RATE_HZ, Kit
from benchmarks.styles import FREE, perform
from nubrak.core.decide import AGAINST, FEATURES, FOR, TAUGHT, Taught, evidence_of, leaks_by
from nubrak.core.find import VERSION, Candidates, find_candidates, within
from nubrak.core.gather import LEAST_STROKES, spectral_shape
from nubrak.core.gather import TAUGHT as GUESS
from nubrak.core.pieces import PIECES
from nubrak.core.spill import PartOnsets, kind_of, loud_first, part_onsets

PROGRAMS = {"general": (0, 8, 16, 24, 32, 48), "small": (0, 8, 16, 24, 25, 32)}
LENGTH_S = 40.0
SESSIONS = 300
MADE_FROM = 240  # from this session on drums made by synthesis mix in
SCENES = CACHE / "scenes"


@dataclass(frozen=True)
class RecordedSession:
    """What one session gives to learn from: candidates per microphone, and the attacks of the piece it stands
    at, (m,) in s.
    """

    candidates: dict[str, Candidates]
    truth_s: dict[str, NDArray[np.float64]]
    velocity: dict[str, NDArray[np.int64]]


def made_up_kit(rng: np.random.Generator, made: bool) -> dict[str, Kit]:
    """A kit put together from all there is; with ``made`` also from drums made by synthesis."""
    out = {}
    for piece in ("kick", "snare", "hi-hat", "rack-tom", "floor-tom", "crash", "ride"):
        font = "made" if made and rng.random() < 0.6 else str(rng.choice(list(PROGRAMS)))
        program = int(rng.integers(100)) if font == "made" else int(rng.choice(PROGRAMS[font]))
        out[piece] = Kit("made up", font, program, float(np.round(np.exp(rng.normal(0, 0.1)), 2)))
    return out


def make(seed: int) -> Path:
    """The recording of one session to learn from, kept as 16 bits."""
    SCENES.mkdir(parents=True, exist_ok=True)
    path = SCENES / f"{seed}.audio"
    if path.exists():
        return path
    rng = np.random.default_rng([seed, 4711])
    kit = made_up_kit(rng, made=seed >= MADE_FROM)
    loudest = float(rng.choice([-12.0, -12.0, -9.0, -16.0]))
    scene = Scene(
        faults=bool(rng.random() < 0.5),
        moved=bool(rng.random() < 0.15),
        apart=float(rng.choice([1.0, 1.0, 1.0, rng.uniform(0.4, 1.6), 0.0])),
        spill_db=(-38.0, loudest),
    )
    recording = record(lambda piece: kit[piece], perform(FREE, LENGTH_S, seed), seed, scene)
    audio = overheads_as_one(recording)
    names = list(audio)
    choice = rng.random()
    if choice > 0.5:
        fewest = 1 if choice > 0.9 else 2
        wanted = int(rng.integers(fewest, len(names))) if len(names) > fewest else len(names)
        names = list(rng.choice(names, wanted, replace=False))
    kept = {
        str(name): np.round(audio[name] * (32767 * rng.choice([-1, 1]))).astype(np.int16) for name in names
    }
    truth = {
        str(name): (truth_of(recording, name), recording.velocity.get(name, np.zeros(0, np.int64)))
        for name in names
    }
    draft = path.with_suffix(".draft")
    draft.write_bytes(pickle.dumps((kept, truth)))
    return draft.replace(path)


def _cut_one_short(
    audio: dict[str, NDArray[np.int16]],
    truth: dict[str, tuple[NDArray[np.float64], NDArray[np.int64]]],
    rng: np.random.Generator,
) -> None:
    """In some sessions one microphone is muted half-way through, or its file ends there."""
    if len(audio) < 2 or rng.random() > 0.15:
        return
    name = str(rng.choice(list(audio)))
    end = round(len(audio[name]) * rng.uniform(0.3, 0.7))
    audio[name] = (
        audio[name][:end]
        if rng.random() < 0.5
        else np.concatenate([audio[name][:end], np.zeros(len(audio[name]) - end, np.int16)])
    )
    before = truth[name][0] < end / RATE_HZ - 0.03
    truth[name] = (
        truth[name][0][before],
        truth[name][1][before] if len(truth[name][1]) == len(before) else truth[name][1],
    )


def recorded_session(seed: int) -> RecordedSession:
    """The candidates of one session, kept until finding changes."""
    path = SCENES / f"{seed}-{VERSION}.found"
    if path.exists():
        return pickle.loads(path.read_bytes())
    audio, truth = pickle.loads(make(seed).read_bytes())
    _cut_one_short(audio, truth, np.random.default_rng([seed, 1812]))
    candidates = {
        name: find_candidates(signal.astype(np.float32) / 32767, RATE_HZ) for name, signal in audio.items()
    }
    heard = RecordedSession(
        candidates, {name: t for name, (t, _) in truth.items()}, {name: v for name, (_, v) in truth.items()}
    )
    path.write_bytes(pickle.dumps(heard))
    return heard


def session_of(heard: RecordedSession) -> dict[str, PartOnsets]:
    """The sources of a session as parts of their pieces."""
    out = {}
    for name, candidates in heard.candidates.items():
        piece = PIECES[name]
        out[name] = part_onsets(
            candidates, within(piece.low_hz, piece.high_hz), frozenset([name]), kind_of(piece)
        )
    return out


def _first_features(seed: int) -> tuple[dict[str, NDArray[np.float32]], dict[str, NDArray[np.bool_]]]:
    heard = recorded_session(seed)
    session = session_of(heard)
    own = {key: strokes.astype(np.float64) for key, strokes in loud_first(session).items()}
    leaks = leaks_by(session, own)
    return {key: evidence_of(key, session, leaks, own).features for key in session}, {
        key: labels(heard.candidates[key].time_s, heard.truth_s[key]) for key in session
    }


def _second_features(seed: int, first: dict[str, NDArray[np.float64]]) -> dict[str, NDArray[np.float32]]:
    session = session_of(recorded_session(seed))
    leaks = leaks_by(
        session, {key: strokes.astype(np.float64) for key, strokes in loud_first(session).items()}
    ) | leaks_by(session, first)
    return {key: evidence_of(key, session, leaks, first).features for key in session}


def taught(
    features: NDArray[np.float32], truth: NDArray[np.bool_], trees: int
) -> HistGradientBoostingClassifier:
    direction = [1 if name in FOR else -1 if name in AGAINST else 0 for name in FEATURES]
    model = HistGradientBoostingClassifier(
        learning_rate=0.09,
        max_iter=trees,
        max_leaf_nodes=28,
        max_depth=7,
        min_samples_leaf=60,
        l2_regularization=3.0,
        monotonic_cst=direction,
        early_stopping=False,
        random_state=1,
    )
    return model.fit(features, truth)


def forest_of(model: HistGradientBoostingClassifier) -> dict[str, NDArray[np.generic]]:
    """A fitted ensemble as the arrays that ``core.chance`` reads."""
    trees = [predictors[0].nodes for predictors in model._predictors]
    nodes = max(len(tree) for tree in trees)
    shape = (len(trees), nodes)
    feature, limit = np.zeros(shape, np.int16), np.full(shape, np.inf, np.float32)
    left, right = (np.tile(np.arange(nodes, dtype=np.int16), (len(trees), 1)) for _ in range(2))
    value = np.zeros(shape, np.float32)
    depth = 0
    for row, tree in enumerate(trees):
        inner = np.nonzero(tree["is_leaf"] == 0)[0]
        feature[row, inner] = tree["feature_idx"][inner]
        limit[row, inner] = tree["num_threshold"][inner]
        left[row, inner], right[row, inner] = tree["left"][inner], tree["right"][inner]
        leaves = np.nonzero(tree["is_leaf"])[0]
        value[row, leaves] = tree["value"][leaves]
        depth = max(depth, int(tree["depth"].max()))
    return {
        "feature": feature,
        "limit": limit,
        "left": left,
        "right": right,
        "value": value,
        "start": np.float64(model._baseline_prediction.ravel()[0]),
        "depth": np.int16(depth),
    }


def keep_forests(forests: dict[Taught, HistGradientBoostingClassifier]) -> None:
    """Put taught forests where the core reads them, beside those that stand there."""
    kept: dict[str, NDArray[np.generic]] = {}
    if TAUGHT.exists():
        with np.load(TAUGHT, allow_pickle=False) as stored:
            if stored["features"].tolist() == list(FEATURES):
                kept = {name: stored[name] for name in stored.files}
    kept |= {
        f"{name}{int(one)}": part for one, model in forests.items() for name, part in forest_of(model).items()
    }
    np.savez_compressed(TAUGHT, **(kept | {"features": np.array(FEATURES)}))


def fit(sessions: int) -> None:
    """Teach both passes and keep them where the core reads them."""
    with ProcessPoolExecutor(2) as pool:
        first = list(pool.map(_first_features, range(sessions), chunksize=4))
        print("sessions heard", flush=True)
        rows = [(seed, key) for seed in range(sessions) for key in first[seed][0]]
        side = np.array([seed % 2 for seed, _ in rows])

        def stacked(
            which: list[tuple[int, str]], table: list[dict[str, NDArray[np.float32]]]
        ) -> tuple[NDArray[np.float32], NDArray[np.bool_]]:
            return np.concatenate([table[s][k] for s, k in which]), np.concatenate(
                [first[s][1][k] for s, k in which]
            )

        table = [features for features, _ in first]
        halves = [
            taught(*stacked([row for row, at in zip(rows, side, strict=True) if at == half], table), 150)
            for half in (0, 1)
        ]
        stroke_probabilities: list[dict[str, NDArray[np.float64]]] = [{} for _ in range(sessions)]
        for seed, key in rows:
            features = table[seed][key]
            stroke_probabilities[seed][key] = (
                halves[1 - seed % 2].predict_proba(features)[:, 1] if len(features) else np.zeros(0)
            )
        print("first pass taught", flush=True)
        second = list(pool.map(_second_features, range(sessions), stroke_probabilities, chunksize=4))
    keep_forests(
        {
            Taught.KIT_BEFORE_SPILL: taught(*stacked(rows, table), 150),
            Taught.KIT: taught(*stacked(rows, second), 260),
        }
    )
    print(
        (
            f"taught on {sum(len(table[s][k]) for s, k in rows)} candidates; "
            f"{TAUGHT.stat().st_size / 1e3:.0f} kB"
        ),
        flush=True,
    )


def fit_guess(sessions: int) -> None:
    """Teach what the pieces look like, and keep it where the core reads it."""
    shown, pieces = [], []
    for seed in range(sessions):
        heard = recorded_session(seed)
        for name, candidates in heard.candidates.items():
            shape = spectral_shape(candidates)
            if shape is not None and len(heard.truth_s[name]) >= LEAST_STROKES:
                shown.append(shape)
                pieces.append(name)
    half = len(shown) * 3 // 4
    trial = LogisticRegression(C=0.3, max_iter=3000).fit(shown[:half], pieces[:half])
    print(
        f"pieces told by sound alone, on sessions not taught: {trial.score(shown[half:], pieces[half:]):.3f}"
    )
    model = LogisticRegression(C=0.3, max_iter=3000).fit(shown, pieces)
    np.savez_compressed(
        GUESS,
        pieces=model.classes_,
        weights=model.coef_.astype(np.float32),
        start=model.intercept_.astype(np.float32),
    )


if __name__ == "__main__":
    step, sessions = sys.argv[1], int(sys.argv[2]) if len(sys.argv) > 2 else SESSIONS
    if step == "make":
        with ProcessPoolExecutor(2) as pool:
            for done, path in enumerate(pool.map(make, range(sessions))):
                print(done, path, flush=True)
    elif step == "fit":
        fit(sessions)
    elif step == "guess":
        fit_guess(sessions)
    else:
        sys.exit("python -m benchmarks.learn make|fit|guess [sessions]")
