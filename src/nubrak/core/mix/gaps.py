"""Gaps: a source turned down where its drum does not sound.

It is open from just before each stroke until that stroke has rung out, as this recording says, and goes down
in between. Which strokes those are, Find decides; the gaps follow. A hand may move any end of a gap and its
depth, and that stays with the stroke it was set at.

Every window equals that stretch of the whole: the gain is a function of the sample's place alone.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from nubrak.core.controls import control
from nubrak.core.signal import db_to_gain
from nubrak.core.time_line import LengthS, TimeLineS

SILENCE_DB = 60.0
MOST_GAP_MARKS = 5000
SAME_STROKE_S = 0.008  # a mark speaks of the stroke that is nearer
WHOLE_RING_DB = 60.0  # a passage's last stroke is left until it has fallen so far
_PASSAGE_FADE = 3.0  # and then fades so much slower
_SHORTEST_GAP_S = 0.05  # what is shorter stays open: nobody hears it but as a flutter
_BEGINS_S = 0.03  # another piece's stroke so long before an own one is let in with it
_OTHER_RINGS_S = 0.08  # so long another piece's stroke is not faded in its middle
_MOST_WAITS = 3  # times that an end waits for another piece's stroke to be over


class GapMark(BaseModel):
    """What a hand set about the gap behind one stroke; what is empty is as it is told."""

    time_s: TimeLineS = Field(description="where the stroke was found")
    closes_s: LengthS | None = Field(
        default=None, description="it begins to close so long after the stroke's attack"
    )
    opens_s: LengthS | None = Field(
        default=None, le=5, description="it is open so long before the stroke's attack"
    )
    down_db: float | None = Field(
        default=None, ge=0, le=SILENCE_DB, description="how far the gap behind it goes down; 0 leaves it open"
    )


class Cleaning(BaseModel):
    """How a source is turned down between its strokes."""

    on: bool = False
    down_db: float = Field(
        default=16.0,
        ge=1,
        le=SILENCE_DB,
        description="how far it goes down between strokes; 60 is silence",
        json_schema_extra=control(step=1),
    )
    rings_db: float = Field(
        default=40.0,
        ge=12,
        le=60,
        description="a stroke is left alone until it has fallen so far",
        json_schema_extra=control(step=1),
    )
    opens_ms: float = Field(
        default=1.0,
        ge=0,
        le=50,
        description="it is open so long before an attack",
        json_schema_extra=control(step=0.5),
    )
    fade_in_ms: float = Field(
        default=1.0,
        ge=0.1,
        le=50,
        description="it opens within so long, before that",
        json_schema_extra=control(step=0.1, high=20),
    )
    fade_out_ms: float = Field(
        default=40.0,
        ge=1,
        le=2000,
        description="it goes down within so long",
        json_schema_extra=control(high=500),
    )
    passage_ms: float = Field(
        default=2000.0,
        ge=500,
        le=30000,
        description="a stroke with none behind it for so long ends a passage, and rings out whole",
        json_schema_extra=control(step=100, high=10000),
    )
    marks: dict[str, GapMark] = Field(
        default={}, max_length=MOST_GAP_MARKS, description="what a hand set about single gaps"
    )


@dataclass(frozen=True)
class Strokes:
    """What the gaps of a source lie between: strokes at ``time_s`` (n,), in order, found at ``found_s`` (n,);
    how long each takes to fall by ``rings_db`` and by ``WHOLE_RING_DB``, ``rings_s`` and ``rings_whole_s``
    (n,); and ``others_s`` (m,), in order, where strokes of other pieces are heard in it.
    """

    time_s: NDArray[np.float64]
    found_s: NDArray[np.float64]
    rings_s: NDArray[np.float64]
    rings_whole_s: NDArray[np.float64]
    others_s: NDArray[np.float64]


@dataclass(frozen=True)
class Openings:
    """Where a source is open, in order: from ``opens`` (k,) on it is whole, from ``closes`` (k,) on it goes
    down, both in samples; each rises within ``rise`` (k,) samples before and falls within ``fall`` (k,)
    after. ``gain`` (k + 1,) is what it is multiplied by before the first, between them and after the last.
    ``first`` and ``last`` (k,) are the rows of the strokes that each begins and ends with.
    """

    opens: NDArray[np.int64]
    closes: NDArray[np.int64]
    rise: NDArray[np.int64]
    fall: NDArray[np.int64]
    gain: NDArray[np.float64]
    first: NDArray[np.int64]
    last: NDArray[np.int64]


def openings_of(cleaning: Cleaning, strokes: Strokes, rate_hz: int) -> Openings:
    """Where a source is open for its strokes."""
    time_s, others_s = strokes.time_s, strokes.others_s
    marked = _marked(cleaning.marks.values(), strokes.found_s)
    opens_s, closes_s = time_s - cleaning.opens_ms / 1000, time_s + strokes.rings_s
    fall_s = np.full(len(time_s), cleaning.fade_out_ms / 1000)
    gain = np.full(len(time_s) + 1, _gain(cleaning.down_db))
    ends = np.diff(time_s, append=np.inf) > cleaning.passage_ms / 1000
    closes_s[ends] = time_s[ends] + np.maximum(strokes.rings_whole_s, strokes.rings_s)[ends]
    fall_s[ends] *= _PASSAGE_FADE
    for row in range(len(time_s)):
        opens_s[row] = _before_others(opens_s[row], others_s, cleaning.opens_ms / 1000)
        if not ends[row]:
            closes_s[row] = _after_others(closes_s[row], fall_s[row], others_s)
    for row, mark in marked.items():
        if mark.opens_s is not None:
            opens_s[row] = time_s[row] - mark.opens_s
        if mark.closes_s is not None:
            closes_s[row] = time_s[row] + mark.closes_s
        if mark.down_db is not None:
            gain[row + 1] = _gain(mark.down_db)
    rise_s = cleaning.fade_in_ms / 1000
    held = [row for row, mark in marked.items() if mark.closes_s is not None]
    first, last = _joined(opens_s, closes_s, fall_s, rise_s, gain[1:], held)
    at = np.concatenate([[0], last + 1]) if len(last) else np.zeros(1, np.int64)
    return Openings(
        np.round(opens_s[first] * rate_hz).astype(np.int64),
        np.round(closes_s[last] * rate_hz).astype(np.int64),
        np.full(len(first), max(round(rise_s * rate_hz), 1), np.int64),
        np.maximum(np.round(fall_s[last] * rate_hz), 1).astype(np.int64),
        gain[at],
        first,
        last,
    )


def _joined(
    opens_s: NDArray[np.float64],
    closes_s: NDArray[np.float64],
    fall_s: NDArray[np.float64],
    rise_s: float,
    gain: NDArray[np.float64],
    held: Sequence[int],
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """The first and the last stroke of each opening, (k,) each: those between which there is room for a gap.
    A gap that a hand set is there however short, but for its fades; one that it left open is none.
    """
    if not len(opens_s):
        return np.zeros(0, np.int64), np.zeros(0, np.int64)
    room = opens_s[1:] - rise_s - closes_s[:-1] - fall_s[:-1]
    least = np.full(len(room), _SHORTEST_GAP_S)
    least[[row for row in held if row < len(least)]] = 0.0
    apart = np.nonzero((room >= least) & (gain[:-1] < 1.0))[0]
    return np.concatenate([[0], apart + 1]), np.append(apart, len(opens_s) - 1)


def _marked(marks: Iterable[GapMark], found_s: NDArray[np.float64]) -> dict[int, GapMark]:
    """The row of the stroke that each mark speaks of; those whose stroke is not there now wait for it."""
    out: dict[int, GapMark] = {}
    for mark in marks:
        if len(found_s):
            row = int(np.argmin(np.abs(found_s - mark.time_s)))
            if abs(found_s[row] - mark.time_s) <= SAME_STROKE_S:
                out[row] = mark
    return out


def _before_others(opens_s: float, others_s: NDArray[np.float64], ahead_s: float) -> float:
    """An opening that would come in the middle of another piece's stroke comes before it."""
    near = others_s[(others_s > opens_s - _BEGINS_S) & (others_s - ahead_s < opens_s)]
    return min(opens_s, float(near.min()) - ahead_s) if len(near) else opens_s


