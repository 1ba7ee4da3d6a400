"""How hard a piece was struck where others are struck with it: its own share of the sound.

Where it stands alone its level is measured, in its own band. Where it does not, the network's estimate of
its share is taken, brought to what was measured of the same piece where it stands alone in the same source.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from nubrak.core.sort.sorting import Sorted

_STRUCK, _NOT_STRUCK = (
    0.5,
    0.2,
)  # how likely its own sounds are, and all others are not, where it stands alone
_FEWEST = 3  # strokes alone that an estimate is brought to


def own_share_db(
    sort: Sorted, sounds: tuple[str, ...], piece: str, measured_db: NDArray[np.float64]
) -> NDArray[np.float64]:
    """The level of a piece's share at each candidate, (n,) in dB; ``measured_db`` (n,) is what its band
    holds there. A share is never louder than the band.
    """
    own = sort.only(sounds)
    told_db = own.level_of(piece)
    alone = (own.of_any() > _STRUCK) & (sort.without(sounds).of_any() < _NOT_STRUCK)
    if np.count_nonzero(alone) >= _FEWEST:
        told_db = told_db + np.median(measured_db[alone] - told_db[alone])
    return np.where(alone, measured_db, np.minimum(told_db, measured_db))
