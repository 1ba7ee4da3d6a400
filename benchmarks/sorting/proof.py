"""`./nubrak benchmark loops --proof DIR`: any folder of loops with their truth, told apart as the product
does.

The format is that of the folder's README: an audio file and a `.json` of the same name with `kind`,
`microphones` and `hits` (time_s, piece, articulation, velocity, required). Nothing is taught, chosen or
tuned here.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from mir_eval.util import match_events
from numpy.typing import NDArray
from scipy.stats import spearmanr

from benchmarks.sorting.score import CLASSES, ONE_EVENT_S, WITHIN_S, counted, f_of
from nubrak.command.kit_files import gather_files, look_through, tell_apart
from nubrak.core.flow import decide_part, ways_struck, weigh_all

_TRUTH = {
    "kick": "kick",
    "snare": "snare or clap",
    "clap": "snare or clap",
    "hat": "hat",
    "tom_high": "tom",
    "tom_mid": "tom",
    "tom_floor": "tom",
    "ride": "cymbal",
    "crash": "cymbal",
}
_OURS = {
    "kick": "kick",
    "snare": "snare or clap",
    "clap": "snare or clap",
    "hi-hat": "hat",
    "rack-tom": "tom",
    "mid-tom": "tom",
    "floor-tom": "tom",
    "ride": "cymbal",
    "crash": "cymbal",
}
_WAYS = {"semi": "half"}
_FEWEST_LEVELS, _LEAST_VELOCITIES = 6, 10  # to be ordered at all


@dataclass(frozen=True)
class Hit:
    """One stroke, true or told."""

    time_s: float
    piece: str
    way: str | None
    velocity: float
    required: bool = True


def told(path: Path, source_is: str = "loop") -> list[Hit]:
    """What the product tells of a file, in order of time."""
    kit = gather_files([path], {}, source_is)
    inputs = dict(look_through(kit))
    tell_apart(kit, inputs)
    weighed, out = weigh_all(inputs), []
    for part_id, part in inputs.items():
        if not kit.document.is_noted(part_id):
            continue
        decisions = decide_part(part, weighed.evidence[part_id], weighed.stroke_probability[part_id])
        ways = ways_struck(part, decisions)
        for row in np.nonzero(decisions.counts)[0].tolist():
            out.append(
                Hit(float(decisions.time_s[row]), part.piece, ways[row], float(decisions.strength_db[row]))
            )
    return sorted(out, key=lambda hit: hit.time_s)


def truth_of(path: Path) -> list[Hit]:
    """The true strokes of a file."""
    found = json.loads(path.read_text())["hits"]
    return [
        Hit(hit["time_s"], hit["piece"], hit["articulation"] or None, hit["velocity"], hit["required"])
        for hit in found
    ]


def counts(true: list[Hit], answered: list[Hit]) -> NDArray[np.int64]:
    """Required strokes, answers and right ones of each class, (6, 3); answers at strokes not required are
    neither.
    """
    out = np.zeros((len(CLASSES), 3), np.int64)
    for k, name in enumerate(CLASSES):
        of = [hit for hit in true if _TRUTH.get(hit.piece, "other") == name]
        wanted, free = (
            np.array([hit.time_s for hit in of if hit.required == asked]) for asked in (True, False)
        )
        answers = np.array([hit.time_s for hit in answered if _OURS.get(hit.piece, "other") == name])
        out[k] = counted(np.sort(wanted), free, np.sort(answers), WITHIN_S)
    return out


def onsets(true: list[Hit], answered: list[Hit], within_s: float) -> NDArray[np.int64]:
    """The same of onsets, whatever the piece, (3,); strokes within 20 ms are one."""
    wanted, free = (
        np.array([hit.time_s for hit in true if hit.required == asked]) for asked in (True, False)
    )
    return counted(_single(wanted), free, _single(np.array([hit.time_s for hit in answered])), within_s)


def _single(times: NDArray[np.float64]) -> NDArray[np.float64]:
    times, kept = np.sort(times), []
    for time_s in times.tolist():
        if not kept or time_s - kept[-1] >= ONE_EVENT_S:
            kept.append(time_s)
    return np.array(kept)


def hats(true: list[Hit], answered: list[Hit]) -> tuple[int, int]:
    """Hats found, and of those how many with the right articulation."""
    wanted = [hit for hit in true if hit.piece == "hat" and hit.required]
    ours = [hit for hit in answered if hit.piece == "hi-hat"]
    pairs = match_events(
        np.array([hit.time_s for hit in wanted]), np.array([hit.time_s for hit in ours]), WITHIN_S
    )
    right = sum(
        _WAYS.get(wanted[a].way or "closed", wanted[a].way or "closed") == ours[b].way for a, b in pairs
    )
    return len(pairs), right


def levels(true: list[Hit], answered: list[Hit]) -> list[float]:
    """Of each class that is often struck with others: how well its strokes under them are ordered by
    strength (Spearman).
    """
    times, out = np.array([hit.time_s for hit in true]), []
    for name in CLASSES:
        of = [hit for hit in true if _TRUTH.get(hit.piece, "other") == name and hit.required]
        under = [
            hit
            for hit in of
            if any(
                _TRUTH.get(true[k].piece, "other") != name
                for k in np.nonzero(np.abs(times - hit.time_s) <= WITHIN_S)[0]
            )
        ]
        ours = [hit for hit in answered if _OURS.get(hit.piece, "other") == name]
        pairs = match_events(
            np.array([hit.time_s for hit in under]), np.array([hit.time_s for hit in ours]), WITHIN_S
        )
        struck = [under[a].velocity for a, _ in pairs]
        if len(pairs) >= _FEWEST_LEVELS and np.ptp(struck) > _LEAST_VELOCITIES:
            out.append(float(spearmanr(struck, [ours[b].velocity for _, b in pairs]).statistic))
    return out


def score(folder: Path) -> None:
    """Print how every loop and take of a folder is told apart; the mean and the worst."""
    rows = []
    print(
        f"Loops of {folder} told apart (strokes within {1000 * WITHIN_S:.0f} ms; onsets within 10 and 50 ms)"
    )
    print(
        f"  {'':10} {'hits':>5} {'F':>6} "
        + " ".join(f"{name[:7]:>7}" for name in CLASSES)
        + "   hat way  on10  on50  corr  level"
    )
    for truth in sorted(folder.rglob("*.json")):
        about = json.loads(truth.read_text())
        if about.get("kind") not in ("loop", "take"):
            continue
        audio = truth.with_name(next(iter(about["microphones"])))
        true, answered = truth_of(truth), told(audio)
        table = counts(true, answered)
        found, right = hats(true, answered)
        first, wide = (f_of(onsets(true, answered, within_s)) for within_s in (0.010, 0.050))
        wrong = (table[:, 0] - table[:, 2]).sum() + (table[:, 1] - table[:, 2]).sum()
        corrections = 1000 * wrong / max(table[:, 0].sum(), 1)
        ordered = levels(true, answered)
        rows.append((truth.stem, table, found, right, first, wide, corrections, ordered))
        _print(*rows[-1])
    if rows:
        tables = np.sum([row[1] for row in rows], axis=0)
        means = [float(np.mean([row[k] for row in rows])) for k in (4, 5, 6)]
        _print(
            "all",
            tables,
            sum(row[2] for row in rows),
            sum(row[3] for row in rows),
            *means,
            [one for row in rows for one in row[7]],
        )
        each = [float(f_of(row[1].sum(axis=0))) for row in rows]
        print(f"  mean F {np.mean(each):.3f}, worst {min(each):.3f}")


def _print(
    name: str,
    table: NDArray[np.int64],
    found: int,
    right: int,
    first: float,
    wide: float,
    corrections: float,
    ordered: list[float],
) -> None:
    cells = " ".join(
        f"{f:7.3f}" if row[0] + row[1] else f"{'':7}" for f, row in zip(f_of(table), table, strict=True)
    )
    level = f"{np.median(ordered):5.3f}" if ordered else ""
    way = f"{right / found:7.3f}" if found else f"{'':7}"
    print(
        f"  {name:10} {table[:, 0].sum():5} {f_of(table.sum(axis=0)):6.3f} {cells}   {way} "
        f"{first:5.3f} {wide:5.3f} {corrections:5.0f}  {level}",
        flush=True,
    )
