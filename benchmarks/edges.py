"""`./nubrak benchmark edges`: the first and the last stroke of a trimmed file, and files that begin in the
middle of what rings.

One drum a file, of every library of sounds, with and without another drum's spill. A file begins so many
milliseconds before its first stroke, or after one; it ends so many milliseconds after its last.
"""

from __future__ import annotations

from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from benchmarks.keep import RATE_HZ
from benchmarks.lock import KITS
from benchmarks.sounds import Kit, available, sound, struck
from nubrak.core.decide import Decisions, FindSettings
from nubrak.core.find import Candidates, find_candidates
from nubrak.core.flow import PartInput, decide_alone

PIECES = ("kick", "snare", "rack-tom", "floor-tom", "hi-hat", "ride", "clap", "conga", "tambourine")
BEFORE_MS = (0.0, 0.3, 1.0, 3.0, 5.0, 8.0, 12.0, 20.0)
AFTER_MS = (15.0, 30.0, 60.0, 100.0, 200.0)
LAST_MS = (3.0, 5.0, 10.0, 20.0)
_STROKES = 10
_NEAR_S, _BEGINNING_S = 0.005, 0.03
_SPILL_DB, _NOISE_DB = -26.0, -66.0
_LASTS_S = 20.0


@dataclass(frozen=True)
class Trimmed:
    """One file: how it was trimmed, and whether a candidate and a hit stand where it was."""

    way: str
    ms: float
    library: str
    piece: str
    candidate: bool
    hit: bool


def _recording(
    kit: Kit, piece: str, spill: bool, rng: np.random.Generator
) -> tuple[NDArray[np.float32], list[int]]:
    """A drum alone, and the samples of its attacks."""
    at = np.round((np.cumsum(rng.uniform(0.35, 0.6, _STROKES)) + 0.1) * RATE_HZ).astype(int).tolist()
    out = np.zeros(at[-1] + 4 * RATE_HZ)
    for begin in at:
        stroke, attack = struck(kit, piece, int(rng.integers(60, 120)), rng)
        out[begin - attack : begin - attack + len(stroke)] += stroke
    peak = float(np.abs(out).max())
    if spill:
        other = sound(kit, "hi-hat" if piece != "hi-hat" else "snare").strokes[10]
        gain = peak * 10 ** (_SPILL_DB / 20) / float(np.abs(other).max())
        for begin in range(0, at[-1], RATE_HZ // 4):
            place = begin + int(rng.integers(0, RATE_HZ // 10))
            out[place : place + len(other)] += gain * other[: len(out) - place]
    out += peak * 10 ** (_NOISE_DB / 20) * rng.standard_normal(len(out))
    return (0.5 * out / peak).astype(np.float32), at


def _found(audio: NDArray[np.float32], piece: str) -> tuple[Candidates, Decisions]:
    candidates = find_candidates(audio, RATE_HZ)
    return candidates, decide_alone(PartInput("part", piece, candidates, FindSettings(), []))


def _scored(job: tuple[str, Kit, str, bool]) -> list[Trimmed]:
    library, kit, piece, spill = job
    rng = np.random.default_rng([5, *f"{library} {kit.name} {piece} {spill}".encode()])
    audio, at = _recording(kit, piece, spill, rng)
    out = []

    def tried(way: str, ms: float, cut: NDArray[np.float32], low_s: float, high_s: float) -> None:
        candidates, decisions = _found(cut, piece)
        hits = decisions.time_s[decisions.counts]
        inside = [bool(((time >= low_s) & (time < high_s)).any()) for time in (candidates.time_s, hits)]
        out.append(Trimmed(way, ms, library, piece, *inside))

    for ms in BEFORE_MS:
        begins_s = ms / 1000
        cut = audio[at[0] - round(begins_s * RATE_HZ) :]
        tried("first", ms, cut, begins_s - _NEAR_S, begins_s + _NEAR_S)
    for ms in AFTER_MS:
        begin = at[0] + round(ms / 1000 * RATE_HZ)
        crossing = begin + int(np.argmax(np.sign(audio[begin:-1]) != np.sign(audio[begin + 1 :]))) + 1
        for way, place in (("rings", begin), ("rings, cut at a zero crossing", crossing)):
            tried(way, ms, audio[place : place + round(_LASTS_S * RATE_HZ)], 0.0, _BEGINNING_S)
    for ms in LAST_MS:
        ends_s = at[-1] / RATE_HZ
        cut = audio[: at[-1] + round(ms / 1000 * RATE_HZ)]
        tried("last", ms, cut, ends_s - _NEAR_S, ends_s + _NEAR_S)
    return out


def run() -> None:
    """Print what is found of first and last strokes, and what is invented, with the worst library."""
    jobs = [
        (library, kit, piece, spill)
        for library, kits in KITS.items()
        if library == "made" or available(library)
        for kit in kits
        for piece in PIECES
        for spill in (False, True)
    ]
    with ProcessPoolExecutor(2) as pool:
        rows = [one for found in pool.map(_scored, jobs) for one in found]
    print("First and last strokes of trimmed files (wanted: all found, nothing invented)")
    print(f"  {'':56}{'files':>6}{'candidate':>11}{'hit':>7}{'worst library':>18}")
    for way in dict.fromkeys(row.way for row in rows):
        for ms in dict.fromkeys(row.ms for row in rows if row.way == way):
            mine = [row for row in rows if (row.way, row.ms) == (way, ms)]
            by = {
                library: float(np.mean([row.hit for row in mine if row.library == library]))
                for library in dict.fromkeys(row.library for row in mine)
            }
            worst = max(by, key=by.__getitem__) if way.startswith("rings") else min(by, key=by.__getitem__)
            side = {"first": "before the first stroke", "last": "after the last stroke"}
            said = f"{ms:g} ms {side.get(way, f'after a stroke that {way}')}"
            print(
                f"  {said:56}{len(mine):6}"
                f"{np.mean([row.candidate for row in mine]):11.3f}{np.mean([row.hit for row in mine]):7.3f}"
                f"{worst:>12} {by[worst]:.3f}"
            )
