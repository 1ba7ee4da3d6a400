"""Where a source is cut: at its hits, at the steps of a bar, or at both; and what a hand decided about
single cuts.

A cut is one edge that two slices share. Slices one after the other give the source back bit for bit:
where one fades in, the one before fades out by what is missing, unless a hand set its fade.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from nubrak.core.controls import control
from nubrak.core.problem import Problem
from nubrak.core.signal import distance_to_nearest
from nubrak.core.tempo import Tempo, beats_at, seconds_at
from nubrak.core.time_line import LengthS

NEAREST_S = 0.005  # cuts closer than this are one
MOST_SLICES = 2000
_FOUND_S = 0.008  # a mark speaks of the cut that is no further away
_STEP_BEATS = {"1/2": 2.0, "1/4": 1.0, "1/8": 0.5, "1/16": 0.25, "1/32": 0.125}
_MOMENT_S = 0.03  # before the first stroke of a loop; and how near a hit a step of the grid is that hit's
_CROSSING_S = 0.002  # how far an edge goes to where the signal crosses zero

Step = Literal["bar", "1/2", "1/4", "1/8", "1/16", "1/32"]


class CutSettings(BaseModel):
    """How a source is cut."""

    by: Literal["hits", "grid", "both"] = "hits"
    step: Step = Field(default="1/16", description="the note value that the grid is cut at")
    triplets: bool = Field(default=False, description="three steps in the time of two")
    lead_ms: float = Field(
        default=0.5,
        ge=0,
        le=50,
        description="a slice begins so long before its attack",
        json_schema_extra=control(step=0.1),
    )
    fade_in_ms: float = Field(
        default=0.5, ge=0, le=50, description="and fades in so long", json_schema_extra=control(step=0.1)
    )
    fade_out_ms: float | None = Field(
        default=None, ge=0, le=2000, description="it fades out so long; empty: while the next fades in"
    )
    matched: bool = Field(default=False, description="all slices equally loud; otherwise as they were")


class CutMark(BaseModel):
    """What a person decided about one cut. It outlives every setting."""

    found_s: LengthS = Field(ge=0, description="where it was found or added, from the source's beginning")
    kind: Literal["keep", "drop", "add"] = "keep"
    time_s: LengthS | None = Field(
        default=None, ge=0, description="where it is put; empty: where it was found"
    )
    fade_in_ms: float | None = Field(
        default=None,
        ge=0,
        le=50,
        description="of the slice that begins here",
        json_schema_extra=control(step=0.1),
    )
    fade_out_ms: float | None = Field(
        default=None,
        ge=0,
        le=2000,
        description="of the slice that begins here",
        json_schema_extra=control(step=1),
    )


@dataclass(frozen=True)
class Slice:
    """A stretch of a source from sample ``start`` up to ``end``; ``attack`` is where its stroke begins.
    It fades in over ``fade_in`` samples from its start. Where ``fade_out`` is empty it goes on beyond its
    end while the next fades in, over ``beyond`` samples; otherwise it fades out so long before its end.
    ``found_s`` says which cut it begins at.
    """

    start: int
    end: int
    attack: int
    found_s: float
    fade_in: int = 0
    fade_out: int | None = None
    beyond: int = 0
    by_hand: bool = False


def grid_cuts_s(tempo: Tempo, settings: CutSettings, end_s: float) -> NDArray[np.float64]:
    """The steps of the grid up to ``end_s``, (n,) in s; bars from bar one on, and before it backwards."""
    if settings.step == "bar":
        step = tempo.beats_per_bar * 4.0 / tempo.beat_unit
    else:
        step = _STEP_BEATS[settings.step] * (2.0 / 3.0 if settings.triplets else 1.0)
    first, last = beats_at(tempo, np.array([0.0, end_s]))
    if (last - first) / step > MOST_SLICES:
        raise Problem(
            f"That would be {(last - first) / step:.0f} slices; {MOST_SLICES} is the most.",
            todo="Choose a longer step, or cut at the hits.",
        )
    beats = np.arange(np.ceil(first / step - 1e-9), np.floor(last / step + 1e-9) + 1) * step
    times = seconds_at(tempo, beats)
    return np.asarray(times[(times >= 0) & (times < end_s)])


def cut(
    frames: int,
    rate_hz: int,
    hits_s: NDArray[np.float64],
    grid_s: NDArray[np.float64],
    settings: CutSettings,
    marks: Sequence[CutMark] = (),
) -> list[Slice]:
    """The slices of a source of so many frames, struck at ``hits_s`` (n,) and with steps at ``grid_s``
    (m,), in s from its beginning. The first begins where the source does, the last ends where it ends;
    where two cuts are nearer than 5 ms, a hand's counts before a hit's, and a hit's before the grid's,
    which gives way to hits within 30 ms.
    """
    length_s = frames / rate_hz
    wanted = [*_by_hand(marks), *_found(hits_s, grid_s, settings, marks)]
    wanted = [one for one in wanted if 0.0 <= one.time_s < length_s]
    kept: list[_Wanted] = []
    for one in wanted:
        place = bisect_left(kept, one.time_s, key=lambda other: other.time_s)
        around = kept[max(place - 1, 0) : place + 1]
        if all(abs(other.time_s - one.time_s) >= NEAREST_S for other in around):
            kept.insert(place, one)
    if len(kept) >= MOST_SLICES:
        raise Problem(
            f"That would be {len(kept) + 1} slices; {MOST_SLICES} is the most.",
            todo="Raise the threshold of its hits, or choose a longer step.",
        )
    return _sliced(kept, frames, rate_hz, settings)


@dataclass(frozen=True)
class _Wanted:
    """A cut that is wanted: where it is put, where it was found, and whether its slice leads into an
    attack.
    """

    time_s: float
    found_s: float
    struck: bool
    mark: CutMark | None = None


def _by_hand(marks: Sequence[CutMark]) -> list[_Wanted]:
    """Cuts that a hand added or moved. They lie where they were put, to the sample."""
    return [
        _Wanted(one.found_s if one.time_s is None else one.time_s, one.found_s, False, one)
        for one in marks
        if one.kind != "drop" and (one.kind == "add" or one.time_s is not None)
    ]


def _found(
    hits_s: NDArray[np.float64], grid_s: NDArray[np.float64], settings: CutSettings, marks: Sequence[CutMark]
) -> list[_Wanted]:
    """Cuts at hits and then those of the grid, but for those that a hand dropped or put elsewhere."""
    gone = [one.found_s for one in marks if one.kind == "drop" or one.time_s is not None]
    staying = [one for one in marks if one.kind == "keep" and one.time_s is None]
    out = []
    for times, struck in ((hits_s, True), (grid_s, False)):
        if settings.by == ("grid" if struck else "hits"):
            continue
        if not struck and settings.by == "both" and len(hits_s) and len(times):
            times = times[distance_to_nearest(times, np.sort(hits_s)) > _MOMENT_S]
        for time_s in np.sort(times).tolist():
            if all(abs(time_s - found_s) > _FOUND_S for found_s in gone):
                mark = next((one for one in staying if abs(one.found_s - time_s) <= _FOUND_S), None)
                out.append(_Wanted(time_s, time_s, struck, mark))
    return out


def _sliced(wanted: list[_Wanted], frames: int, rate_hz: int, settings: CutSettings) -> list[Slice]:
    def samples(ms: float | None) -> int | None:
        return None if ms is None else round(ms * rate_hz / 1000)

    lead = samples(settings.lead_ms) or 0
    out: list[Slice] = []
    for one in wanted:
        attack = round(one.time_s * rate_hz)
        start = max(attack - (lead if one.struck else 0), 0)
        if out and start <= out[-1].start:
            continue
        mark = one.mark or CutMark(found_s=one.found_s)
        fade_in = settings.fade_in_ms if mark.fade_in_ms is None else mark.fade_in_ms
        fade_out = settings.fade_out_ms if mark.fade_out_ms is None else mark.fade_out_ms
        out.append(
            Slice(
                start,
                frames,
                attack,
                one.found_s,
                samples(fade_in) or 0,
                samples(fade_out),
                0,
                one.mark is not None,
            )
        )
    if not out or out[0].start > 0:
        # What is there before the first cut is the first slice, or begins it where that is a moment.
        if out and not out[0].by_hand and out[0].start <= round(_MOMENT_S * rate_hz):
            out[0] = replace(out[0], start=0)
        elif frames:
            out.insert(0, Slice(0, frames, 0, 0.0, 0, samples(settings.fade_out_ms)))
    out[:1] = [replace(one, fade_in=0) for one in out[:1]]
    for k, following in enumerate(out[1:]):
        fade_in = min(following.fade_in, following.end - following.start)
        out[k] = replace(out[k], end=following.start, beyond=fade_in)
    return [
        replace(
            one,
            fade_in=min(one.fade_in, one.end - one.start),
            fade_out=None if one.fade_out is None else min(one.fade_out, one.end - one.start),
        )
        for one in out
    ]


def slice_audio(audio: NDArray[np.float32], one: Slice) -> NDArray[np.float32]:
    """A slice of audio (frames, channels) with its fades, (its frames, channels). Slices put where they
    begin add up to the audio, but for fades that a hand set.
    """
    beyond = one.beyond if one.fade_out is None else 0
    out = audio[one.start : one.end + beyond].copy()
    out[: one.fade_in] = _risen(out[: one.fade_in])
    if beyond:
        tail = out[one.end - one.start :]
        tail -= _risen(tail, beyond)
    elif one.fade_out:
        out[-one.fade_out :] -= _risen(out[-one.fade_out :])
    return out


def _risen(sound: NDArray[np.float32], length: int | None = None) -> NDArray[np.float32]:
    """Sound (frames, channels) faded in straight over so many frames, from silence on. Each sample is a whole
    number of its own last digits, so that it and what it leaves add up to the sample exactly.
    """
    rise = (np.arange(len(sound)) / max(length or len(sound), 1))[:, None]
    digit = np.spacing(np.abs(sound)).astype(np.float64)
    return (np.round(sound * rise / digit) * digit).astype(np.float32)


def snapped(
    mono: NDArray[np.float32], rate_hz: int, time_s: float, attacks_s: NDArray[np.float64], lead_ms: float
) -> float:
    """Where an edge goes that is let go of near ``time_s``: the lead before an attack (n,) that is within
    8 ms, else where the signal (frames,) crosses zero within 2 ms, else where it is.
    """
    led = attacks_s - lead_ms / 1000.0
    if len(led):
        nearest = float(led[np.argmin(np.abs(led - time_s))])
        if abs(nearest - time_s) <= _FOUND_S:
            return max(nearest, 0.0)
    at, reach = round(time_s * rate_hz), round(_CROSSING_S * rate_hz)
    low, high = max(at - reach, 0), min(at + reach + 1, len(mono) - 1)
    if high <= low:
        return time_s
    here = mono[low : high + 1]
    crossing = np.nonzero((here[:-1] <= 0) != (here[1:] <= 0))[0]
    if not len(crossing):
        return time_s
    best = crossing[np.argmin(np.abs(crossing + low - at))]
    # Of the two samples around the crossing, the nearer to zero.
    best += int(abs(here[best + 1]) < abs(here[best]))
    return float(low + best) / rate_hz
