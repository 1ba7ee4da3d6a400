"""`./nubrak benchmark copies`: whether strokes that are one recorded sound are told as such, and played ones
not, beside comparing strokes in pairs alone.

Parts of 68 strokes of one drum of every library, a tenth to half a second apart, over noise 70 dB down: one
sound again and again, or another sound each time; all at one level, or at levels that differ by up to 16 dB.
"""

from __future__ import annotations

import sys
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from benchmarks.keep import RATE_HZ
from benchmarks.lock import KITS
from benchmarks.sounds import Kit, available, sound, struck
from nubrak.core.sort import same_sounds
from nubrak.core.sort.sameness import by_pairs

PIECES = ("kick", "snare", "rack-tom", "floor-tom", "hi-hat", "open-hat", "crash", "ride", "clap", "conga")
CASES = {
    "one sound, one level": (True, True),
    "one sound, levels differ": (True, False),
    "another each time, one level": (False, True),
    "another each time, levels differ": (False, False),
}
_STROKES, _NOISE_DB, _LEAST_GAIN = 68, -70.0, 0.15
_TOUCH = 5  # no two strokes alike
_TIMED_S = 0.001  # how far beside its attack a stroke may be found


def _at(stroke: NDArray[np.float64], between: float) -> NDArray[np.float64]:
    """A stroke later by a part of a sample: samples of a machine rarely begin on one."""
    size = 2 * len(stroke)
    turn = np.exp(-2j * np.pi * np.arange(size // 2 + 1) / size * between)
    return np.fft.irfft(np.fft.rfft(stroke, size) * turn, size)[: len(stroke)]


def _part(
    kit: Kit, piece: str, copies: bool, flat: bool, rng: np.random.Generator
) -> tuple[NDArray[np.float32], NDArray[np.float64]]:
    """A part (frames,), and where its strokes are found, (n,) in s."""
    played = replace(kit, touch=_TOUCH)
    step_s = rng.choice([0.1, 0.125, 0.15])
    at_s = np.cumsum(rng.choice([1, 1, 2, 2, 3, 4], _STROKES) * step_s) + 0.2
    out = np.zeros(round((at_s[-1] + 4) * RATE_HZ))
    of = sound(kit, piece)
    for time_s in at_s.tolist():
        if copies:
            stroke, attack = _at(of.strokes[11].astype(np.float64), (time_s * RATE_HZ) % 1), of.attacks[11]
        else:
            velocity = int(rng.integers(40, 127))
            stroke, attack = struck(played, piece, velocity, rng)
            stroke = stroke / float(np.abs(stroke).max())
        gain = 1.0 if flat else rng.uniform(_LEAST_GAIN, 1.0)
        begin = int(time_s * RATE_HZ) - attack
        out[begin : begin + len(stroke)] += gain * stroke
    peak = float(np.abs(out).max())
    out += peak * 10 ** (_NOISE_DB / 20) * rng.standard_normal(len(out))
    return (0.5 * out / peak).astype(np.float32), at_s + rng.uniform(-_TIMED_S, _TIMED_S, _STROKES)


def _scored(job: tuple[str, Kit, str, str]) -> tuple[int, int]:
    """How many strokes have a copy, by pairs alone and as it is told."""
    library, kit, piece, case = job
    rng = np.random.default_rng([3, *f"{library} {piece} {case}".encode()])
    audio, at_s = _part(kit, piece, *CASES[case], rng)
    return by_pairs(audio, at_s, RATE_HZ).copies, same_sounds(audio, at_s, RATE_HZ).copies


def run() -> None:
    """Print how many of 68 strokes have a copy, for each case, with the worst part."""
    kits = [(library, of[0]) for library, of in KITS.items() if library == "made" or available(library)]
    print(f"Strokes of {_STROKES} that are told as copies (wanted: all of one sound, none of others)")
    print(f"  {'':34}{'parts':>6}{'in pairs':>10}{'worst':>7}{'told':>8}{'worst':>7}  worst part")
    with ProcessPoolExecutor(2) as pool:
        for case, (copies, _) in CASES.items():
            jobs = [(library, kit, piece, case) for library, kit in kits for piece in PIECES]
            found = np.array(list(pool.map(_scored, jobs)))
            worst = found.min(axis=0) if copies else found.max(axis=0)
            at = int(found[:, 1].argmin() if copies else found[:, 1].argmax())
            mean = found.mean(axis=0)
            print(
                f"  {case:34}{len(jobs):6}{mean[0]:10.1f}{worst[0]:7}{mean[1]:8.1f}{worst[1]:7}  "
                f"{jobs[at][0]} {jobs[at][2]}"
            )
            sys.stdout.flush()
