"""A general reference beside ours: boosted trees over log spectra of single moments, one for each class,
taught on the same loops of the same folds. They see one moment at a time, and are given the moments that
ours are.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from sklearn.ensemble import HistGradientBoostingClassifier

from benchmarks.sorting.heard import Heard, taught
from benchmarks.sorting.score import CLASSES, COARSE
from nubrak.core.sort.sounds import SOUNDS

_LOOPS = 500  # of each fold: more hardly help
_FRAMES = (1, 2, 3, 4, 6, 8)
_OF = np.array([CLASSES.index(COARSE.get(sound, "other")) for sound in SOUNDS])


def features(one: Heard) -> NDArray[np.float32]:
    """Log spectra around a moment, in bands of a third of an octave, (n, features)."""
    long = one.long[:, _FRAMES].astype(np.float32)
    return long.reshape(len(long), len(_FRAMES), -1, 2).mean(axis=3).reshape(len(long), -1)


def classes_of(one: Heard) -> NDArray[np.bool_]:
    """Which classes are struck at each candidate, (n, classes)."""
    struck = ~np.isnan(one.level_db)
    return np.stack([struck[:, k == _OF].any(axis=1) for k in range(len(CLASSES))], axis=1)


def taught_without(libraries: tuple[str, ...]) -> list[HistGradientBoostingClassifier]:
    """One ensemble for each class, taught on loops without some libraries."""
    loops: list[Heard] = []
    for seed in range(4 * _LOOPS):
        one = taught(seed)
        if len(one.time_s) and not one.libraries & set(libraries):
            loops.append(one)
        if len(loops) == _LOOPS:
            break
    table, truth = (np.concatenate([of(one) for one in loops]) for of in (features, classes_of))
    return [
        HistGradientBoostingClassifier(max_iter=120, learning_rate=0.1, random_state=1).fit(
            table, truth[:, k]
        )
        for k in range(len(CLASSES))
    ]


def told_by(models: list[HistGradientBoostingClassifier], one: Heard) -> NDArray[np.float64]:
    """How likely each class is struck at each candidate, as if it were its first sound, (n, sounds)."""
    out = np.zeros((len(one.time_s), len(SOUNDS)))
    for k, model in enumerate(models):
        out[:, int(np.argmax(k == _OF))] = model.predict_proba(features(one))[:, 1]
    return out
