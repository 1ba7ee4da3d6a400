"""`./nubrak benchmark cleaning`: gaps turned down on rendered kits with known truth, beside a plain noise
gate (level follower, threshold, hold, fades) at those of its settings that are best for each file.

Kits of libraries that nothing was taught on (as in ``left_out``), at the strokes the product finds there by
itself. Printed for each piece: how far what is not the drum goes down where the drum has fallen by 60 dB and
nothing of it comes for a tenth of a second (16 dB are asked for), and how far within the gaps as they are
drawn; the drum itself changed, up to where each stroke has fallen by 40 dB, against all of it; and the
largest rise of the band over 8 kHz in a fade against the recording around it.
"""

from __future__ import annotations

from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from itertools import product

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import maximum_filter1d, minimum_filter1d, uniform_filter1d
from scipy.signal import butter, sosfilt

from benchmarks.learn import FOLDS, RATE_HZ, fold_path, taught_by
from benchmarks.left_out import decided_in, performance, recorded
from nubrak.core.flow import strokes_between
from nubrak.core.mix import Cleaning, gap_gain, openings_of

DOWN_DB = 16.0
_SESSIONS = (0, 4)  # without faults: a clipped microphone has no truth to compare with
_PIECES = ("kick", "snare", "rack-tom", "floor-tom", "hi-hat", "ride")
_CLEAR_S, _FALLEN_DB, _GONE_DB = 0.1, 40.0, 60.0
_THRESHOLDS_DB, _HOLDS_S, _FADES_S = np.arange(-54.0, -8.0, 3.0), (0.05, 0.15, 0.3, 0.6), (0.02, 0.1)
_DOWN = 10 ** (-DOWN_DB / 20)


@dataclass(frozen=True)
class Truth:
    """A microphone, what of it is its own drum and what is not, (frames,) each; where the drum sounds, and
    where none of it is heard, (frames,).
    """

    heard: NDArray[np.float32]
    own: NDArray[np.float32]
    spill: NDArray[np.float32]
    sounds: NDArray[np.bool_]
    gap: NDArray[np.bool_]


