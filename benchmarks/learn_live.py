"""Teaching a trigger what a stroke is like in its first milliseconds: `python -m benchmarks.learn_live make`,
then `fit`, which also teaches without whole libraries, for what is scored.
"""

from __future__ import annotations

import sys
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from sklearn.ensemble import HistGradientBoostingClassifier

from benchmarks.learn import FOLDS, forest_of
from benchmarks.live_sessions import CALIBRATION_S, RATE_HZ, SESSIONS, LiveSession, taught_session
from nubrak.core.live.bands import hops_at
from nubrak.core.live.calibration import strokes_played
from nubrak.core.live.features import AGAINST, FEATURES, FOR
from nubrak.core.live.hearing import hear, memory, room_for_heard
from nubrak.core.live.learnt import Learnt, band_levels, learn
from nubrak.core.live.listener import TAUGHT, LivePart, inside_of, kit_of

LOOKS_MS = (0.0, 2.8, 4.9, 9.8)
_NEAR_S, _FAR_S = 0.006, 0.012  # of a stroke; between them nobody says
_HIDDEN_DB = -10.0
_AGAIN_S = 0.015


@dataclass(frozen=True)
class Heard:
    """What one session gives: (n, features), whether each is a stroke, (n,) with -1 where nobody says, and
    the libraries it is played on.
    """

    features: NDArray[np.float32]
    truth: NDArray[np.int8]
    libraries: frozenset[str]


def learnt_of(one: LiveSession) -> tuple[Learnt, list[LivePart], NDArray[np.float32]]:
    """What ten seconds of playing teach, the parts, and the performance behind it, (frames, c)."""
    audio = np.stack(list(one.audio.values()), axis=1)
    parts = [LivePart(name) for name in one.audio]
    within = np.stack([inside_of(part) for part in parts])
    begin = round(CALIBRATION_S * RATE_HZ)
    levels = band_levels(audio[:begin], RATE_HZ)
    strokes = strokes_played(levels, within, hops_at(one.asked_s, RATE_HZ))
    return learn(audio[:begin], RATE_HZ, levels, within, strokes), parts, audio


def heard_in(seed: int) -> Heard:
    one = taught_session(seed)
    learnt, parts, audio = learnt_of(one)
    begin = round((CALIBRATION_S - 0.3) * RATE_HZ)
    names = list(one.audio)
    features, truth = [], []
    for look_ms in LOOKS_MS:
        kit = kit_of(learnt, parts, look_ms)
        heard, out = memory(len(parts), RATE_HZ), room_for_heard()
        at, block = 0, np.ascontiguousarray(audio[begin:])
        waiting: dict[int, tuple[int, float]] = {}
        while at < len(block):
            count, at = hear(block, at, kit, heard, out)
            for row in range(count):
                c = int(out.channel[row])
                time_s = (begin + int(out.attack[row])) / RATE_HZ
                strokes = one.truth_s[names[c]]
                label, k = 0, -1
                if len(strokes):
                    k = int(np.argmin(np.abs(strokes - time_s)))
                    gap = abs(float(strokes[k]) - time_s)
                    label = 1 if gap <= _NEAR_S else -1 if gap <= _FAR_S else 0
                    if label and one.over_rest_db[names[c]][k, 0] < _HIDDEN_DB:
                        label = -1
                features.append(out.features[row].copy())
                truth.append(label)
                if label == 1:
                    waiting[c] = (int(out.attack[row]), float(out.power[row]))
            for c, (attack, power) in list(waiting.items()):
                if at - attack > _AGAIN_S * RATE_HZ:
                    heard.struck[c], heard.struck_power[c] = attack, power
                    del waiting[c]
    return Heard(np.array(features, np.float32), np.array(truth, np.int8), one.libraries)


def fitted(features: NDArray[np.float32], truth: NDArray[np.bool_]) -> HistGradientBoostingClassifier:
    """A small forest: it is asked in the middle of playing."""
    direction = [1 if name in FOR else -1 if name in AGAINST else 0 for name in FEATURES]
    model = HistGradientBoostingClassifier(
        learning_rate=0.1,
        max_iter=120,
        max_leaf_nodes=24,
        max_depth=6,
        min_samples_leaf=60,
        l2_regularization=3.0,
        max_features=0.5,
        monotonic_cst=direction,
        early_stopping=False,
        random_state=1,
    )
    return model.fit(features, truth)


def table(sessions: int) -> list[Heard]:
    with ProcessPoolExecutor(2) as pool:
        return list(pool.map(heard_in, range(sessions), chunksize=2))


def fit(heard: list[Heard], without: tuple[str, ...] = ()) -> HistGradientBoostingClassifier:
    """Taught on all sessions but those on some libraries."""
    kept = [one for one in heard if not one.libraries & set(without)]
    features, truth = np.concatenate([o.features for o in kept]), np.concatenate([o.truth for o in kept])
    return fitted(features[truth >= 0], truth[truth >= 0] == 1)


def fold_path(number: int) -> Path:
    """What was taught without the libraries of a fold; it comes with the benchmarks."""
    return Path(__file__).parent / "live_folds" / f"without-{number}.npz"


def keep_forest(model: HistGradientBoostingClassifier, path: Path) -> None:
    """Put a taught forest where it is read."""
    path.parent.mkdir(parents=True, exist_ok=True)
    parts = {f"{name}0": part for name, part in forest_of(model).items()}
    np.savez_compressed(path, **parts, features=np.array(FEATURES))  # type: ignore[arg-type]


if __name__ == "__main__":
    step, sessions = sys.argv[1], int(sys.argv[2]) if len(sys.argv) > 2 else SESSIONS
    if step == "make":
        with ProcessPoolExecutor(2) as pool:
            for one in pool.map(taught_session, range(sessions)):
                print(sorted(one.libraries), flush=True)
    elif step == "fit":
        heard = table(sessions)
        print(f"{sum(len(one.truth) for one in heard)} candidates of {sessions} sessions", flush=True)
        for number, left_out in enumerate(FOLDS):
            keep_forest(fit(heard, left_out), fold_path(number))
            print(f"taught without {', '.join(left_out)}", flush=True)
        keep_forest(fit(heard), TAUGHT)
        print(f"taught on all; {TAUGHT.stat().st_size / 1e3:.0f} kB")
    else:
        sys.exit("python -m benchmarks.learn_live make|fit [sessions]")