def _after_others(closes_s: float, fall_s: float, others_s: NDArray[np.float64]) -> float:
    """An end that would come in the middle of another piece's stroke comes after it."""
    for _ in range(_MOST_WAITS):
        cut = others_s[(others_s > closes_s - _OTHER_RINGS_S) & (others_s < closes_s + fall_s)]
        if not len(cut):
            break
        closes_s = max(closes_s, float(cut.max()) + _OTHER_RINGS_S)
    return closes_s


def _gain(down_db: float) -> float:
    return 0.0 if down_db >= SILENCE_DB else float(db_to_gain(-down_db))


def gap_gain(openings: Openings, start: int, frames: int) -> NDArray[np.float32]:
    """What a source is multiplied by from sample ``start`` on, (frames,). Fades are raised cosines of the
    amplitude.
    """
    out = np.empty(frames, np.float32)
    end, at = start + frames, start
    number = int(np.searchsorted(openings.closes + openings.fall, start, side="right"))
    while at < end and number < len(openings.opens):
        opens, closes = int(openings.opens[number]), int(openings.closes[number])
        rise, fall = int(openings.rise[number]), int(openings.fall[number])
        under, behind = float(openings.gain[number]), float(openings.gain[number + 1])
        closes = max(closes, opens)
        for until, values in (
            (opens - rise, lambda _, under=under: np.float32(under)),
            (opens, lambda n, o=opens, r=rise, g=under: g + (1 - g) * _risen((n - o + r + 1) / (r + 1))),
            (closes, lambda _: np.float32(1.0)),
            (
                closes + fall,
                lambda n, c=closes, f=fall, g=behind: 1 - (1 - g) * _risen((n - c + 1) / (f + 1)),
            ),
        ):
            stop = min(until, end)
            if at < stop:
                out[at - start : stop - start] = values(np.arange(at, stop))
                at = stop
        number += 1
    if at < end:
        out[at - start :] = openings.gain[-1]
    return out


def _risen(share: NDArray[np.float64]) -> NDArray[np.float64]:
    return 0.5 - 0.5 * np.cos(np.pi * share)
