"""A suggested threshold: the gap in the distribution of levels that parts strokes from everything else."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field
from scipy.ndimage import gaussian_filter1d

_BIN_DB = 0.5  # finer than a threshold is set by hand
_LOWEST_DB = -100.0  # under the noise of any converter
_USUAL_SPAN_DB = 28.0  # strokes of one part rarely span more (common practice)


class Suggestion(BaseModel):
    """Where the threshold would best lie."""

    threshold_db: float = Field(description="in dBFS")
    gap_db: float = Field(description="how wide the gap is in which it lies; 0 where there is none")
    loudest_db: float = Field(description="level of the loudest usual strokes, in dBFS")


def suggest_threshold(level_db: NDArray[np.float64], least_span_db: float = 9.0) -> Suggestion:
    """Levels of the candidates that rise enough (n,) in dBFS to a threshold.

    The distribution is smoothed (a kernel density estimate on a grid: Silverman, Density Estimation, 1986)
    and every valley between two peaks is weighed: how deep it is against the lower of its two peaks, how wide
    the stretch is that stays near-empty, and how plausible it is for strokes to span from it to the loudest.
    Where nothing parts, the threshold stays under all levels within the usual span. Strokes span at least
    ``least_span_db``.
    """
    level = np.sort(level_db[level_db > _LOWEST_DB])
    if len(level) == 0:
        return Suggestion(threshold_db=-40.0, gap_db=0.0, loudest_db=-12.0)
    loudest = float(
        level[-1] if len(level) < 10 else np.percentile(level, 100 - max(2.0, 200.0 / len(level)))
    )
    lowest = loudest - 55.0
    level = level[level >= lowest]
    fallback = max(float(level[0]) - 3.0, loudest - _USUAL_SPAN_DB)
    if len(level) < 4:
        return Suggestion(threshold_db=round(fallback, 1), gap_db=0.0, loudest_db=loudest)
    counts, edges = np.histogram(level, bins=np.arange(lowest - 2.0, level[-1] + 2.0, _BIN_DB))
    density = gaussian_filter1d(counts.astype(np.float64), 1.6 / _BIN_DB, mode="constant")
    centres = edges[:-1] + _BIN_DB / 2
    above_peak = np.maximum.accumulate(density[::-1])[::-1]
    below_peak = np.maximum.accumulate(density)
    smaller = np.minimum(above_peak, below_peak)
    depth = 1.0 - density / np.maximum(smaller, 1e-9)
    under = loudest - centres
    plausible = _plausible(under, least_span_db)
    share_above = np.cumsum(counts[::-1])[::-1] / len(level)
    # A crowd below the gap is spill; a few lone candidates below it are more likely soft strokes than
    # anything else.
    plausible = plausible * np.minimum(1.0, share_above / 0.04) * np.minimum(1.0, (1.0 - share_above) / 0.15)
    gaps = _gap_widths(level, centres)
    worth = np.maximum(depth, 0.0) * plausible * (0.1 + np.minimum(gaps, 18.0) / 18.0)
    best = int(np.argmax(worth))
    # Under the lowest level there is a gap too, as wide as any: where all that is left are strokes, all of
    # them count.
    bottom = float(level[0]) - 3.0
    bottom_worth = float(_plausible(np.array([loudest - bottom]), least_span_db)[0])
    if worth[best] < max(0.12, bottom_worth):
        return Suggestion(
            threshold_db=round(bottom if bottom_worth > 0.12 else fallback, 1), gap_db=0.0, loudest_db=loudest
        )
    # The middle of the near-empty stretch, a little towards the bottom: a lost soft stroke costs more than a
    # spare one.
    right = int(np.searchsorted(level, centres[best]))
    low, high = float(level[max(right - 1, 0)]), float(level[min(right, len(level) - 1)])
    place = low + 0.45 * (high - low) if high > low else float(centres[best])
    return Suggestion(threshold_db=round(place, 1), gap_db=round(max(high - low, 0.0), 1), loudest_db=loudest)


def suggest_below(
    level_db: NDArray[np.float64], strokes: NDArray[np.bool_], others: NDArray[np.bool_]
) -> Suggestion:
    """The line under the softest of the ``strokes`` (n,) that the evidence makes, and how far under it the
    next of the ``others`` (n,), neither stroke nor spill, stands. Levels (n,) in dBFS.

    ``level_db`` is (n,) in dBFS.
    """
    level = level_db[strokes]
    if not len(level):
        loudest = float(level_db.max()) if len(level_db) else -12.0
        return Suggestion(threshold_db=round(min(loudest + 3.0, 0.0), 1), gap_db=0.0, loudest_db=loudest)
    loudest = _loudest_usual(level)
    softest = float(level.min())
    below = level_db[others & ~strokes & (level_db < softest)]
    gap = softest - float(below.max()) if len(below) else 12.0
    return Suggestion(
        threshold_db=round(max(softest - min(gap / 2, 6.0), -96.0) - 0.05, 1),
        gap_db=round(gap, 1),
        loudest_db=loudest,
    )


def _loudest_usual(level_db: NDArray[np.float64]) -> float:
    """The level that all but the two loudest in a hundred, or the loudest two of fewer, stay under."""
    count = len(level_db)
    if count < 10:
        return float(level_db.max())
    over = max(count // 50, 2)
    return float(np.partition(level_db, count - over)[count - over])


def _plausible(under_db: NDArray[np.float64], least_span_db: float) -> NDArray[np.float64]:
    """How likely the softest stroke of a part lies ``under_db`` below the loudest usual ones (common
    practice).
    """
    return np.asarray(
        np.exp(-0.5 * np.maximum(under_db - max(22.0, least_span_db), 0.0) ** 2 / 100.0)
        * np.exp(-0.5 * np.maximum(least_span_db - under_db, 0.0) ** 2 / 9.0)
    )


def _gap_widths(level_db: NDArray[np.float64], centres: NDArray[np.float64]) -> NDArray[np.float64]:
    """The distance between the nearest level above and below each centre."""
    right = np.searchsorted(level_db, centres)
    high = level_db[np.minimum(right, len(level_db) - 1)]
    low = level_db[np.maximum(right - 1, 0)]
    return np.where((right > 0) & (right < len(level_db)), high - low, 0.0)
