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
from pathlib import Path

import mir_eval
import numpy as np
from numpy.typing import NDArray

from benchmarks.accuracy import best_onsets
from benchmarks.keep import CACHE, RATE_HZ, keep
from benchmarks.learn import FOLDS, LIBRARIES, fold_path, taught_by
from benchmarks.microphones import Recording, Scene, labels, overheads_as_one, record
from benchmarks.proof import CLOSE_S, HEAD, WIDE_S, Heard, Tally, figures, recalls, scored
from benchmarks.sounds import Kit
from benchmarks.styles import FREE, perform
from nubrak.core.decide import Decisions, FindSettings, places
from nubrak.core.find import VERSION, Candidates
from nubrak.core.flow import PartInput, decide_all
from nubrak.core.pieces import PIECES
from nubrak.core.shape import ShapeSettings, shape
from nubrak.core.spill import find_together

SESSIONS = 8  # of each library
LENGTH_S = 40.0
_STYLES = (FREE, "ghost-note funk", FREE, "swung ride", FREE, "straight rock", FREE, "tom-heavy")
_FIRST_SEED = 500_000
_BURIED_DB, _NEAR_REST_DB = -12.0, 3.0
_TOLD_APART_S, _ENOUGH = 0.012, 30
_MADE = 2  # a new number where sessions are made otherwise


@dataclass(frozen=True)
class Performance:
    """One session as it was recorded: candidates of each microphone, its strokes as the truth has them, and
    what librosa finds there.
    """

    candidates: dict[str, Candidates]
    hits: dict[str, list[dict]]
    theirs_s: dict[str, NDArray[np.float64]]


def recorded(library: str, number: int) -> tuple[Recording, dict[str, NDArray[np.float32]]]:
    """One session on a library's drums as they are, and its microphones as sources."""
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
    return recording, audio


def performance(job: tuple[str, int]) -> Performance:
    """One session on a library's drums, as they are, kept until finding changes."""
    library, number = job
    path = CACHE / "left-out" / f"{library.replace(' ', '')}-{number}-{VERSION}-{_MADE}.pkl"
    if path.exists():
        return pickle.loads(path.read_bytes())
    recording, audio = recorded(library, number)
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
    out = Performance(find_together(audio, RATE_HZ), hits, theirs)
    keep(path, pickle.dumps(out))
    return out


def decided_in(one: Performance) -> dict[str, Decisions]:
    """What the product decides at each microphone, at default settings."""
    parts = {
        name: PartInput(name, name, found, FindSettings(), [], frozenset([name]))
        for name, found in one.candidates.items()
    }
    return decide_all(parts)


def heard_by(name: str, decided: Decisions) -> Heard:
    """What the product finds at one microphone."""
    return Heard(
        decided.time_s[decided.counts],
        shape(decided, ShapeSettings(), [], PIECES[name]).velocity,
        np.array([place.time_s for place in places({name: decided})]),
    )


def sure_and_right(hits: list[dict], decided: Decisions) -> NDArray[np.float64]:
    """How sure the product is of each candidate of a microphone, and whether it is a stroke there, (n, 2);
    without those at strokes that are neither wanted nor false.
    """
    true_s, buried_s = (
        np.array([hit["time_s"] for hit in hits if hit["required"] is required]) for required in (True, False)
    )
    right = labels(decided.time_s, true_s)
    if len(buried_s):
        known = np.abs(decided.time_s[:, None] - buried_s[None]).min(axis=1) > _TOLD_APART_S
    else:
        known = np.ones(len(right), bool)
    return np.stack([decided.stroke_probability, right], axis=1)[known]


def _worst_tenth(said: NDArray[np.float64]) -> str:
    """Of the tenths of sureness that hold enough cases, the one furthest from the truth."""
    tenth = np.minimum((said[:, 0] * 10).astype(int), 9)
    off = []
    for one in range(10):
        cases = said[tenth == one]
        if len(cases) >= _ENOUGH:
            off.append((abs(float(cases[:, 0].mean() - cases[:, 1].mean())), *cases.mean(axis=0).tolist()))
    worst = max(off)
    return f"{worst[0]:.2f} (said {worst[1]:.2f}, true {worst[2]:.2f})"


def _library(
    job: tuple[str, Path],
) -> tuple[Tally, Tally, NDArray[np.int64], dict[str, list[NDArray[np.float64]]]]:
    """All sessions of a library by what was taught, the same with what stands near the rest neither wanted
    nor false; strokes, answers and right ones of librosa; how sure and how right each piece's candidates are.
    """
    library, taught = job
    out, clear, theirs = Tally(), Tally(), np.zeros(3, np.int64)
    sure: dict[str, list[NDArray[np.float64]]] = {}
    with taught_by(taught):
        for number in range(SESSIONS):
            one = performance((library, number))
            decided = decided_in(one)
            for name, hits in one.hits.items():
                heard = heard_by(name, decided[name])
                out.add(scored(hits, heard))
                far = [hit | {"required": hit["required"] and not hit["near"]} for hit in hits]
                clear.add(scored(far, heard))
                sure.setdefault(name, []).append(sure_and_right(hits, decided[name]))
                true_s = np.array([hit["time_s"] for hit in hits])
                right = len(mir_eval.util.match_events(true_s, one.theirs_s[name], CLOSE_S))
                theirs += np.array([len(true_s), len(one.theirs_s[name]), right])
    return out, clear, theirs, sure


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
    sure: dict[str, list[NDArray[np.float64]]] = {}
    for (library, _), (tally, clear, theirs, said) in zip(jobs, results, strict=True):
        for name, tables in said.items():
            sure.setdefault(name, []).extend(tables)
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
    off = {name: _worst_tenth(np.concatenate(tables)) for name, tables in sure.items()}
    print(
        f"  sureness off by, in the worst tenth that holds {_ENOUGH} candidates: "
        + ", ".join(f"{name} {worst}" for name, worst in off.items())
    )
