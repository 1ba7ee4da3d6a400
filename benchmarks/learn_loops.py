"""Teaching the core what a stroke looks like in a whole loop: `python -m benchmarks.learn_loops`.

Free play, no style of the accuracy benchmark, on made-up kits of any pieces, through all microphones and
mixed down to one signal. The kit and the styles that the accuracy benchmark keeps apart never appear.
"""

from __future__ import annotations

import pickle
import sys
from concurrent.futures import ProcessPoolExecutor

import numpy as np
from numpy.typing import NDArray

from benchmarks.learn import SCENES, keep_forests, made_up_kit, taught
from benchmarks.loops import mix_down
from benchmarks.microphones import HOME, labels
from benchmarks.performances import moments
from benchmarks.sounds import RATE_HZ
from benchmarks.styles import FREE, perform
from nubrak.core.decide import FindSettings, Taught, evidence_of
from nubrak.core.find import VERSION, Candidates, find_candidates
from nubrak.core.flow import PartInput, onsets_of_part

LOOPS = 160
LENGTH_S = 30.0
TREES = 160
_FIRST_SEED = 5000
_TOGETHER_S = 0.008
# How likely each piece is in a loop.
_LIKELY = {
    "kick": 0.85,
    "snare": 0.85,
    "hi-hat": 0.8,
    "rack-tom": 0.45,
    "floor-tom": 0.45,
    "crash": 0.45,
    "ride": 0.45,
}


def heard(seed: int) -> tuple[Candidates, NDArray[np.float64]]:
    """The candidates of one loop and the attacks in it, (n,) in s; kept until finding changes."""
    SCENES.mkdir(parents=True, exist_ok=True)
    path = SCENES / f"loop-{seed}-{VERSION}.found"
    if path.exists():
        return pickle.loads(path.read_bytes())
    rng = np.random.default_rng([seed, 909])
    kit, _ = made_up_kit(rng)
    kept = {piece for piece, share in _LIKELY.items() if rng.random() < share}
    if len(kept) < 2:
        kept |= {"kick", "hi-hat"}
    played = perform(FREE, LENGTH_S, _FIRST_SEED + seed)
    strokes = [stroke for stroke in played if HOME.get(stroke.piece, stroke.piece) in kept]
    audio, attacks_s = mix_down(lambda piece: kit[piece], strokes if len(strokes) > 8 else played, seed)
    found = find_candidates(audio, RATE_HZ, closely=True), attacks_s
    path.write_bytes(pickle.dumps(found))
    return found


def features_of(seed: int) -> tuple[NDArray[np.float32], NDArray[np.bool_]]:
    """The evidence of one loop, (n, features), and which of its candidates are strokes, (n,)."""
    candidates, attacks_s = heard(seed)
    here = onsets_of_part("loop", PartInput("loop", "loop", candidates, FindSettings(), []))
    evidence = evidence_of("loop", {"loop": here}, {}, {"loop": np.ones(len(candidates))})
    return evidence.features, labels(candidates.time_s, moments(attacks_s, _TOGETHER_S))


def run(loops: int) -> None:
    """Teach the forest for whole loops and keep it where the core reads it; say how it does on loops it was
    not taught.
    """
    with ProcessPoolExecutor(2) as pool:
        heard_all = list(pool.map(features_of, range(loops), chunksize=2))
    features, truth = (np.concatenate(column) for column in zip(*heard_all, strict=True))
    half = np.concatenate(
        [np.full(len(truth_of), number % 2) for number, (_, truth_of) in enumerate(heard_all)]
    )
    right = hits = 0
    for side in (0, 1):
        other = half == side
        counts = taught(features[~other], truth[~other], TREES).predict(features[other])
        right, hits = right + int((counts & truth[other]).sum()), hits + int(counts.sum())
    print(
        f"{len(truth)} candidates of {loops} loops; F among them, on loops not taught: "
        f"{2 * right / (hits + truth.sum()):.3f}"
    )
    keep_forests({Taught.MIX: taught(features, truth, TREES)})


if __name__ == "__main__":
    run(int(sys.argv[1]) if len(sys.argv) > 1 else LOOPS)
