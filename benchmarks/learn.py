"""Teaching the core what a stroke is like among spill, ringing and noise: `python -m
benchmarks.learn make`, then `folds`, `fit`. Whole loops are taught by `python -m
benchmarks.learn_loops`.

Sessions of free play, no style of the accuracy benchmark, on made-up kits whose pieces come from one library
of sounds or two and are made others of their kind, through any choice of microphones. The kit and the styles
that the accuracy benchmark keeps apart never appear. `folds` teaches the same without whole libraries.
"""

from __future__ import annotations

import pickle
import sys
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass
from importlib import import_module
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from sklearn.ensemble import HistGradientBoostingClassifier
from sklearn.linear_model import LogisticRegression

from benchmarks.free_play import programmed
from benchmarks.microphones import Scene, labels, overheads_as_one, record, truth_of
from benchmarks.sounds import CACHE, RATE_HZ, Kit
from benchmarks.styles import FREE, perform
from nubrak.core.decide import AGAINST, FEATURES, FOR, TAUGHT, Taught, evidence_of, leaks_by
from nubrak.core.decide.stroke_probability import Forest, forest_taught_on, log_odds
from nubrak.core.find import VERSION, Candidates, find_candidates, within
from nubrak.core.pieces import PIECES
from nubrak.core.spill import PartOnsets, find_together, kind_of, loud_first, part_onsets

_GENERAL = (0, 8, 16, 24, 32, 48)
# Library (what shares samples is one) → (font, programs), and how often it is played on.
LIBRARIES: dict[str, tuple[tuple[str, tuple[int, ...]], ...]] = {
    "fluid, musescore": (("general", _GENERAL), ("musescore", (*_GENERAL, 2, 4))),
    "timgm6mb": (("small", (0, 8, 16, 24, 25, 32)),),
    "csound": (("csound", (0, 8, 16, 24, 25, 32)),),
    "opl3": (("opl3", (0,)),),
    "freepats": (("patches", (0,)),),
    "made": (("made", tuple(range(400))),),
}
_SHARES = (0.28, 0.18, 0.18, 0.08, 0.08, 0.2)
# Libraries that are left out together, and never taught to what scores on them.
FOLDS: tuple[tuple[str, ...], ...] = (
    ("fluid, musescore",),
    ("timgm6mb", "freepats"),
    ("csound", "opl3"),
    ("made",),
)
# The first so many sessions know one sound for all strengths, and no machines; of the others so many are
# played by one.
_ONE_TOUCH, _PROGRAMMED = 220, 0.12
# Of those behind the first so many, some are heard by way of walls, and some were recorded through
# compressors.
_STRAIGHT, _DIFFUSE, _SQUEEZED = 278, 0.2, 0.25
_ALIVE = 0.5  # sessions whose spill differs from stroke to stroke, as in a room
_ALONE = 8  # every so many sessions, microphones are found without the others
# Of all evidence, a branch is shown so much by chance: trees that lean on other things err less together.
_SHOWN = 0.4
_USUAL_PARTS = 5  # microphones, and more
_AUDIBLE_DB = -10.0  # a stroke that stands out less in every band teaches nothing
LENGTH_S = 40.0
SESSIONS = 512
SCENES = CACHE / "scenes"


@dataclass(frozen=True)
class RecordedSession:
    """What one session gives to learn from: candidates per microphone, and of the piece it stands at the
    attacks, (m,) in s, how hard, and how far over the rest, (m, 2) in dB; which libraries it is played on.
    """

    candidates: dict[str, Candidates]
    truth_s: dict[str, NDArray[np.float64]]
    velocity: dict[str, NDArray[np.int64]]
    over_rest_db: dict[str, NDArray[np.float64]]
    libraries: frozenset[str]


def made_up_kit(rng: np.random.Generator, touched: bool = False) -> tuple[dict[str, Kit], frozenset[str]]:
    """A kit put together from one library or two, most pieces made others of their kind; ``touched`` lets
    soft strokes on most of them sound otherwise than full ones.
    """
    count = 2 if rng.random() < 0.4 else 1
    libraries = [str(one) for one in rng.choice(list(LIBRARIES), count, replace=False, p=_SHARES)]
    out = {}
    for piece in ("kick", "snare", "hi-hat", "rack-tom", "floor-tom", "crash", "ride"):
        fonts = LIBRARIES[str(rng.choice(libraries))]
        font, programs = fonts[int(rng.integers(len(fonts)))]
        another = int(rng.integers(1, 1 << 30)) if rng.random() < 0.6 else 0
        pitch = float(np.round(np.exp(rng.normal(0, 0.1)), 2))
        touch = int(rng.integers(1, 1 << 30)) if touched and rng.random() < 0.75 else 0
        out[piece] = Kit("made up", font, int(rng.choice(programs)), pitch, another, touch)
    return out, frozenset(libraries)


