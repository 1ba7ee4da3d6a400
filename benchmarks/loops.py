"""Whole loops: a kit through all its microphones mixed down to one signal, with the moments at which
something is struck known.
"""

from __future__ import annotations

import warnings
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor

import mir_eval
import numpy as np
from numpy.typing import NDArray

from benchmarks.microphones import Scene, record
from benchmarks.performances import moments
from benchmarks.sounds import RATE_HZ, Kit
from benchmarks.styles import STYLES, Stroke, perform
from nubrak.core.decide import FindSettings
from nubrak.core.flow import Look, PartInput, decide_alone, look_through
from nubrak.core.pieces import MATERIALS

LENGTH_S = 30.0
WINDOWS_S = (0.010, 0.025)

# How loud each microphone stands in a mix (common practice).
_FADERS_DB = {
    "kick": 0.0,
    "snare": -1.0,
    "hi-hat": -14.0,
    "rack-tom": -3.0,
    "floor-tom": -3.0,
    "ride": -12.0,
    "overhead left": -5.0,
    "overhead right": -5.0,
}
_SPREAD_DB = 3.0


def mix_down(
    kit: Kit | Callable[[str], Kit], strokes: list[Stroke], seed: int
) -> tuple[NDArray[np.float32], NDArray[np.float64]]:
    """A performance as one loud signal (frames,), often squeezed, and the attack of every stroke in it, (n,)
    in s, in order.
    """
    rng = np.random.default_rng([seed, 31])
    recording = record(kit, strokes, seed, Scene(faults=False))
    out = np.sum(
        [
            np.float32(10 ** ((_FADERS_DB[name] + rng.normal(0, _SPREAD_DB)) / 20)) * signal
            for name, signal in recording.audio.items()
        ],
        axis=0,
    )
    out /= np.abs(out).max()
    if rng.random() < 0.5:
        # Driven into a soft limit, as finished loops are.
        out = np.tanh(rng.uniform(1.0, 3.0) * out)
    out *= 10 ** (rng.uniform(-9, -1) / 20) / np.abs(out).max()
    pieces = {piece for piece, _ in recording.attacks_s}
    arrivals = [
        recording.attacks_s[piece, piece if piece in recording.close else "overhead left"] for piece in pieces
    ]
    return out.astype(np.float32), np.sort(np.concatenate(arrivals))


def onsets_by_librosa(audio: NDArray[np.float32]) -> list[NDArray[np.float64]]:
    """Onsets at several settings; the best of them for each loop is what is compared with."""
    import librosa

    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        envelope = librosa.onset.onset_strength(y=audio, sr=RATE_HZ, hop_length=128)
        return [
            librosa.onset.onset_detect(
                onset_envelope=envelope, sr=RATE_HZ, hop_length=128, delta=delta, wait=10, units="time"
            )
            for delta in (0.04, 0.07, 0.2, 0.4)
        ]


def _counts(job: tuple[str, Kit, int]) -> NDArray[np.float64]:
    """Of one loop and each window: moments, hits, right ones, the library's hits and its right ones,
    (windows, 5).
    """
    style, kit, seed = job
    audio, attacks_s = mix_down(kit, perform(style, LENGTH_S, seed), seed)
    # As one are those that no part could tell apart at its hold-off.
    truth_s = moments(attacks_s, (MATERIALS["loop"].hold_off_ms or 0.0) / 1000)
    decided = decide_alone(
        PartInput("loop", "loop", look_through(audio, RATE_HZ, Look.CLOSELY), FindSettings(), [])
    )
    found_s, theirs = decided.time_s[decided.counts], onsets_by_librosa(audio)
    out = []
    for window_s in WINDOWS_S:
        best = max(theirs, key=lambda times: mir_eval.onset.f_measure(truth_s, times, window=window_s)[0])
        right, theirs_right = (
            len(mir_eval.util.match_events(truth_s, times, window_s)) for times in (found_s, best)
        )
        out.append([len(truth_s), len(found_s), right, len(best), theirs_right])
    return np.array(out, float)


def score(kits: dict[Kit, str], styles: dict[str, str]) -> None:
    """Print how whole loops of every style on every kit are found at default settings; the values say what is
    kept apart.
    """
    jobs = [(style, kit, 11) for style in STYLES for kit in kits]
    with ProcessPoolExecutor(2) as pool:
        counts = dict(zip(jobs, pool.map(_counts, jobs), strict=True))
    print(
        "Whole loops at default settings, strokes closer than the hold-off as one, beside librosa's best "
        "of four settings for each loop"
    )
    print(
        f"  {'':28} {'true':>6} {'prec':>6} {'recall':>6} {'F 10ms':>7} {'lib':>6} {'prec':>6} "
        f"{'recall':>6} {'F 25ms':>7} {'lib':>6}"
    )
    rows = {style + styles.get(style, ""): [job for job in jobs if job[0] == style] for style in STYLES}
    rows |= {kit.name + said: [job for job in jobs if job[1] == kit] for kit, said in kits.items()} | {
        "all": jobs
    }
    for name, which in rows.items():
        sums = np.sum([counts[job] for job in which], axis=0)
        cells = []
        for true, hits, right, theirs, theirs_right in sums:
            cells.append(
                f"{right / hits:6.3f} {right / true:6.3f} {2 * right / (hits + true):7.3f} "
                f"{2 * theirs_right / (theirs + true):6.3f}"
            )
        print(f"  {name:28} {sums[0, 0]:6.0f} {' '.join(cells)}")
