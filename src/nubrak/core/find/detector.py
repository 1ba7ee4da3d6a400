"""Detector signals: level and rise per millisecond, on the plain signal and on two steepened ones, and where
they peak.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import maximum_filter1d

from nubrak.core.signal import FLOOR_DB, power_to_db

FRAME_S = 0.001  # one millisecond: the shortest time in which a level says anything
_BEFORE_FRAMES = 22  # how far back it is asked how loud it was: a cycle of a low drum
_GAP_FRAMES = 2  # and what is left out before the place: a stroke rises in about so long
_AHEAD_FRAMES = 4  # how soon a stroke is as loud as it gets
# Nearer peaks are steps of one rise; flams are wider apart (common practice: from about 15 ms).
APART_FRAMES = 6
_BLOCK_FRAMES = 1 << 14  # 16 s at a time, so that an hour needs no more room than a minute
_BRIGHT_START_DB = 8.0  # what rings on wanders by less from one millisecond to the next


def _frame_levels(mono: NDArray[np.float32], frame: int) -> list[NDArray[np.float64]]:
    """Level per frame, (whole frames,), of the signal and of its first and second difference; block by block,
    so that an hour takes no more room than a minute.
    """
    whole = len(mono) // frame
    levels = [np.empty(whole) for _ in range(3)]
    for at in range(0, whole, _BLOCK_FRAMES):
        end = min(at + _BLOCK_FRAMES, whole)
        # Two samples more in front for the differences; extrapolated before the first, so that a signal which
        # begins off zero does not begin with a jump.
        signal = mono[max(at * frame - 2, 0) : end * frame]
        if at == 0:
            step = mono[1] - mono[0] if len(mono) > 1 else np.float32(0)
            signal = np.concatenate([[mono[0] - 2 * step, mono[0] - step], signal]).astype(np.float32)
        for order in range(3):
            blocks = signal[2 - order :].reshape(end - at, frame)
            levels[order][at:end] = power_to_db(np.einsum("ij,ij->i", blocks, blocks) / frame)
            signal = np.diff(signal)
    return levels


def rises_of(mono: NDArray[np.float32], frame: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Level per frame, and the rise per frame: the largest over the plain and the steepened signals.

    ``mono`` is (frames,), ``frame`` the samples of one frame; both answers are (whole frames,) in dB.
    """
    plain: NDArray[np.float64] | None = None
    rises: NDArray[np.float64] | None = None
    levels = _frame_levels(mono, frame)
    on_stroke = _begins_on_stroke(levels[-1])
    for level in levels:
        floor = max(float(np.percentile(level[:: max(1, len(level) // 20000)], 5)), FLOOR_DB + 15.0) - 3.0
        level = np.maximum(level, floor)
        width = _BEFORE_FRAMES - _GAP_FRAMES + 1
        # Before the first frame stands the floor if the file begins on a stroke, else the level it begins
        # with.
        edge = floor if on_stroke else float(level[:15].max())
        padded = np.concatenate([np.full(_BEFORE_FRAMES + 1, edge), level])
        trailing = maximum_filter1d(
            padded, width, origin=(width - 1) // 2
        )  # the max of the width frames up to here
        rang = trailing[_BEFORE_FRAMES + 1 - _GAP_FRAMES : len(padded) - _GAP_FRAMES]
        ahead = maximum_filter1d(level, _AHEAD_FRAMES + 1, origin=-(_AHEAD_FRAMES // 2), mode="nearest")
        rise = ahead - rang
        plain = level if plain is None else plain
        rises = rise if rises is None else np.maximum(rises, rise)
    assert plain is not None and rises is not None
    return plain, rises


def _begins_on_stroke(steepest_db: NDArray[np.float64]) -> bool:
    """Whether a file begins on a stroke, by the level per frame of its second difference, (frames,).

    A stroke has a bright attack that is soon over; something that still rings where the file was cut is as
    dark as it goes on.
    """
    if len(steepest_db) <= 30:
        return True
    return float(steepest_db[:8].max()) > float(np.median(steepest_db[15:60])) + _BRIGHT_START_DB


def peaks_of(rises: NDArray[np.float64], least_db: float) -> NDArray[np.int64]:
    """Frames where the rise is largest around and large enough; of a plateau, its first frame.

    ``rises`` is (frames,) in dB; the answer is (m,), in order.
    """
    largest = maximum_filter1d(rises, 2 * APART_FRAMES + 1, mode="nearest")
    top = (rises >= largest) & (rises >= least_db)
    first = top & ~np.concatenate([[False], top[:-1]])
    return np.nonzero(first)[0]


def steepest(level: NDArray[np.float64], places: NDArray[np.int64]) -> NDArray[np.int64]:
    """The frame near each place at which the level steps up most within 2 ms.

    ``level`` is (frames,) in dB, ``places`` (n,) frames; the answer is (n,).
    """
    offsets = np.arange(-1, _AHEAD_FRAMES + 3)
    at = np.clip(places[:, None] + offsets, 2, max(len(level) - 2, 2))
    at = np.minimum(at, len(level) - 1)
    step = level[np.minimum(at + 1, len(level) - 1)] - level[np.maximum(at - 2, 0)]
    return at[np.arange(len(places)), np.argmax(step, axis=1)]
