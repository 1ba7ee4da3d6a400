"""Detector signals: level and rise per millisecond, on the plain signal and on two steepened ones, and where
they peak.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import maximum_filter1d

from nubrak.core.signal import FLOOR_DB, db_to_gain, power_to_db

FRAME_S = 0.001  # one millisecond: the shortest time in which a level says anything
_BEFORE_FRAMES = 22  # how far back it is asked how loud it was: a cycle of a low drum
_GAP_FRAMES = 2  # and what is left out before the place: a stroke rises in about so long
_AHEAD_FRAMES = 4  # how soon a stroke is as loud as it gets
# Nearer peaks are steps of one rise; flams are wider apart (common practice: from about 15 ms).
APART_FRAMES = 6
_BLOCK_FRAMES = 1 << 14  # 16 s at a time, so that an hour needs no more room than a minute
_BRIGHT_START_DB = 8.0  # what rings on wanders by less from one millisecond to the next
_HEAD_FRAMES = 20  # of the beginning: a cycle of a low drum
# How small the first samples and their slopes are, so many of them, of what was silent before. What rings is
# steepest where it is smallest.
_STILL_DB = ((1, 32.0, 5.0), (2, 28.0, 7.0), (4, 26.0, 10.0), (10, 24.0, 14.0))
_SURELY_STILL_DB = ((2, 26.0, 26.0), (4, 22.0, 22.0), (10, 20.0, 20.0), (40, 20.0, 20.0))
# How much louder a tone of 40 Hz is within a cycle than in its stillest 1, 2, 3 … ms, and a little more.
_UNSEEN_DB = (24.0, 18.0, 14.0, 12.0, 10.0, 8.0, 7.0, 6.0, 6.0, 5.0, 5.0, 4.0, 4.0, 3.0, 3.0, 3.0, 2.0)


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
    on_stroke = begins_on_stroke(mono, frame)
    for level in levels:
        floor = max(float(np.percentile(level[:: max(1, len(level) // 20000)], 5)), FLOOR_DB + 15.0) - 3.0
        level = np.maximum(level, floor)
        width = _BEFORE_FRAMES - _GAP_FRAMES + 1
        padded = np.concatenate([np.full(_BEFORE_FRAMES + 1, floor), level])
        trailing = maximum_filter1d(
            padded, width, origin=(width - 1) // 2
        )  # the max of the width frames up to here
        rang = trailing[_BEFORE_FRAMES + 1 - _GAP_FRAMES : len(padded) - _GAP_FRAMES]
        if not on_stroke:
            rang = _at_the_beginning(rang, level)
        ahead = maximum_filter1d(level, _AHEAD_FRAMES + 1, origin=-(_AHEAD_FRAMES // 2), mode="nearest")
        rise = ahead - rang
        plain = level if plain is None else plain
        rises = rise if rises is None else np.maximum(rises, rise)
    assert plain is not None and rises is not None
    return plain, rises


def begins_on_stroke(mono: NDArray[np.float32], frame: int, surely: bool = False) -> bool:
    """Whether a file begins with a stroke, or with silence, and not in the middle of something that rings.

    What rings has, at every moment, either its size or its slope. A file whose first samples have neither,
    against what follows, was silent before. That is asked of the signal, of its first and second difference,
    and of its mean over a millisecond, in which a bright spill counts for little. ``surely`` asks for more
    than the first few samples, which may be small by chance.
    """
    head = mono[: _HEAD_FRAMES * frame].astype(np.float64)
    if len(head) < 2 * frame:
        return True
    smooth = np.convolve(head, np.full(frame, 1.0 / frame), mode="valid")
    if any(_begins_still(one, _SURELY_STILL_DB) for one in (head, np.diff(head), np.diff(head, 2), smooth)):
        return True
    return not surely and (
        any(_begins_still(one, _STILL_DB) for one in (head, smooth)) or _begins_bright(mono, frame)
    )


def _begins_bright(mono: NDArray[np.float32], frame: int) -> bool:
    """Whether a file begins with a bright attack that is soon over, cut off before its first sample. What
    rings on is as dark as it goes on.
    """
    steep = np.diff(mono[: 60 * frame + 2].astype(np.float64), 2)
    blocks = steep[: len(steep) // frame * frame].reshape(-1, frame)
    if len(blocks) <= 30:
        return True
    level_db = power_to_db((blocks**2).mean(axis=1))
    return float(level_db[:8].max()) > float(np.median(level_db[15:])) + _BRIGHT_START_DB


def _begins_still(signal: NDArray[np.float64], wanted: tuple[tuple[int, float, float], ...]) -> bool:
    """Whether a signal (frames,) and its slope are both small in its first samples, against what follows."""
    slope = np.diff(signal)
    size, steepness = float(np.abs(signal).max()), float(np.abs(slope).max())
    if not size or not steepness:
        return not size
    small = np.maximum.accumulate(np.abs(signal[:-1]) / size)
    flat = np.maximum.accumulate(np.abs(slope) / steepness)
    return any(
        len(small) > count
        and small[count - 1] <= db_to_gain(-size_db)
        and flat[count - 1] <= db_to_gain(-slope_db)
        for count, size_db, slope_db in wanted
    )


def _at_the_beginning(rang: NDArray[np.float64], level: NDArray[np.float64]) -> NDArray[np.float64]:
    """What rang before each frame, (frames,) in dB, of a file that begins in the middle of something: by the
    frames that are there, and by how much a low tone may be louder within a cycle than in so few of them.
    """
    out = rang.copy()
    count = min(_BEFORE_FRAMES, len(level))
    there = np.maximum.accumulate(level[:count])
    for at in range(count):
        known = at - _GAP_FRAMES + 1
        if known < 1:
            out[at] = max(float(level[:_BEFORE_FRAMES].max()), rang[at])
        else:
            out[at] = max(rang[at], there[known - 1] + _UNSEEN_DB[min(known, len(_UNSEEN_DB)) - 1])
    return out


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
