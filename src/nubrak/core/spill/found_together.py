"""Microphones of one kit looked through together: each without what the others explain of it."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from nubrak.core.find import Candidates, find_candidates
from nubrak.core.spill.cancelling import without_spill


def find_together(
    signals: Mapping[str, NDArray[np.float32]], rate_hz: int, same: Mapping[str, str] | None = None
) -> dict[str, Candidates]:
    """All candidates of every signal (frames,), aligned at their first samples; ``same`` as in
    ``without_spill``. One that is alone is looked through by itself.
    """
    left = without_spill(signals, rate_hz, same) if len(signals) > 1 else {}
    return {key: find_candidates(mono, rate_hz, rest=left.get(key)) for key, mono in signals.items()}