def make(seed: int) -> Path:
    """The recording of one session to learn from, kept as 16 bits."""
    SCENES.mkdir(parents=True, exist_ok=True)
    path = SCENES / f"{seed}.audio"
    if path.exists():
        return path
    rng = np.random.default_rng([seed, 4711])
    later = seed >= _ONE_TOUCH
    kit, libraries = made_up_kit(rng, touched=later)
    loudest = float(rng.choice([-12.0, -12.0, -9.0, -6.0, -16.0]))
    diffuse, squeezed = np.random.default_rng([seed, 79]).random(2) if seed >= _STRAIGHT else (1.0, 1.0)
    scene = Scene(
        faults=bool(rng.random() < 0.5),
        moved=bool(rng.random() < 0.15),
        apart=float(rng.choice([1.0, 1.0, 1.0, rng.uniform(0.4, 1.6), 0.0])),
        spill_db=(-38.0, loudest),
        alive=bool(np.random.default_rng([seed, 78]).random() < _ALIVE),
        diffuse=bool(diffuse < _DIFFUSE),
        squeezed=bool(squeezed < _SQUEEZED),
    )
    strokes = perform(FREE, LENGTH_S, seed)
    if later and rng.random() < _PROGRAMMED:
        strokes = programmed(strokes, rng)
    recording = record(lambda piece: kit[piece], strokes, seed, scene)
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
        str(name): (
            truth_of(recording, name),
            recording.velocity.get(name, np.zeros(0, np.int64)),
            recording.over_rest_db.get(name, np.full((len(truth_of(recording, name)), 2), 99.0)),
        )
        for name in names
    }
    draft = path.with_suffix(".draft")
    draft.write_bytes(pickle.dumps((kept, truth, libraries)))
    return draft.replace(path)


