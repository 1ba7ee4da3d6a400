"""`./nubrak benchmark loops`: how whole loops are told apart on libraries of drums that were never taught.

Whole libraries are left out, some of them together; what scores them was taught on all others by
`python -m benchmarks.sorting.learn --folds`, and stands in the cache. Beside it, in the same run on the same
folds: boosted trees over log spectra, one for each class.
"""

from __future__ import annotations

import time
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from scipy.stats import spearmanr
from threadpoolctl import threadpool_limits

from benchmarks.keep import CACHE, RATE_HZ
from benchmarks.sorting.corrections import corrected
from benchmarks.sorting.heard import (
    CLOSE,
    KITS,
    SCORED_BY_MICROPHONE,
    SCORED_LOOPS,
    Heard,
    scored,
    scored_by_microphone,
)
from benchmarks.sorting.made_loops import OVER, make_loop
from benchmarks.sorting.reference import taught_without, told_by
from benchmarks.sorting.score import (
    CLASSES,
    COARSE,
    WITHIN_S,
    coarse_counts,
    f_of,
    onset_counts,
    piece_counts,
)
from nubrak.core.flow import Look, look_through
from nubrak.core.sort.listening import sounding_from
from nubrak.core.sort.moment_spectra import MomentSpectra
from nubrak.core.sort.network import Weights, tell, weights_of
from nubrak.core.sort.sorting import COUNTS_FROM, Sorted, likely, pieces_in, sort_moments
from nubrak.core.sort.sounds import SOUNDS, piece_of
from nubrak.core.sort.strength import shares_db

# Libraries that are left out together; small ones with others, so that each network keeps much to learn from.
FOLDS: tuple[tuple[str, ...], ...] = (
    ("fluid, musescore",),
    ("timgm6mb", "made analogue"),
    ("csound", "made digital", "made mouth"),
    ("opl3", "freepats", "made acoustic"),
)
_HATS = tuple(k for k, sound in enumerate(SOUNDS) if piece_of(sound) == "hi-hat")
_COARSE_OF = np.array([CLASSES.index(COARSE.get(sound, "other")) for sound in SOUNDS])


def kept(number: int) -> Path:
    """Where the network of a fold stands."""
    return CACHE / f"fold-{number}.npz"


@dataclass
class Tally:
    """What was counted of one library."""

    classes: NDArray[np.int64] = field(default_factory=lambda: np.zeros((len(CLASSES), 3), np.int64))
    onsets: NDArray[np.int64] = field(default_factory=lambda: np.zeros(3, np.int64))
    first_lost: int = 0
    loops: int = 0
    hats: list[bool] = field(default_factory=list)
    contains: NDArray[np.int64] = field(default_factory=lambda: np.zeros(3, np.int64))
    together: dict[str, list[bool]] = field(default_factory=lambda: {"snare or clap": [], "hat": []})
    strength: list[float] = field(default_factory=list)
    probability: list[NDArray[np.float64]] = field(default_factory=list)
    struck: list[NDArray[np.bool_]] = field(default_factory=list)
    corrected: NDArray[np.int64] = field(default_factory=lambda: np.zeros(2, np.int64))


def told_of(one: Heard, weights: Weights) -> NDArray[np.float32]:
    """The log odds of each sound that a network tells, (n, sounds)."""
    spectra = MomentSpectra(*(x.astype(np.float32) for x in (one.long, one.short, one.low)))
    return tell(spectra, one.time_s, one.rise_db.astype(np.float64), weights)


