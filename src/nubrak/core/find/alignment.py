"""Alignment: where in a template the attack lies, told by all strokes that share it, laid over each other."""

from __future__ import annotations

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from nubrak.core.signal import windows_at

_UNDER_PEAK = 0.01  # 40 dB under the peak, as an attack is defined
_SAMPLES_NEAR = 6  # a seventh of a millisecond at 44.1 kHz: finer than one stroke alone shows its attack
_STILL_FALLS = 0.6  # backwards in time a slope goes on while 1.5 ms take at least 4 dB off it


def attack_of_template(
    mono: NDArray[np.float32],
    own: NDArray[np.int64],
    aligned: NDArray[np.float64],
    similarity: NDArray[np.float32],
    rate_hz: int,
) -> int:
    """How far after the template's assumed attack the true one lies, in samples.

    ``own`` (m,) are the attacks each stroke showed by itself, ``aligned`` (m,) where the template put them.
    Where strokes began in silence their own word counts, and most of them agree. Where all of them began in
    something that rang, their average, weighted by how little rang, shows the rise that none shows alone.

    ``mono`` is (frames,), ``similarity`` (m,) 0 to 1.
    """
    ms = rate_hz / 1000
    order = np.argsort(-similarity)[:300]
    aligned_at, own = aligned[order].astype(np.int64), own[order]
    lead, body = round(14 * ms), round(54 * ms)
    windows = windows_at(mono, aligned_at - lead, lead + body).astype(np.float64)
    windows /= np.maximum(
        np.abs(windows[:, lead - round(2 * ms) : lead + round(20 * ms)]).max(axis=1, keepdims=True), 1e-12
    )
    off = own - aligned_at
    columns = np.arange(windows.shape[1])
    just_before = (columns >= lead + off[:, None] - round(4 * ms)) & (
        columns < lead + off[:, None] - round(0.3 * ms)
    )
    rang = np.where(just_before, np.abs(windows), 0.0).max(axis=1)
    for limit in (0.012, 0.025, 0.045):
        clean = off[rang < limit]
        if len(clean) >= 3:
            agreed = _densest(clean, lead)
            near = np.abs(clean - agreed) <= _SAMPLES_NEAR
            crowd = _densest(off, lead)
            # A few that agree on an earlier place are right only if something begins there in all of them.
            if (
                near.sum() >= 3
                and near.mean() >= 0.3
                and (crowd - agreed < ms or _begins_between(windows, lead + agreed, lead + crowd, ms))
            ):
                return (
                    _first_over(
                        windows[np.nonzero(rang < limit)[0][near]], lead + int(np.median(clean[near])), ms
                    )
                    - lead
                )
    shown = _rise_of_average(windows, lead, ms) if len(windows) >= 8 else None
    if shown is None:
        shown = _densest(off, lead)
        if np.count_nonzero(np.abs(off - shown) <= _SAMPLES_NEAR) < max(3, 0.25 * len(off)):
            return 0  # no two of them say the same
    return _loud_enough(windows, lead + shown, ms) - lead


def _average(windows: NDArray[np.float64], until: int) -> NDArray[np.float64]:
    """The average of aligned strokes (m, columns), each weighted by how little rang in it before column
    ``until``.
    """
    weight = 1.0 / ((windows[:, : max(until, 1)] ** 2).mean(axis=1) + 1e-6)
    return np.asarray((weight[:, None] * windows).sum(axis=0) / weight.sum())


def _begins_between(windows: NDArray[np.float64], early: int, late: int, ms: float) -> bool:
    """Whether the average of aligned strokes is louder between two columns than before the earlier one."""
    margin = round(0.3 * ms)
    average = _average(windows, early - margin)
    before, between = (
        average[max(early - round(6 * ms), 0) : early - margin],
        average[early + margin : late - margin],
    )
    return (
        len(before) == 0 or len(between) == 0 or float(np.mean(between**2)) > 2.25 * float(np.mean(before**2))
    )


def _loud_enough(windows: NDArray[np.float64], place: int, ms: float) -> int:
    """The column from shortly before ``place`` on at which the average of aligned strokes comes within 40 dB
    of its peak; ``place`` itself where something else is louder there.
    """
    back, ahead = round(1.5 * ms), round(8 * ms)
    begin = max(place - back, 0)
    size = np.abs(_average(windows, begin))
    line = _UNDER_PEAK * size[begin : begin + round(40 * ms)].max()
    if size[max(begin - 2 * back, 0) : max(begin, 1)].max(initial=0.0) > line:
        return place
    over = size[begin : place + ahead] > line
    return begin + int(over.argmax()) if over.any() else place


def _first_over(windows: NDArray[np.float64], place: int, ms: float) -> int:
    """The column near ``place`` at which clean strokes (m, columns) come within 40 dB of the peak of their
    first 40 ms.
    """
    back, ahead = round(1.5 * ms), round(8 * ms)
    size = np.abs(windows)
    line = _UNDER_PEAK * size[:, place - back : place + round(38 * ms)].max(axis=1)
    quiet = size[:, place - 2 * back : place - back].max(axis=1) < line
    if not quiet.any():
        return place
    over = size[quiet, place - back : place + ahead] > line[quiet, None]
    return place - back + int(np.median(np.where(over.any(axis=1), over.argmax(axis=1), back)))


def _densest(values: NDArray[np.int64], reach: int) -> int:
    """The value round which most lie."""
    counts = np.bincount(np.clip(values + reach, 0, 2 * reach), minlength=2 * reach + 1).astype(np.float64)
    return int(np.argmax(np.convolve(counts, np.exp(-0.5 * (np.arange(-8, 9) / 4.0) ** 2), "same"))) - reach


def _rise_of_average(windows: NDArray[np.float64], lead: int, ms: float) -> int | None:
    """Where the average of aligned strokes (m, columns) rises out of what is left of everything else; None
    where it is not seen.
    """
    size = np.abs(_average(windows, lead - round(5 * ms)))
    ahead = max(1, round(0.7 * ms))
    envelope = sliding_window_view(np.concatenate([size, np.zeros(ahead - 1)]), ahead).max(axis=1)
    peak = size[lead - round(2 * ms) :].max()
    floor = float(np.median(envelope[: lead - round(5 * ms)]))
    if floor > 0.02 * peak:
        return None
    line = max(_UNDER_PEAK * peak, 1.6 * floor)
    first = lead - round(5 * ms)
    at = first + int(np.argmax(size[first:] > max(0.12 * peak, 2 * line)))
    flat = round(1.5 * ms)
    # Backwards down the slope, to its foot: where it is quiet enough, or where it falls no further.
    while at > flat and envelope[at - 1] > line and envelope[at - flat] < _STILL_FALLS * envelope[at]:
        at -= 1
    at += int(np.argmax(size[at:] > line))
    return at - lead if abs(at - lead) <= 8 * ms else None
