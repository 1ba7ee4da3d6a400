"""Onset power: what each attack adds to what rang before, and how a part hears it that listens to some
bands.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from nubrak.core.find.candidates import Candidates
from nubrak.core.signal import power_to_db

_LEAST_SHARE = 0.005  # of a band that does not rise, what is left to the level
_WINDOW_HIDES_DB = 4.0  # a tapered window of 23 ms shows at most so much less of a sudden rise


def onset_power_of(candidates: Candidates) -> NDArray[np.float32]:
    """Power of each attack per third octave, (n, bands), without what rang before.

    Band by band, so that a dark ringing does not hide a bright stroke and does not pass for one either.
    """
    after, before = candidates.attack_power, candidates.before_power
    return np.asarray(np.maximum(after - before, np.float32(_LEAST_SHARE) * after))


def rise_in_band(candidates: Candidates, inside: NDArray[np.bool_]) -> NDArray[np.float64]:
    """The rise of each candidate, in dB, (n,), as a part hears it that listens to the third octaves
    ``inside`` (bands,).

    The attack window is longer than the rise, so what it shows of a jump is less than the jump: up to
    ``_WINDOW_HIDES_DB`` are given back, and never more than the rise over single milliseconds. A place that
    falls in its band is no stroke there.
    """
    after = power_to_db(candidates.attack_power[:, inside].sum(axis=1, dtype=np.float64))
    before = power_to_db(candidates.before_power[:, inside].sum(axis=1, dtype=np.float64))
    return np.asarray(np.minimum(candidates.rise_db, after - before + _WINDOW_HIDES_DB))
