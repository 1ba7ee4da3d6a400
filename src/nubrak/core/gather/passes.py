"""Passes over the same bars made into one: each bar out of the pass that was chosen for it.

One pass goes on into the next shortly before the bar line, where both are softest, so that a stroke a little
ahead of the line stays with its bar.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

_AHEAD_S, _NEAR_S = 0.070, 0.004  # from how far before a bar line to how near before it they may change
_FADE_S = 0.004  # from one pass into the other
_SMOOTH_S = 0.003  # over which it is told how soft they are


def joined_passes(
    passes: list[NDArray[np.float32]], starts: list[int], lines: list[int], chosen: list[int], rate_hz: int
) -> tuple[int, NDArray[np.float32]]:
    """Passes (frames, channels) that begin at samples ``starts`` of the time line, as one that begins at the
    answered sample: from ``lines[k]`` on, which are bar lines in samples, pass ``chosen[k]`` sounds; before
    the first line its own pass does.
    """
    begin = min(starts)
    end = max(start + len(one) for start, one in zip(starts, passes, strict=True))
    channels = max(one.shape[1] for one in passes)
    laid = np.zeros((len(passes), end - begin, channels), np.float32)
    for k, (start, one) in enumerate(zip(starts, passes, strict=True)):
        laid[k, start - begin : start - begin + len(one)] = one
    share = np.zeros((len(passes), end - begin), np.float32)
    at, sounding, fade = 0, chosen[0] if chosen else 0, max(round(_FADE_S * rate_hz), 1)
    for line, pass_number in zip(lines[1:], chosen[1:], strict=True):
        if pass_number == sounding:
            continue
        change = _softest(laid[sounding] + laid[pass_number], line - begin, rate_hz, at + fade)
        if change is None:
            continue
        share[sounding, at:change] = 1.0
        ramp = np.linspace(0.0, 1.0, fade, endpoint=False, dtype=np.float32)[: len(share[0]) - change]
        # Cosine-shaped and adding up to one: both passes hold the same player, near the same moment.
        ramp = np.float32(0.5) - np.float32(0.5) * np.cos(np.pi * ramp, dtype=np.float32)
        share[sounding, change : change + len(ramp)] = 1.0 - ramp
        share[pass_number, change : change + len(ramp)] = ramp
        at, sounding = change + len(ramp), pass_number
    share[sounding, at:] = 1.0
    return begin, np.einsum("kf,kfc->fc", share, laid)


def _softest(sum_of_both: NDArray[np.float32], line: int, rate_hz: int, earliest: int) -> int | None:
    """Where shortly before a line, (frames, channels), it is softest; None where there is no room."""
    first = max(line - round(_AHEAD_S * rate_hz), earliest)
    last = min(line - round(_NEAR_S * rate_hz), len(sum_of_both) - 1)
    if last <= first:
        return None
    width = max(round(_SMOOTH_S * rate_hz), 1)
    power = np.square(sum_of_both[first : last + width]).sum(axis=1, dtype=np.float64)
    smooth = np.convolve(power, np.ones(width), "valid")
    return first + (int(np.argmin(smooth)) if len(smooth) else 0)
