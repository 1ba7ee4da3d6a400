"""Microphones of one kit looked through together: each without what the others explain of it."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping

import numpy as np
from numpy.typing import NDArray

from nubrak.core.find import Candidates, find_candidates
from nubrak.core.spill.cancelling import without_spill


def find_together(
    signals: Mapping[str, NDArray[np.float32]],
    rate_hz: int,
    same: Mapping[str, str] | None = None,
    wanted: Collection[str] | None = None,
) -> dict[str, Candidates]:
    """All candidates of every signal (frames,), aligned at their first samples, or of those ``wanted``;
    ``same`` as in ``without_spill``. One that is alone is looked through by itself.
    """
    return dict(found_one_by_one(signals, rate_hz, same, wanted))


def found_one_by_one(
    signals: Mapping[str, NDArray[np.float32]],
    rate_hz: int,
    same: Mapping[str, str] | None = None,
    wanted: Collection[str] | None = None,
) -> Iterator[tuple[str, Candidates]]:
    """The same, each as soon as it is found."""
    left = without_spill(signals, rate_hz, same, wanted) if len(signals) > 1 else {}
    for key in list(signals if wanted is None else wanted):
        yield key, find_candidates(signals[key], rate_hz, rest=left.pop(key, None))
