"""The attack of a stroke in the time domain: to the sample, not to the analysis frame.

The attack is where the rise that leads into a stroke begins: 40 dB under its peak, or where it leaves what
rang before. What rang before is predicted by linear prediction fitted to the stretch just before the stroke;
the prediction error jumps in the first sample that the ringing does not explain.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from nubrak.core.signal import ORDER, db_to_gain, prediction_error_filter, prediction_residual, windows_at

# Where a stroke counts as begun: 40 dB under its peak, the product’s own definition of an attack.
UNDER_PEAK_DB = 40.0
_BEFORE_MS = 30.0  # what is looked at ahead of the coarse place
_LEARN_MS = 20.0  # the part of it that teaches the prediction
_AFTER_MS = 14.0  # what of a stroke is looked at: longer than the slowest rise of a struck drum to its peak
_AT_ONCE = 64  # small enough to stay in the cache
_RIDGE_DB = -70.0  # what the prediction does not model: under it lies the noise of the recording
_FORERUNNER_DB = 18.0  # a stroke itself reaches within this of its peak at once
_FORERUNNER_MS = 4.0  # more than this before that, something else began
_RISE_MS = 1.5  # the rise itself is no part of what ran ahead
_TOO_EARLY_MS = 1.0  # less, and many strokes laid over each other know better than the one
_CLEAR = 2.0  # how far the error must stand over its own largest value before the stroke


def refine_attacks(mono: NDArray[np.float32], coarse: NDArray[np.int64], rate_hz: int) -> NDArray[np.int64]:
    """Coarse places (n,) in samples, right to some milliseconds, to attacks (n,) in samples of ``mono``
    (frames,).

    ``coarse`` (n,) are the samples near which they are looked for.
    """
    before, learn, after = (round(ms * rate_hz / 1000) for ms in (_BEFORE_MS, _LEARN_MS, _AFTER_MS))
    attacks = np.empty(len(coarse), np.int64)
    for at in range(0, len(coarse), _AT_ONCE):
        part = coarse[at : at + _AT_ONCE]
        windows = windows_at(mono, part - before - ORDER, before + ORDER + after)
        attacks[at : at + _AT_ONCE] = part - before + _first_new_sample(windows, before, learn)
    return np.clip(attacks, 0, max(len(mono) - 1, 0))


def _first_new_sample(windows: NDArray[np.float32], before: int, learn: int) -> NDArray[np.int64]:
    """Index of the attack in each row, counted without the ``ORDER`` samples of history in front."""
    size = np.abs(windows[:, ORDER:])
    peak = size[:, before - learn // 4 :].max(axis=1)
    # A little white noise, far under the stroke, keeps the fit from modelling what does not matter.
    ridge = learn * (peak.astype(np.float64) * db_to_gain(_RIDGE_DB)) ** 2 + 1e-18
    taps = prediction_error_filter(windows[:, : ORDER + learn], ridge).astype(np.float32)
    error = np.abs(prediction_residual(windows, taps))
    # The raw signal decides where it was silent before; the prediction error where something rang.
    limit = peak * np.float32(10.0 ** (-UNDER_PEAK_DB / 20.0))
    over = size > np.maximum(limit, _CLEAR * size[:, :learn].max(axis=1))[:, None]
    over |= error > np.maximum(limit, _CLEAR * error[:, :learn].max(axis=1))[:, None]
    over[:, : learn * 3 // 4] = False
    first = np.where(over.any(axis=1), np.argmax(over, axis=1), min(before, size.shape[1] - 1)).astype(
        np.int64
    )
    return _past_forerunner(size, first, peak, limit, learn)


def _past_forerunner(
    size: NDArray[np.float32],
    first: NDArray[np.int64],
    peak: NDArray[np.float32],
    limit: NDArray[np.float32],
    learn: int,
) -> NDArray[np.int64]:
    """Move an attack on where something soft, another piece's spill, begins some milliseconds before the
    stroke itself.

    A stroke that swells rises all the way; a forerunner stands level (less than 6 dB more in its second half
    than in its first) far under the stroke. ``size`` (n, columns) is the absolute signal.
    """
    ms = learn / _LEARN_MS
    out = first.copy()
    main = np.argmax(size >= (peak * db_to_gain(-_FORERUNNER_DB))[:, None], axis=1)
    for row in np.nonzero(main - first > _FORERUNNER_MS * ms)[0]:
        begin, end = int(first[row]), int(main[row] - _RISE_MS * ms)
        middle = (begin + end) // 2
        early, late = size[row, begin:middle].max(), size[row, middle:end].max()
        if late <= 2.0 * early:
            line = max(limit[row], 1.5 * max(early, late))
            out[row] = end + int(np.argmax(size[row, end:] > line))
    return out


def not_before_the_rise(
    mono: NDArray[np.float32], led: NDArray[np.int64], own: NDArray[np.int64], rate_hz: int
) -> NDArray[np.int64]:
    """Attacks ``led`` (n,) ahead of a stroke's ``own`` (n,), in samples of ``mono`` (frames,), moved on over
    more than a millisecond that stands 40 dB under the stroke's peak and more, up to its own: where nothing
    sounds, nothing begins.

    Led later than its own, an attack stays. Over ringing or noise that is louder than that it stays as well.
    """
    out = led.copy()
    rows = np.nonzero(led < own)[0]
    reach = int((own - led)[rows].max(initial=0)) + round(_AFTER_MS * rate_hz / 1000)
    size = np.abs(windows_at(mono, led[rows], reach))
    limit = size.max(axis=1, initial=0.0) * np.float32(db_to_gain(-UNDER_PEAK_DB))
    silent = np.argmax(size >= limit[:, None], axis=1)
    silent[silent < round(_TOO_EARLY_MS * rate_hz / 1000)] = 0
    out[rows] += np.minimum(silent, own[rows] - led[rows])
    return out


SNAP_S = 0.030  # how far from where a person points an attack is looked for


def snap(mono: NDArray[np.float32], near_s: float, rate_hz: int, known_s: NDArray[np.float64]) -> float:
    """The attack a person means who points at ``near_s``: the nearest known one in reach, else the steepest
    rise around.

    ``known_s`` (n,) are the attacks of the source's candidates. Where nothing rises, the place itself.
    """
    if len(known_s):
        nearest = float(known_s[np.argmin(np.abs(known_s - near_s))])
        if abs(nearest - near_s) <= SNAP_S / 2:
            return nearest
    begin = max(round((near_s - SNAP_S) * rate_hz), 0)
    window = mono[begin : round((near_s + SNAP_S) * rate_hz)].astype(np.float64)
    frame = max(1, rate_hz // 1000)
    power = np.array([np.mean(window[at : at + frame] ** 2) for at in range(0, len(window) - frame, frame)])
    if len(power) < 4 or not power.any():
        return near_s
    rise = (power[2:] + 1e-12) / (power[:-2] + 1e-12)
    coarse = begin + (int(np.argmax(rise)) + 1) * frame
    return float(refine_attacks(mono, np.array([coarse]), rate_hz)[0]) / rate_hz
