"""How far from the drums a microphone stood, told by what others beside it heard first."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from nubrak.core.find import Candidates

# Sound goes 2.2 m in this time: overheads hang nearer, rooms stand further off (common practice).
FAR_MS = 6.5
_BEFORE_S, _AFTER_S = 0.04, 0.001
_FEWEST_STROKES = 6
_RISE_DB, _DOWN_DB = 9.0, 20.0  # of a clear stroke: how far it rises, and how far it lies under the loudest
_HEARD_FIRST = 0.85  # the share of strokes that others hear first, of a microphone that stands at no drum


def lateness_ms(own: Candidates, others: list[Candidates]) -> float | None:
    """By how much a microphone hears its loudest strokes after the first of the ``others``, in ms, in the
    median; None where it is the first at some drum, or hears too few strokes to tell. A microphone at a drum
    is the first that hears it.
    """
    struck_s = own.time_s[_clear(own, _DOWN_DB)]
    clear_s = [one.time_s[_clear(one, 2 * _DOWN_DB)] for one in others]
    heard_s = np.sort(np.concatenate([np.zeros(0), *clear_s]))
    if len(struck_s) < _FEWEST_STROKES or not len(heard_s):
        return None
    at = np.searchsorted(heard_s, struck_s - _BEFORE_S)
    first_s = heard_s[np.minimum(at, len(heard_s) - 1)]
    late_s = struck_s - first_s
    earlier = (late_s <= _BEFORE_S) & (late_s > _AFTER_S)
    if earlier.mean() < _HEARD_FIRST:
        return None
    return round(1000.0 * float(np.median(late_s[earlier])), 1)


def _clear(found: Candidates, down_db: float) -> NDArray[np.bool_]:
    level_db = found.peak_db
    return (found.rise_db >= _RISE_DB) & (level_db >= level_db.max(initial=-200.0) - down_db)
