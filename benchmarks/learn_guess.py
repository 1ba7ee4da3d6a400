"""Teaching the core what a recording is: `python -m benchmarks.learn_guess`. A quarter of an hour; every take
that was listened to is kept.

Each kind has a small forest that says how likely a take is of it; how sure they are together is fitted to
takes of libraries that none of them was taught on (temperature scaling: Guo et al., "On calibration of modern
neural networks", 2017).
"""

from __future__ import annotations

import pickle
import sys
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize_scalar
from sklearn.ensemble import HistGradientBoostingClassifier

from benchmarks.keep import CACHE, keep
from benchmarks.learn import FOLDS, forest_of
from benchmarks.sounds import RATE_HZ
from benchmarks.takes import made_by, takes_of
from nubrak.core.decide import forest_in, log_odds
from nubrak.core.find import VERSION, find_candidates
from nubrak.core.gather.character import CHARACTER, character
from nubrak.core.gather.kinds import KINDS, TAUGHT, probabilities

_VERSION = 2  # of the takes, and of what is told of them


@dataclass(frozen=True)
class Known:
    """Takes as they are taught: (n, len(CHARACTER)), their kinds, (n,) numbers, and the fold that leaves out
    what each is played on, (n,); several folds' libraries make it -1, which no fold is scored on.
    """

    features: NDArray[np.float32]
    kind: NDArray[np.int64]
    libraries: list[frozenset[str]]
    fold: NDArray[np.int64]

    def without(self, fold: int) -> NDArray[np.bool_]:
        """Takes that have nothing of a fold's libraries."""
        gone = set(FOLDS[fold])
        apart = np.array([not one & gone for one in self.libraries])
        return apart & (self.fold != fold)


def heard(job: tuple[str, int]) -> list[tuple[str, frozenset[str], NDArray[np.float32] | None]]:
    """The takes of one job as they are told; kept."""
    path = CACHE / "guesses" / f"{job[0]}-{job[1]}-{VERSION}-{_VERSION}.pkl"
    if path.exists():
        kept: list[tuple[str, frozenset[str], NDArray[np.float32] | None]] = pickle.loads(path.read_bytes())
        return kept
    out = [
        (one.kind, one.libraries, character(one.audio, RATE_HZ, find_candidates(one.audio, RATE_HZ)))
        for one in takes_of(job)
    ]
    keep(path, pickle.dumps(out))
    return out


def known() -> Known:
    """All takes that anything is struck in."""
    with ProcessPoolExecutor(2) as pool:
        all_of = list(pool.map(heard, made_by(), chunksize=4))
    rows = [one for takes in all_of for one in takes if one[2] is not None]
    numbers = {kind.id: k for k, kind in enumerate(KINDS)}
    folds = []
    for row, (_, libraries, _) in enumerate(rows):
        of = {k for k, names in enumerate(FOLDS) if libraries & set(names)}
        # What no library plays is left out by turns.
        folds.append(row % len(FOLDS) if not of else of.pop() if len(of) == 1 else -1)
    return Known(
        np.stack([features for *_, features in rows if features is not None]),
        np.array([numbers[kind] for kind, *_ in rows]),
        [libraries for _, libraries, _ in rows],
        np.array(folds),
    )


def fitted(
    features: NDArray[np.float32], kind: NDArray[np.int64]
) -> dict[str, dict[str, NDArray[np.generic]]]:
    """A forest for each kind, as the arrays that the core reads."""
    out = {}
    for number, one in enumerate(KINDS):
        truth = kind == number
        weight = np.where(truth, (~truth).sum() / max(truth.sum(), 1) / 4.0, 1.0)
        model = HistGradientBoostingClassifier(
            learning_rate=0.12,
            max_iter=70,
            max_leaf_nodes=10,
            min_samples_leaf=12,
            l2_regularization=2.0,
            max_features=0.3,
            early_stopping=False,
            random_state=1,
        ).fit(features, truth, sample_weight=weight)
        out[one.id] = forest_of(model)
    return out


def keep_forests(forests: dict[str, dict[str, NDArray[np.generic]]], heat: float, path: Path) -> None:
    """Put taught forests where they are read."""
    parts = {f"{name}{kind}": part for kind, forest in forests.items() for name, part in forest.items()}
    path.parent.mkdir(parents=True, exist_ok=True)
    np.savez_compressed(path, **parts, features=np.array(CHARACTER), heat=np.float64(heat))  # type: ignore[arg-type]


def scores_of(features: NDArray[np.float32], path: Path) -> NDArray[np.float64]:
    """The log odds of each kind, (n, kinds)."""
    return np.stack([log_odds(features, forest_in(path, CHARACTER, one.id)) for one in KINDS], axis=1)


def heat_of(scores: NDArray[np.float64], kind: NDArray[np.int64]) -> float:
    """The temperature at which takes that were never taught are told as surely as they are told rightly."""

    def loss(log_heat: float) -> float:
        each = probabilities(scores, float(np.exp(log_heat)))
        return float(-np.log(np.maximum(each[np.arange(len(kind)), kind], 1e-9)).mean())

    return float(np.exp(minimize_scalar(loss, bounds=(-2.0, 3.0), method="bounded").x))


def fold_path(number: int) -> Path:
    """What was taught without the libraries of a fold; it comes with the benchmarks."""
    return Path(__file__).parent / "guess_folds" / f"without-{number}.npz"


def run() -> None:
    table = known()
    print(f"{len(table.kind)} takes of {len(KINDS)} kinds", flush=True)
    scores = np.zeros((len(table.kind), len(KINDS)))
    with ProcessPoolExecutor(2) as pool:
        rows = [table.without(fold) for fold in range(len(FOLDS))]
        taught = list(pool.map(fitted, [table.features[r] for r in rows], [table.kind[r] for r in rows]))
    for fold, forests in enumerate(taught):
        keep_forests(forests, 1.0, fold_path(fold))
        here = table.fold == fold
        scores[here] = scores_of(table.features[here], fold_path(fold))
    asked = table.fold >= 0
    for fold in range(len(FOLDS)):
        # As sure as the other folds' takes say: nothing a fold is scored on has a part in it.
        others = asked & (table.fold != fold)
        with np.load(fold_path(fold), allow_pickle=False) as stored:
            parts = {name: stored[name] for name in stored.files}
        parts["heat"] = np.float64(heat_of(scores[others], table.kind[others]))
        np.savez_compressed(fold_path(fold), **parts)
    keep_forests(fitted(table.features, table.kind), heat_of(scores[asked], table.kind[asked]), TAUGHT)
    right = scores[asked].argmax(axis=1) == table.kind[asked]
    print(f"told rightly on libraries left out: {right.mean():.3f}; {TAUGHT.stat().st_size / 1e3:.0f} kB")


if __name__ == "__main__":
    sys.exit(run())