def truth_of(heard: NDArray[np.float32], own: NDArray[np.float32], struck: NDArray[np.int64]) -> Truth:
    """Where the drum sounds: from each stroke until it stays 40 dB under it."""
    level = maximum_filter1d(np.abs(own), round(0.02 * RATE_HZ))
    sounds, there = np.zeros(len(own), bool), np.zeros(len(own), bool)
    for begin, end in zip(struck, np.append(struck[1:], len(own)), strict=True):
        stroke = level[begin:end]
        peak = stroke[: round(0.03 * RATE_HZ)].max(initial=1e-9)
        for out, under_db in ((sounds, _FALLEN_DB), (there, _GONE_DB)):
            over = np.nonzero(stroke > peak * 10 ** (-under_db / 20))[0]
            out[begin : begin + (over[-1] + 1 if len(over) else 0)] = True
    clear = round(_CLEAR_S * RATE_HZ)
    gap = minimum_filter1d((~there).astype(np.uint8), 2 * (clear // 2) + 1) > 0
    return Truth(heard, own, heard - own, sounds, gap)


def gated(
    heard: NDArray[np.float32], threshold_db: float, hold_s: float, fade_s: float
) -> NDArray[np.float32]:
    """The gain of a plain gate, (frames,): open from 1 ms before the level passes the threshold until
    ``hold_s`` after it falls under it by 4 dB, then down within ``fade_s``.
    """
    step = RATE_HZ // 1000
    level = np.abs(heard[: len(heard) // step * step]).reshape(-1, step).max(axis=1)
    over = level > 10 ** (threshold_db / 20)
    stays = level > 10 ** ((threshold_db - 4) / 20)
    is_open, now, left = np.zeros(len(level), bool), False, 0
    for k in range(len(level)):
        now = bool(over[k]) or (now and (bool(stays[k]) or left > 0))
        left = round(hold_s * 1000) if over[k] or (now and stays[k]) else left - 1
        is_open[k] = now
    is_open = maximum_filter1d(is_open.astype(np.uint8), 3) > 0
    gain = np.where(is_open, 1.0, _DOWN)
    falls = round(fade_s * 1000)
    smooth = np.maximum(gain, np.minimum.reduce([np.roll(maximum_filter1d(gain, 3), k) for k in (0, 1)]))
    for k in range(1, len(smooth)):
        smooth[k] = max(smooth[k], smooth[k - 1] - (1 - _DOWN) / falls)
    out = np.interp(np.arange(len(heard)), np.arange(len(smooth)) * step, smooth)
    return np.asarray(out, np.float32)


def _db(power: float) -> float:
    return float(10 * np.log10(max(power, 1e-12)))


def figures(gain: NDArray[np.float32], truth: Truth) -> tuple[float, float, float, float]:
    """Spill down in the true gaps and in those that are drawn, the drum changed, and the largest click, all
    in dB.
    """
    drawn = gain <= _DOWN * 1.0001
    down, down_drawn = (
        _db(
            float(np.sum(truth.spill[where] ** 2))
            / max(float(np.sum((gain * truth.spill)[where] ** 2)), 1e-12)
        )
        if where.any()
        else float("nan")
        for where in (truth.gap, drawn)
    )
    lost = ((1 - gain) * truth.own)[truth.sounds]
    changed = _db(float(np.sum(lost**2)) / max(float(np.sum(truth.own[truth.sounds] ** 2)), 1e-12))
    high = butter(4, 8000, "highpass", fs=RATE_HZ, output="sos")
    before, after = (
        uniform_filter1d(sosfilt(high, one).astype(np.float64) ** 2, round(0.001 * RATE_HZ))
        for one in (truth.heard, gain * truth.heard)
    )
    around = maximum_filter1d(before, round(0.02 * RATE_HZ))
    fades = (gain > _DOWN * 1.0001) & (gain < 0.9999)
    click = _db(float((after[fades] / np.maximum(around[fades], 1e-14)).max(initial=0)))
    return down, down_drawn, changed, click


def _wrong(gain: NDArray[np.float32], truth: Truth) -> float:
    """What a gate is chosen by: the drum it takes and the spill it leaves, as one power."""
    taken = float(np.sum((((1 - gain) * truth.own)[truth.sounds]) ** 2))
    return taken + float(np.sum((((gain - _DOWN) * truth.spill)[truth.gap]) ** 2))


def _session(job: tuple[str, int, int]) -> list[tuple[str, tuple[float, ...], tuple[float, ...]]]:
    library, number, fold = job
    recording, _ = recorded(library, number)
    with taught_by(fold_path(fold)):
        one = performance((library, number))
        decided = decided_in(one)
    out = []
    for name in _PIECES:
        if name not in one.candidates or name not in recording.own:
            continue
        strokes = strokes_between([(decided[name], True)], one.candidates[name].band_envelope, _FALLEN_DB)
        heard = recording.audio[name]
        struck = np.sort(np.round(recording.attacks_s[name, name] * RATE_HZ).astype(np.int64))
        truth = truth_of(heard, recording.own[name], struck)
        ours = gap_gain(openings_of(Cleaning(on=True, down_db=DOWN_DB), strokes, RATE_HZ), 0, len(heard))
        gates = (gated(heard, *of) for of in product(_THRESHOLDS_DB, _HOLDS_S, _FADES_S))
        best = min(gates, key=lambda gain: _wrong(gain, truth))
        out.append((name, figures(ours, truth), figures(best, truth)))
    return out


def run() -> None:
    """Print every piece: ours, and the gate."""
    jobs = [
        (library, number, fold)
        for fold, libraries in enumerate(FOLDS)
        for library in libraries
        for number in _SESSIONS
    ]
    with ProcessPoolExecutor(2) as pool:
        rows = [row for rows in pool.map(_session, jobs) for row in rows]
    print(
        f"Gaps turned down by {DOWN_DB:.0f} dB on kits of libraries never taught (median, worst in brackets)"
    )
    print(f"  {'':10} {'':10} spill down in true gaps, in drawn ones; drum changed; click, all in dB")
    for name in _PIECES:
        for who, at in (("ours", 1), ("best gate", 2)):
            values = np.array([row[at] for row in rows if row[0] == name])
            worst = (np.nanmin, np.nanmin, np.nanmax, np.nanmax)
            said = [
                f"{np.nanmedian(values[:, k]):6.1f} ({worst[k](values[:, k]):6.1f})"
                for k in range(values.shape[1])
            ]
            print(f"  {name:10} {who:10} {'  '.join(said)}")
