"""`./nubrak benchmark left-out`: kits of whole libraries of sounds that were never taught, found at default
settings by what was taught without them (`python -m benchmarks.learn folds`), beside librosa's onset detector
on the same files with its best settings for each.

Nothing is chosen on these figures. A stroke more than 12 dB under everything else in its microphone is
neither wanted nor false; those less than 3 dB over it are reported apart.
"""

from __future__ import annotations

import pickle
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from importlib import import_module
from pathlib import Path

import mir_eval
import numpy as np
from numpy.typing import NDArray

from benchmarks.accuracy import best_onsets
from benchmarks.keep import CACHE, RATE_HZ, keep
from benchmarks.learn import FOLDS, LIBRARIES, fold_path
from benchmarks.microphones import Scene, overheads_as_one, record
from benchmarks.proof import CLOSE_S, HEAD, WIDE_S, Heard, Tally, figures, recalls, scored
from benchmarks.sounds import Kit
from benchmarks.styles import FREE, perform
from nubrak.core.decide import FindSettings, places
from nubrak.core.find import VERSION, Candidates, find_candidates
from nubrak.core.flow import PartInput, decide_all
from nubrak.core.pieces import PIECES
from nubrak.core.shape import ShapeSettings, shape

SESSIONS = 8  # of each library
LENGTH_S = 40.0
_STYLES = (FREE, "ghost-note funk", FREE, "swung ride", FREE, "straight rock", FREE, "tom-heavy")
_FIRST_SEED = 500_000
_BURIED_DB, _NEAR_REST_DB = -12.0, 3.0
_MADE = 2  # a new number where sessions are made otherwise


@dataclass(frozen=True)
class Performance:
    """One session as it was recorded: candidates of each microphone, its strokes as the truth has them, and
    what librosa finds there.
    """

    candidates: dict[str, Candidates]
    hits: dict[str, list[dict]]
    theirs_s: dict[str, NDArray[np.float64]]


def performance(job: tuple[str, int]) -> Performance:
    """One session on a library's drums, as they are, kept until finding changes."""
    library, number = job
    path = CACHE / "left-out" / f"{library.replace(' ', '')}-{number}-{VERSION}-{_MADE}.pkl"
    if path.exists():
        return pickle.loads(path.read_bytes())
    seed = _FIRST_SEED + number
    rng = np.random.default_rng([seed, *library.encode()])
    fonts = LIBRARIES[library]
    font, programs = fonts[number % len(fonts)]
    kit = Kit(library, font, int(rng.choice(programs)))
    scene = Scene(faults=number % 2 == 1, spill_db=(-38.0, float(rng.choice([-12.0, -9.0]))))
    recording = record(kit, perform(_STYLES[number], LENGTH_S, seed), seed, scene)
    audio = overheads_as_one(recording)
    if number % 3 == 2:
        # A kit whose ride and rack tom have no microphone.
        audio = {name: signal for name, signal in audio.items() if name not in ("ride", "rack-tom")}
    hits, theirs = {}, {}
    for name in audio:
        if name == "crash":
            continue
        columns = zip(
            recording.attacks_s[name, name].tolist(),
            recording.velocity[name].tolist(),
            recording.kinds[name],
            recording.over_rest_db[name][:, 1].tolist(),
            strict=True,
        )
        hits[name] = [
            {
                "time_s": time_s,
                "piece": name,
                "velocity": velocity,
                "flags": [f"{kind}, near the rest" if over_db < _NEAR_REST_DB else kind],
                "required": over_db >= _BURIED_DB,
                "near": over_db < _NEAR_REST_DB,
            }
            for time_s, velocity, kind, over_db in columns
        ]
        theirs[name] = best_onsets(audio[name], recording.attacks_s[name, name])
    out = Performance({name: find_candidates(of, RATE_HZ) for name, of in audio.items()}, hits, theirs)
    keep(path, pickle.dumps(out))
    return out


def found_in(one: Performance) -> dict[str, Heard]:
    """What the product finds at each microphone, at default settings."""
    parts = {
        name: PartInput(name, name, found, FindSettings(), [], frozenset([name]))
        for name, found in one.candidates.items()
    }
    return {
        name: Heard(
            decided.time_s[decided.counts],
            shape(decided, ShapeSettings(), [], PIECES[name]).velocity,
            np.array([place.time_s for place in places({name: decided})]),
        )
        for name, decided in decide_all(parts).items()
    }


def _library(job: tuple[str, Path]) -> tuple[Tally, Tally, NDArray[np.int64]]:
    """All sessions of a library by what was taught, the same with what stands near the rest neither wanted
    nor false, and strokes, answers and right ones of librosa.
    """
    library, taught = job
    # The module, which its package hides behind the function of the same name.
    module = import_module("nubrak.core.decide.stroke_probability")
    module.TAUGHT = taught  # type: ignore[attr-defined]
    module.forest_taught_on.cache_clear()
    module.calibration.cache_clear()
    out, clear, theirs = Tally(), Tally(), np.zeros(3, np.int64)
    for number in range(SESSIONS):
        one = performance((library, number))
        heard = found_in(one)
        for name, hits in one.hits.items():
            out.add(scored(hits, heard[name]))
            far = [hit | {"required": hit["required"] and not hit["near"]} for hit in hits]
            clear.add(scored(far, heard[name]))
            true_s = np.array([hit["time_s"] for hit in hits])
            right = len(mir_eval.util.match_events(true_s, one.theirs_s[name], CLOSE_S))
            theirs += np.array([len(true_s), len(one.theirs_s[name]), right])
    return out, clear, theirs


def run() -> None:
    """Print every library, the mean and the worst."""
    jobs = [(library, fold_path(number)) for number, libraries in enumerate(FOLDS) for library in libraries]
    if not all(path.exists() for _, path in jobs):
        print("not taught yet; python -m benchmarks.learn folds")
        return
    with ProcessPoolExecutor(2) as pool:
        results = list(pool.map(_library, jobs))
    print(f"Kits of whole libraries never taught, close microphones (±{1000 * WIDE_S:.0f} ms; times ±10 ms)")
    print(f"  {'':22} {HEAD}   clear")
    everything = Tally()
    for (library, _), (tally, clear, theirs) in zip(jobs, results, strict=True):
        f = 2 * theirs[2] / max(theirs[0] + theirs[1], 1)
        print(
            f"  {library:22} {figures(tally)}   {clear.corrections:6.0f}   librosa F 10 {f:.3f}", flush=True
        )
        everything.add(tally)
    each, far = (np.array([of[k].corrections for of in results]) for k in (0, 1))
    print(f"  {'all':22} {figures(everything)}")
    print(f"  corrections in 1000: mean of libraries {np.mean(each):.1f}, worst {max(each):.1f}")
    print(
        f"  of strokes {_NEAR_REST_DB:.0f} dB and more over the rest (clear): "
        f"{np.mean(far):.1f}, worst {max(far):.1f}"
    )
    print("  found, by kind of stroke: " + recalls(everything.flags))
