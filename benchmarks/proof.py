"""`./nubrak benchmark accuracy --proof DIR`: sessions with their truth, found at default settings.

The format is told in docs/formats.md: a folder for each session with `truth.json` (kind, microphones, hits)
and the microphones' files beside it. A session is scored piece by piece at the piece's own microphone;
repeats of it in overheads and rooms are neither right nor wrong. Nothing is taught, chosen or tuned here.
"""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from mir_eval.util import match_events
from numpy.typing import NDArray

from benchmarks.sorting.score import counted, f_of
from nubrak.command.kit_files import gather_files, look_through, tell_apart
from nubrak.core.decide import Decisions, places
from nubrak.core.flow import decide_part, weigh_all
from nubrak.core.pieces import PIECES
from nubrak.core.shape import ShapeSettings, shape

CLOSE_S, WIDE_S = 0.010, 0.050
NOT_CLOSE = ("overhead", "room", "mix")
_LOOKED_AT_S = 0.025  # a place of Second look shows what lies so near


@dataclass(frozen=True)
class Heard:
    """What the product finds at one microphone: its decisions, when the hits are and how hard, (n,) each, and
    where Second look stops, (m,).
    """

    time_s: NDArray[np.float64]
    velocity: NDArray[np.int64]
    places_s: NDArray[np.float64]


@dataclass
class Tally:
    """Sums over microphones: wanted, answers and right ones at 10 and 50 ms; errors of matched times in ms by
    piece; errors of velocities; recall by flag; errors and how many of them Second look shows, its places.
    """

    close: NDArray[np.int64] = field(default_factory=lambda: np.zeros(3, np.int64))
    wide: NDArray[np.int64] = field(default_factory=lambda: np.zeros(3, np.int64))
    late_ms: dict[str, list[float]] = field(default_factory=dict)
    harder: list[float] = field(default_factory=list)
    flags: dict[str, list[bool]] = field(default_factory=dict)
    errors: int = 0
    shown: int = 0
    places: int = 0

    @property
    def corrections(self) -> float:
        """Missed and false ones in 1000 strokes."""
        wanted, answers, right = self.wide
        return 1000.0 * float(wanted + answers - 2 * right) / max(int(wanted), 1)

    def add(self, other: Tally) -> None:
        """Take another's sums in."""
        self.close, self.wide = self.close + other.close, self.wide + other.wide
        self.harder += other.harder
        for mine, theirs in ((self.late_ms, other.late_ms), (self.flags, other.flags)):
            for name, values in theirs.items():
                mine.setdefault(name, []).extend(values)  # type: ignore[attr-defined]
        self.errors, self.shown = self.errors + other.errors, self.shown + other.shown
        self.places += other.places


def heard_at(folder: Path, files: Iterable[str]) -> dict[str, Heard]:
    """What the product finds in a session's files, by file; of what shares a part, by the first."""
    kit = gather_files([folder / name for name in files], {}, "kit")
    inputs = dict(look_through(kit))
    tell_apart(kit, inputs)
    weighed, decisions = weigh_all(inputs), dict[str, Decisions]()
    for part_id, part in inputs.items():
        decisions[part_id] = decide_part(part, weighed.evidence[part_id], weighed.stroke_probability[part_id])
    out = {}
    for part_id, decided in decisions.items():
        if kit.document.part(part_id).sorted_from is not None:
            continue
        notes = shape(decided, ShapeSettings(), [], PIECES[inputs[part_id].piece])
        looked = np.array([place.time_s for place in places({part_id: decided})])
        out[kit.files_of(part_id)[0].name] = Heard(decided.time_s[decided.counts], notes.velocity, looked)
    return out