def take(tally: Tally, one: Heard, told: NDArray[np.float32]) -> None:
    """Count one loop in."""
    if not len(one.time_s):
        return
    probability = likely(told)
    tally.classes += coarse_counts(one, probability, COUNTS_FROM)
    tally.onsets += onset_counts(one, probability, COUNTS_FROM, 0.010)
    told_s = one.time_s[probability.max(axis=1) > COUNTS_FROM]
    first_s = min((time for time, _, _, _, heard in one.truth if heard), default=None)
    tally.loops += first_s is not None
    tally.first_lost += first_s is not None and bool(np.all(np.abs(told_s - first_s) > WITHIN_S))
    struck = ~np.isnan(one.level_db)
    heard = struck & ~one.buried
    answered = probability > COUNTS_FROM
    hats = heard[:, _HATS].any(axis=1) & (1 - np.prod(1 - probability[:, _HATS], axis=1) > COUNTS_FROM)
    right = probability[:, _HATS].argmax(axis=1) == np.nan_to_num(one.level_db[:, _HATS], nan=-999.0).argmax(
        axis=1
    )
    tally.hats += right[hats].tolist()
    truly, say = (
        {piece_of(SOUNDS[k]) for k in np.nonzero(table.any(axis=0))[0]} for table in (heard, answered)
    )
    tally.contains += np.array([len(truly), len(say), len(truly & say)])
    coarse = np.stack([heard[:, k == _COARSE_OF].any(axis=1) for k in range(len(CLASSES))], axis=1)
    said = np.stack(
        [1 - np.prod(1 - probability[:, k == _COARSE_OF], axis=1) > COUNTS_FROM for k in range(len(CLASSES))],
        axis=1,
    )
    several = coarse.sum(axis=1) > 1
    for name, of in tally.together.items():
        k = CLASSES.index(name)
        of += said[several & coarse[:, k], k].tolist()
    spectra = MomentSpectra(*(x.astype(np.float32) for x in (one.long, one.short, one.low)))
    sort = Sorted(probability, sounding_from(told, spectra))
    for k in range(len(SOUNDS)):
        under = heard[:, k] & (struck.sum(axis=1) > 1)
        if under.sum() >= 6 and np.ptp(one.level_db[under, k]) > 3:
            share_db = shares_db(sort, (SOUNDS[k],))[under]
            # A sound that is told nowhere is in no order.
            order = spearmanr(one.level_db[under, k], share_db).statistic if np.ptp(share_db) else 0.0
            tally.strength.append(float(order))
    tally.corrected += np.array(corrected(one, probability, sort.sounding))
    tally.probability.append(probability.ravel())
    tally.struck.append(struck.ravel())


def calibration(probability: NDArray[np.float64], struck: NDArray[np.bool_]) -> float:
    """The mean distance between what is said and what is, over tenths of what is said that is in any
    doubt.
    """
    doubted = (probability > 0.05) & (probability < 0.95)
    tenth = np.floor(10 * probability[doubted]).astype(int)
    gaps, weights = [], []
    for one in np.unique(tenth):
        of = tenth == one
        gaps.append(abs(probability[doubted][of].mean() - struck[doubted][of].mean()))
        weights.append(of.sum())
    return float(np.average(gaps, weights=weights)) if gaps else 0.0


def loops_of(library: str) -> Iterator[Heard]:
    """The loops a library is scored on."""
    return (scored(library, number) for number in range(SCORED_LOOPS))


def run() -> None:
    """Print every library, the mean and the worst."""
    print("Whole loops told apart, whole libraries left out (strokes within 25 ms; F)")
    print(
        f"  {'':18} {'F':>6} "
        + " ".join(f"{name[:7]:>7}" for name in CLASSES)
        + f" {'on10':>7} {'hat way':>7} {'has':>6} {'sn+':>6} {'hat+':>6}"
        + f" {'level':>6} {'by hand':>7} {'calib':>6}"
    )
    rows, above, lost = [], [], np.zeros(2, np.int64)
    for number, libraries in enumerate(FOLDS):
        if not kept(number).exists():
            print(f"  {', '.join(libraries)}: not taught yet; python -m benchmarks.sorting.learn --folds")
            continue
        weights = weights_of(kept(number))
        trees = taught_without(libraries)
        for library in libraries:
            tally = Tally()
            for one in loops_of(library):
                take(tally, one, told_of(one, weights))
            lost += np.array([tally.first_lost, tally.loops])
            rows.append((library, *_figures(tally)))
            _print(*rows[-1])
            theirs = [coarse_counts(one, told_by(trees, one), COUNTS_FROM) for one in loops_of(library)]
            cells = " ".join(f"{f:7.3f}" for f in f_of(np.sum(theirs, axis=0)))
            print(f"    boosted trees    {f_of(np.sum(theirs, axis=(0, 1))):6.3f} {cells}", flush=True)
        above += [
            (one, _from_above(one, weights), [_ways_right(one, piece, weights) for piece in CLOSE])
            for one in libraries
            if one in KITS
        ]
    if not rows:
        return
    columns = [np.array(column, float) for column in zip(*(row[1:] for row in rows), strict=True)]
    _print("mean", *(np.nanmean(column, axis=0) for column in columns))
    # Of corrections and of calibration more is worse.
    _print(
        "worst",
        *(np.nanmin(column, axis=0) for column in columns[:-2]),
        *(np.nanmax(c) for c in columns[-2:]),
    )
    print(f"  first strokes lost or later than 25 ms: {lost[0]} of {lost[1]} loops")
    print(
        f"Kits heard from above: F of {', '.join(_ABOVE)}, of all ({SCORED_BY_MICROPHONE} of each library);"
        f" how struck by the piece's own microphone, right of all: {', '.join(CLOSE)}"
    )
    for library, table, ways in above:
        cells = " ".join(f"{f:7.3f}" for f in (*f_of(table), f_of(table.sum(axis=0)), *ways))
        print(f"  {library:18} {cells}")
    _print_times()


