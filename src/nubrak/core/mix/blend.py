"""Blend: recording against layers, per part. Level, place, what of the recording is cut away, and how it
makes room around its own hits.

Every window equals that stretch of the whole bit for bit: the filters run over blocks that lie on a grid of
their own, each begun early enough that how it was begun has died away, and the room around hits is a function
of the distance to them in whole samples.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from pydantic import Field
from scipy.signal import sosfilt

from nubrak.core.controls import control
from nubrak.core.layer import Cuts, cuts
from nubrak.core.signal import INAUDIBLE, db_to_gain

_BLOCK = 1 << 16  # the filters’ grid: longer than what they reach back, short enough to start anywhere
_BEGUN_EARLY_S = 0.5  # the slowest cut, 20 Hz at 24 dB an octave, has fallen by over 200 dB by then
_SILENT_DB = -60.0  # a part of a mix so far down is not rendered


class Blend(Cuts):
    """Recording against layers. The cuts are the recording's."""

    recording_db: float = Field(default=0.0, ge=-60, le=12)
    recording_on: bool = True
    recording_pan: float = Field(
        default=0.0, ge=-1, le=1, description="-1 left, 1 right", json_schema_extra=control(step=0.05)
    )
    recording_solo: bool = Field(
        default=False, description="only what is solo is heard; prints have everything"
    )
    layers_db: float = Field(default=0.0, ge=-60, le=12)
    layers_on: bool = True
    layers_pan: float = Field(
        default=0.0, ge=-1, le=1, description="-1 left, 1 right", json_schema_extra=control(step=0.05)
    )
    layers_solo: bool = Field(default=False, description="only what is solo is heard; prints have everything")
    duck_db: float = Field(
        default=0.0,
        ge=_SILENT_DB,
        le=0,
        description="how far the recording goes down around its hits; -60 is silence",
        json_schema_extra=control(step=1),
    )
    duck_in_ms: float = Field(default=3.0, ge=0.1, le=200, description="it fades down so long before a hit")
    duck_hold_ms: float = Field(default=120.0, ge=0, le=2000, description="it stays down so long after it")
    duck_out_ms: float = Field(default=80.0, ge=0.1, le=2000, description="and fades up again in so long")


def as_recorded(blend: Blend) -> bool:
    """Whether a blend leaves its recording as it is, but for being heard alone."""
    return (
        blend.recording_on
        and not blend.recording_db
        and not blend.recording_pan
        and blend.duck_db >= 0
        and blend.low_cut_hz is None
        and blend.high_cut_hz is None
    )


def pan_gains(pan: float) -> NDArray[np.float32]:
    """The gains of left and right, (2,): of equal power (sine and cosine), 1 in the middle."""
    angle = (pan + 1.0) * np.pi / 4.0
    return (
        np.array([np.sqrt(2.0) * np.cos(angle), np.sqrt(2.0) * np.sin(angle)], np.float32)
        if pan
        else np.ones(2, np.float32)
    )


def ducking_gain(
    blend: Blend, hit_samples: NDArray[np.int64], rate_hz: int, start: int, frames: int
) -> NDArray[np.float32] | None:
    """What a recording is multiplied by to make room around its hits (n,), in order, for the samples
    ``start`` to ``start + frames``, (frames,); None for no change.

    The fades are raised cosines of the level's amplitude; where two hits' rooms meet, the deeper counts.
    """
    if blend.duck_db >= 0 or not len(hit_samples):
        return None
    before, after = (max(round(ms * rate_hz / 1000), 1) for ms in (blend.duck_in_ms, blend.duck_out_ms))
    hold = round(blend.duck_hold_ms * rate_hz / 1000)
    down = 0.5 - 0.5 * np.cos(np.pi * np.arange(1, before + 1) / before)
    up = 0.5 + 0.5 * np.cos(np.pi * np.arange(1, after + 1) / after)
    shape = np.concatenate([down, np.ones(hold + 1), up]).astype(np.float32)
    near = hit_samples[(hit_samples > start - hold - after - 2) & (hit_samples < start + frames + before + 1)]
    if not len(near):
        return None
    depth = np.zeros(frames, np.float32)
    for hit in near.tolist():
        begin = hit - before
        low, high = max(begin, start), min(begin + len(shape), start + frames)
        if low < high:
            np.maximum(
                depth[low - start : high - start],
                shape[low - begin : high - begin],
                out=depth[low - start : high - start],
            )
    floor = 0.0 if blend.duck_db <= _SILENT_DB else db_to_gain(blend.duck_db)
    return np.asarray(1.0 - np.float32(1.0 - floor) * depth, np.float32)


def cut(
    blend: Blend, plain: Callable[[int, int], NDArray[np.float32]], rate_hz: int, start: int, frames: int
) -> NDArray[np.float32]:
    """The samples ``start`` to ``start + frames`` of what ``plain(start, frames)`` gives, (frames, 2),
    through the blend's cuts.
    """
    sections = cuts(blend, rate_hz)
    if sections is None:
        return plain(start, frames)
    out = np.empty((frames, 2), np.float32)
    early = round(_BEGUN_EARLY_S * rate_hz)
    for number in range(start // _BLOCK, -(-(start + frames) // _BLOCK)):
        begin = number * _BLOCK
        sound = plain(begin - early, early + _BLOCK).astype(np.float64)
        sound[::2] += INAUDIBLE
        made = sosfilt(sections, sound, axis=0)[early:]
        low, high = max(begin, start), min(begin + _BLOCK, start + frames)
        out[low - start : high - start] = made[low - begin : high - begin]
    return out