def scored(hits: list[dict], heard: Heard) -> Tally:
    """One microphone: its strokes as the truth has them, and what was found there."""
    out = Tally()
    wanted = sorted((hit for hit in hits if hit["required"]), key=lambda hit: hit["time_s"])
    true_s = np.array([hit["time_s"] for hit in wanted])
    free_s = np.array([hit["time_s"] for hit in hits if not hit["required"]])
    out.close, out.wide = (counted(true_s, free_s, heard.time_s, within) for within in (CLOSE_S, WIDE_S))
    pairs = match_events(true_s, heard.time_s, WIDE_S) if len(true_s) and len(heard.time_s) else []
    for true, found in pairs:
        late_s = float(heard.time_s[found] - true_s[true])
        if abs(late_s) <= CLOSE_S:
            out.late_ms.setdefault(wanted[true]["piece"], []).append(1000.0 * late_s)
        out.harder.append(float(heard.velocity[found] - wanted[true]["velocity"]))
    right = {true for true, _ in pairs}
    for number, hit in enumerate(wanted):
        for flag in hit["flags"] or ["plain"]:
            out.flags.setdefault(flag, []).append(number in right)
    false_s = np.delete(heard.time_s, [found for _, found in pairs])
    false_s = false_s[_apart(false_s, free_s) > WIDE_S]
    wrong_s = np.concatenate([false_s, np.delete(true_s, list(right))])
    out.errors, out.places = len(wrong_s), len(heard.places_s)
    out.shown = int(np.count_nonzero(_apart(wrong_s, heard.places_s) <= _LOOKED_AT_S))
    return out


def _apart(times_s: NDArray[np.float64], others_s: NDArray[np.float64]) -> NDArray[np.float64]:
    """How far each of some times is from the nearest of others, (n,) in s."""
    if not len(others_s):
        return np.full(len(times_s), np.inf)
    return np.asarray(np.abs(times_s[:, None] - others_s[None]).min(axis=1, initial=np.inf))


def score(folder: Path) -> None:
    """Print how every session of a folder is found, microphone by microphone; the mean and the worst."""
    print(f"Sessions of {folder}, pieces at their own microphones, default settings")
    print(f"  {'':22} {HEAD}")
    everything, sessions = Tally(), []
    for truth in sorted(folder.rglob("*.json")):
        about = json.loads(truth.read_text())
        if about.get("kind") != "session":
            continue
        heard, whole = heard_at(truth.parent, about["microphones"]), Tally()
        for file, piece in about["microphones"].items():
            if piece in NOT_CLOSE:
                continue
            hits = [hit for hit in about["hits"] if hit["microphone"] == file]
            nothing = Heard(np.zeros(0), np.zeros(0, np.int64), np.zeros(0))
            one = scored(hits, heard.get(file, nothing))
            _print(f"{truth.parent.name} {file}", one)
            whole.add(one)
        _print(f"{truth.parent.name}, all of it", whole)
        everything.add(whole)
        sessions.append(whole.corrections)
    if not sessions:
        print("  there is none")
        return
    _print("all", everything)
    print(f"  corrections in 1000: mean of sessions {np.mean(sessions):.1f}, worst {max(sessions):.1f}")
    print("  found, by kind of stroke: " + recalls(everything.flags))
    print(
        "  95 % of times within, by piece: "
        + ", ".join(
            f"{piece} {np.percentile(np.abs(late), 95):.2f} ms"
            for piece, late in sorted(everything.late_ms.items())
        )
    )


def recalls(flags: dict[str, list[bool]]) -> str:
    """How many of each kind of stroke were found, in words."""
    return ", ".join(f"{flag} {np.mean(found):.3f} of {len(found)}" for flag, found in sorted(flags.items()))


HEAD = (
    f"{'strokes':>7} {'F 10':>6} {'F 50':>6} {'missed':>6} {'false':>6} {'corr':>6} {'95 % ms':>7} "
    f"{'vel':>5} {'shown':>7} {'places':>6}"
)


def figures(one: Tally) -> str:
    """The columns of ``HEAD``."""
    late = np.concatenate([np.abs(of) for of in one.late_ms.values()]) if one.late_ms else np.zeros(1)
    missed, false = one.wide[0] - one.wide[2], one.wide[1] - one.wide[2]
    return (
        f"{one.wide[0]:7} {float(f_of(one.close)):6.3f} {float(f_of(one.wide)):6.3f} {missed:6} "
        f"{false:6} {one.corrections:6.0f} {np.percentile(late, 95):7.2f} "
        f"{np.mean(np.abs(one.harder)) if one.harder else 0:5.1f} {one.shown:3}/{one.errors:<3}"
        f" {one.places:6}"
    )


def _print(name: str, one: Tally) -> None:
    print(f"  {name:22} {figures(one)}", flush=True)