def _cut_one_short(
    audio: dict[str, NDArray[np.int16]],
    truth: dict[str, tuple[NDArray[np.generic], ...]],
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
    truth[name] = tuple(column[before] if len(column) == len(before) else column for column in truth[name])


def recorded_session(seed: int) -> RecordedSession:
    """The candidates of one session, kept until finding changes."""
    path = SCENES / f"{seed}-{VERSION}.found"
    if path.exists():
        return pickle.loads(path.read_bytes())
    audio, truth, libraries = pickle.loads(make(seed).read_bytes())
    _cut_one_short(audio, truth, np.random.default_rng([seed, 1812]))
    signals = {name: signal.astype(np.float32) / 32767 for name, signal in audio.items()}
    # Some as they are found before the others are there, or where they cannot be laid beside each other.
    if seed % _ALONE == 0:
        candidates = {name: find_candidates(signal, RATE_HZ) for name, signal in signals.items()}
    else:
        candidates = find_together(signals, RATE_HZ)
    attacks, velocity, over_rest = ({name: of[k] for name, of in truth.items()} for k in range(3))
    heard = RecordedSession(candidates, attacks, velocity, over_rest, libraries)
    path.write_bytes(pickle.dumps(heard))
    return heard


def session_of(heard: RecordedSession) -> dict[str, PartOnsets]:
    """The sources of a session as parts of their pieces."""
    out = {}
    for name, candidates in heard.candidates.items():
        piece = PIECES[name]
        out[name] = part_onsets(
            candidates, within(piece.low_hz, piece.high_hz), frozenset([name]), kind_of(piece), piece=name
        )
    return out


def labels_of(heard: RecordedSession, key: str) -> NDArray[np.int8]:
    """Which candidates of a microphone are strokes of its piece, (n,): 1, 0, or -1 for those of strokes that
    nobody hears under the rest.
    """
    found_s, true_s = heard.candidates[key].time_s, heard.truth_s[key]
    out = labels(found_s, true_s).astype(np.int8)
    hidden = true_s[heard.over_rest_db[key][:, 0] < _AUDIBLE_DB]
    if len(hidden) and len(found_s):
        out[np.abs(found_s[:, None] - hidden[None]).min(axis=1) <= 0.010] = -1
    return out


def _first_features(seed: int) -> tuple[dict[str, NDArray[np.float32]], dict[str, NDArray[np.int8]]]:
    heard = recorded_session(seed)
    session = session_of(heard)
    own = {key: strokes.astype(np.float64) for key, strokes in loud_first(session).items()}
    leaks = leaks_by(session, own)
    return {key: evidence_of(key, session, leaks, own).features for key in session}, {
        key: labels_of(heard, key) for key in session
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
        max_features=_SHOWN,
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


def keep_forests(forests: dict[Taught, HistGradientBoostingClassifier], path: Path = TAUGHT) -> None:
    """Put taught forests where the core reads them, beside those that stand there."""
    kept: dict[str, NDArray[np.generic]] = {}
    if path.exists():
        with np.load(path, allow_pickle=False) as stored:
            known = stored["features"].tolist()
            # Features that were added behind those it knows change nothing for a forest.
            if known == list(FEATURES[: len(known)]):
                kept = {name: stored[name] for name in stored.files}
    kept |= {
        f"{name}{int(one)}": part for one, model in forests.items() for name, part in forest_of(model).items()
    }
    np.savez_compressed(path, **(kept | {"features": np.array(FEATURES)}))


def fold_path(number: int) -> Path:
    """Where the forests of a fold stand."""
    return CACHE / f"kit-fold-{number}.npz"


@dataclass(frozen=True)
class Table:
    """Every microphone of every session that was heard: its evidence at both looks, (n, features), what is
    true, (n,), the libraries, and the piece.
    """

    first: list[NDArray[np.float32]]
    second: list[NDArray[np.float32]]
    truth: list[NDArray[np.int8]]
    libraries: list[frozenset[str]]
    pieces: list[str]

    def stacked(
        self, looks: list[NDArray[np.float32]], which: list[int]
    ) -> tuple[NDArray[np.float32], NDArray[np.bool_]]:
        """Evidence and truth of some microphones, without what nobody hears."""
        features = np.concatenate([looks[k] for k in which])
        truth = np.concatenate([self.truth[k] for k in which])
        return features[truth >= 0], truth[truth >= 0] == 1


def table_of(sessions: int) -> Table:
    """The evidence that all sessions give, kept until finding or the evidence changes.

    What the second look is taught on leans on a first look taught on the other half of the sessions, whatever
    their library: a fold's forests never see a stroke of what they leave out, but their evidence of spill was
    learnt with it.
    """
    path = SCENES / f"table-{sessions}-{VERSION}-{len(FEATURES)}.pkl"
    if path.exists():
        return pickle.loads(path.read_bytes())
    with ProcessPoolExecutor(2) as pool:
        first = list(pool.map(_first_features, range(sessions), chunksize=4))
        print("sessions heard", flush=True)
        rows = [(seed, key) for seed in range(sessions) for key in first[seed][0]]
        out = Table(
            [first[s][0][k] for s, k in rows],
            [],
            [first[s][1][k] for s, k in rows],
            [recorded_session(s).libraries for s, _ in rows],
            [k for _, k in rows],
        )
        sides = [[at for at, (seed, _) in enumerate(rows) if seed % 2 == half] for half in (0, 1)]
        halves = [taught(*out.stacked(out.first, side), 150) for side in sides]
        told: list[dict[str, NDArray[np.float64]]] = [{} for _ in range(sessions)]
        for (seed, key), features in zip(rows, out.first, strict=True):
            told[seed][key] = (
                halves[1 - seed % 2].predict_proba(features)[:, 1] if len(features) else np.zeros(0)
            )
        print("first pass taught", flush=True)
        second = list(pool.map(_second_features, range(sessions), told, chunksize=4))
    out.second.extend(second[s][k] for s, k in rows)
    path.write_bytes(pickle.dumps(out))
    return out


def held_out_path(number: int) -> Path:
    """Where what a fold's forest says of the libraries it never saw is kept."""
    return CACHE / f"kit-held-out-{number}.pkl"


def keep_held_out(sessions: int, number: int) -> None:
    """What a fold's forest says of sessions on the libraries it was taught without, by piece: log odds and
    truth, (n,) each. Sessions of a few microphones, whose other pieces nobody explains, are hard on purpose
    and no measure of how sure a usual kit may be.
    """
    table, model = table_of(sessions), fold_forest(number)
    parts = FEATURES.index("session_parts")
    said: dict[str, tuple[list[NDArray[np.float64]], list[NDArray[np.bool_]]]] = {}
    for k, of in enumerate(table.libraries):
        if of <= set(FOLDS[number]) and len(table.truth[k]):
            known = (table.truth[k] >= 0) & (table.second[k][:, parts] >= _USUAL_PARTS)
            odds, truth = said.setdefault(table.pieces[k], ([], []))
            odds.append(log_odds(table.second[k][known], model))
            truth.append(table.truth[k][known] == 1)
    kept = {piece: (np.concatenate(odds), np.concatenate(truth)) for piece, (odds, truth) in said.items()}
    held_out_path(number).write_bytes(pickle.dumps(kept))


@contextmanager
def taught_by(path: Path) -> Iterator[None]:
    """Meanwhile strokes are told by the forests that stand in this file."""
    # The module, which its package hides behind the function of the same name.
    module = import_module("nubrak.core.decide.stroke_probability")
    before = module.TAUGHT  # type: ignore[attr-defined]

    def take(known: Path) -> None:
        module.TAUGHT = known  # type: ignore[attr-defined]
        module.forest_taught_on.cache_clear()
        module.calibration.cache_clear()

    take(path)
    try:
        yield
    finally:
        take(before)


def fold_forest(number: int) -> Forest:
    """The forest of a fold's second look."""
    with taught_by(fold_path(number)):
        return forest_taught_on(Taught.KIT)


def calibrate(path: Path, folds: list[int]) -> None:
    """Make forests as sure as those of these folds are right on the libraries they never saw, by piece."""
    said = [pickle.loads(held_out_path(number).read_bytes()) for number in folds]
    lines = {}
    for piece in sorted({piece for one in said for piece in one}):
        odds, truth = (np.concatenate([one[piece][k] for one in said if piece in one]) for k in (0, 1))
        model = LogisticRegression(C=1e6).fit(np.clip(odds, -13.8, 13.8)[:, None], truth)
        lines[piece] = float(model.coef_[0, 0]), float(model.intercept_[0])
    with np.load(path, allow_pickle=False) as stored:
        kept = {name: stored[name] for name in stored.files}
    kept["calibrated_pieces"] = np.array(list(lines))
    kept["calibrated_slope"], kept["calibrated_offset"] = np.array(list(lines.values())).T
    np.savez_compressed(path, **kept)
    print("calibrated", {piece: tuple(np.round(line, 2).tolist()) for piece, line in lines.items()})


def fit(sessions: int, without: tuple[str, ...] = (), path: Path = TAUGHT) -> None:
    """Teach both looks on all sessions without some libraries, and keep them."""
    table = table_of(sessions)
    which = [k for k, of in enumerate(table.libraries) if not of & set(without)]
    keep_forests(
        {
            Taught.KIT_BEFORE_SPILL: taught(*table.stacked(table.first, which), 150),
            Taught.KIT: taught(*table.stacked(table.second, which), 260),
        },
        path,
    )
    count = sum(len(table.truth[k]) for k in which)
    print(f"taught on {count} candidates; {path.stat().st_size / 1e3:.0f} kB", flush=True)


if __name__ == "__main__":
    step, sessions = sys.argv[1], int(sys.argv[2]) if len(sys.argv) > 2 else SESSIONS
    if step == "make":
        with ProcessPoolExecutor(2) as pool:
            for done, path in enumerate(pool.map(make, range(sessions))):
                print(done, path, flush=True)
    elif step == "fit":
        fit(sessions)
        calibrate(TAUGHT, list(range(len(FOLDS))))
    elif step == "folds":
        for number, left_out in enumerate(FOLDS):
            print(f"without {', '.join(left_out)}", flush=True)
            fit(sessions, left_out, fold_path(number))
            keep_held_out(sessions, number)
        for number in range(len(FOLDS)):
            # By what the others say: nothing a fold is scored on has a part in how sure it is.
            calibrate(fold_path(number), [other for other in range(len(FOLDS)) if other != number])
    else:
        sys.exit("python -m benchmarks.learn make|fit|folds [sessions]")
