"""What there is to learn from and to score on: loops as the core hears them, beside their truth; kept until
the core hears otherwise.
"""

from __future__ import annotations

import pickle
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from benchmarks.keep import CACHE, RATE_HZ, keep
from benchmarks.sorting.made_loops import ALL_LIBRARIES, OVER, Loop, make_loop
from nubrak.core.find import VERSION as FOUND
from nubrak.core.find import find_candidates
from nubrak.core.sort.moment_spectra import VERSION as LOOKED
from nubrak.core.sort.moment_spectra import moment_spectra
from nubrak.core.sort.sounds import SOUNDS

_MADE = 2  # a new number where loops are made otherwise
SCORED_LOOPS = 24  # of each library; never taught in any fold
_MATCH_S = 0.025
_FIRST_SCORED, _FIRST_BY_MICROPHONE, _FIRST_FEW = 1_000_000, 500_000, 700_000
OF_ALL_FEW = 3  # to so many loops that are learnt from comes one of few pieces
OF_ALL_BY_MICROPHONE = 7  # to so many loops that are learnt from comes one kit heard by one microphone
CLOSE = ("hi-hat", "ride", "snare")  # pieces with a microphone that are struck in several ways
KITS = ("fluid, musescore", "timgm6mb", "csound", "freepats", "made acoustic")  # that players sit behind
SCORED_BY_MICROPHONE = 10


@dataclass(frozen=True)
class Heard:
    """One loop: candidates, and of each which sounds are struck there, (n, sounds), as levels in dB, NaN for
    none.

    ``long``, ``short``, ``low`` are ``MomentSpectra`` in half precision; ``buried`` (n, sounds) what nobody
    hears there;
    ``truth`` the strokes: time, sound, level, velocity, whether they can be heard.
    """

    name: str
    libraries: frozenset[str]
    kind: str
    time_s: NDArray[np.float64]
    rise_db: NDArray[np.float32]
    long: NDArray[np.float16]
    short: NDArray[np.float16]
    low: NDArray[np.float16]
    level_db: NDArray[np.float32]
    buried: NDArray[np.bool_]
    truth: list[tuple[float, str, float, int, bool]]


def hear(loop: Loop, name: str) -> Heard:
    """A loop as the core hears it."""
    found = find_candidates(loop.audio, RATE_HZ, closely=True)
    look = moment_spectra(loop.audio, found.time_s, RATE_HZ)
    level = np.full((len(found), len(SOUNDS)), np.nan, np.float32)
    buried = np.zeros(level.shape, bool)
    if len(found):
        apart = np.abs(found.time_s[None] - loop.time_s[:, None])
        for row, (near, sound) in enumerate(zip(apart.argmin(axis=1), loop.sounds, strict=True)):
            if apart[row, near] <= _MATCH_S:
                at = near, SOUNDS.index(sound)
                level[at] = np.nanmax([level[at], loop.level_db[row]])
                buried[at] |= not loop.heard[row]
    truth = list(
        zip(
            loop.time_s.tolist(),
            loop.sounds,
            loop.level_db.tolist(),
            loop.velocity.tolist(),
            loop.heard.tolist(),
            strict=True,
        )
    )
    halves = (one.astype(np.float16) for one in (look.long, look.short, look.low))
    return Heard(
        name,
        loop.libraries,
        loop.kind,
        found.time_s,
        found.rise_db.astype(np.float32),
        *halves,
        level,
        buried,
        truth,
    )


def taught_libraries(seed: int) -> tuple[str, ...]:
    """Which libraries a loop to learn from is played on: one, or two, the small ones less often."""
    rng = np.random.default_rng([seed, 77])
    share = np.array([0.20, 0.11, 0.11, 0.06, 0.05, 0.17, 0.14, 0.11, 0.05])
    count = 2 if rng.random() < 0.35 else 1
    return tuple(str(one) for one in rng.choice(ALL_LIBRARIES, count, replace=False, p=share))


def _kept(
    libraries: tuple[str, ...],
    seed: int,
    vary: bool,
    by: tuple[str, ...] = (),
    of_kinds: tuple[str, ...] = (),
) -> Heard:
    name = f"{seed}-{'-'.join(libraries)}-{FOUND}-{LOOKED}-{_MADE}.heard"
    path = CACHE / "sorting" / name.replace(" ", "_")
    if path.exists():
        return pickle.loads(path.read_bytes())
    heard = hear(make_loop(libraries, seed, vary, by, of_kinds), f"{'+'.join(libraries)} {seed}")
    keep(path, pickle.dumps(heard))
    return heard


def taught(seed: int) -> Heard:
    """A loop to learn from."""
    return _kept(taught_libraries(seed), seed, vary=True)


def taught_by_microphone(seed: int) -> Heard:
    """A kit heard by one microphone to learn from."""
    seed += _FIRST_BY_MICROPHONE
    return _kept(taught_libraries(seed), seed, vary=True, by=(OVER, OVER, *CLOSE))


def taught_few(seed: int) -> Heard:
    """A loop of few pieces to learn from: without kick and snare, or of one piece alone."""
    seed += _FIRST_FEW
    return _kept(taught_libraries(seed), seed, vary=True, of_kinds=("tops", "tops", "few"))


def scored(library: str, number: int) -> Heard:
    """A loop to score on."""
    return _kept((library,), _FIRST_SCORED + number, vary=False)


def scored_by_microphone(library: str, place: str, number: int) -> Heard:
    """A kit heard by one microphone to score on."""
    seed = _FIRST_SCORED + _FIRST_BY_MICROPHONE * (1 + (OVER, *CLOSE).index(place)) + number
    return _kept((library,), seed, vary=False, by=(place,))


def _scored_by_microphone(job: tuple[str, str, int]) -> Heard:
    return scored_by_microphone(*job)


def _scored(job: tuple[str, int]) -> Heard:
    return scored(*job)


def make_all(loops: int) -> None:
    """Make and hear everything there is to score on, and so many loops to learn from."""
    jobs = [(library, number) for library in ALL_LIBRARIES for number in range(SCORED_LOOPS)]
    kits = [
        (library, place, number)
        for library in KITS
        for place in (OVER, *CLOSE)
        for number in range(SCORED_BY_MICROPHONE)
    ]
    with ProcessPoolExecutor(2) as pool:
        made = sum(1 for _ in pool.map(_scored, jobs, chunksize=4))
        made += sum(1 for _ in pool.map(_scored_by_microphone, kits, chunksize=4))
        print(made, "loops to score on", flush=True)
        made = sum(1 for _ in pool.map(taught, range(loops), chunksize=8))
        more = range(loops // OF_ALL_BY_MICROPHONE)
        made += sum(1 for _ in pool.map(taught_by_microphone, more, chunksize=8))
        made += sum(1 for _ in pool.map(taught_few, range(loops // OF_ALL_FEW), chunksize=8))
        print(made, "loops to learn from", flush=True)