_ABOVE = ("crash", "ride", "hi-hat")


def _from_above(library: str, weights: Weights) -> NDArray[np.int64]:
    """Strokes, answers and right ones of what overheads are asked for, (pieces, 3)."""
    out = np.zeros((len(_ABOVE), 3), np.int64)
    for number in range(SCORED_BY_MICROPHONE):
        one = scored_by_microphone(library, OVER, number)
        if len(one.time_s):
            probability = likely(told_of(one, weights))
            out += np.array([piece_counts(one, probability, piece, COUNTS_FROM) for piece in _ABOVE])
    return out


def _ways_right(library: str, piece: str, weights: Weights) -> float:
    """How often the way a piece is struck is told right by its own microphone."""
    rows, right = [k for k, sound in enumerate(SOUNDS) if piece_of(sound) == piece], []
    for number in range(SCORED_BY_MICROPHONE):
        one = scored_by_microphone(library, piece, number)
        struck = ~np.isnan(one.level_db[:, rows]) & ~one.buried[:, rows]
        of = struck.any(axis=1)
        if of.any():
            told = told_of(one, weights)[np.ix_(of, rows)].argmax(axis=1)
            right += (
                told == np.nan_to_num(one.level_db[np.ix_(of, rows)], nan=-999.0).argmax(axis=1)
            ).tolist()
    return float(np.mean(right)) if right else float("nan")


def _print_times() -> None:
    """Seconds of one core for a loop and for overheads, everything included but the disk."""
    for name, length_s in (("a loop of 10 s", 10.0), ("overheads of 4 minutes", 240.0)):
        audio = np.concatenate(
            [make_loop(("made acoustic",), seed).audio for seed in range(int(length_s / 3))]
        )
        audio = np.resize(audio, round(length_s * RATE_HZ))
        with threadpool_limits(1):
            begun = time.process_time()
            sort = sort_moments(look_through(audio, RATE_HZ, Look.CLOSELY))
            assert sort is not None
            for told in pieces_in(sort):
                shares_db(sort, told.sounds)
            spent_s = time.process_time() - begun
        print(f"  {name}: {len(sort.probability)} moments found and sorted in {spent_s:.2f} s of one core")


def _figures(tally: Tally) -> tuple[object, ...]:
    each = np.where(tally.classes[:, 0] > 0, f_of(tally.classes), np.nan)
    return (
        float(f_of(tally.classes.sum(axis=0))),
        each,
        float(f_of(tally.onsets)),
        float(np.mean(tally.hats)) if tally.hats else np.nan,
        float(f_of(tally.contains)),
        *(float(np.mean(of)) if of else np.nan for of in tally.together.values()),
        float(np.nanmedian(tally.strength)) if tally.strength else np.nan,
        1000.0 * tally.corrected[0] / max(tally.corrected[1], 1),
        calibration(np.concatenate(tally.probability), np.concatenate(tally.struck)),
    )


def _print(name: str, whole: float, each: NDArray[np.float64], *more: float) -> None:
    cells = " ".join(f"{f:7.3f}" for f in each)
    *shares, by_hand, calibrated = more
    print(
        f"  {name:18} {whole:6.3f} {cells}   "
        + " ".join(f"{value:6.3f}" for value in shares)
        + f" {by_hand:7.0f} {calibrated:6.3f}",
        flush=True,
    )
