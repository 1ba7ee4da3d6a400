"""How hard a piece was struck where others are struck with it: its own share of the sound.

Where it stands alone its level is measured as that of any part. Where it does not, only the band in which
the piece speaks is measured (the hiss of a hat, the low end of a kick), brought to what that band holds
where it stands alone in the same source.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from nubrak.core.sort.sorting import Sorted

_STRUCK, _NOT_STRUCK = (
    0.5,
    0.2,
)  # how likely its own sounds are, and all others are not, where it stands alone
_FEWEST = 2  # strokes alone that the others are brought to


def own_share_db(
    sort: Sorted, sounds: tuple[str, ...], strength_db: NDArray[np.float64], band_db: NDArray[np.float64]
) -> NDArray[np.float64]:
    """The level of a piece's share at each candidate, (n,) in dB; ``strength_db`` (n,) is what its strength
    is measured by where it stands alone, ``band_db`` (n,) what the band it speaks in holds. A share is never
    louder than the whole.
    """
    alone = (sort.only(sounds).of_any() > _STRUCK) & (sort.without(sounds).of_any() < _NOT_STRUCK)
    apart_db = 0.0
    if np.count_nonzero(alone) >= _FEWEST:
        apart_db = float(np.median(strength_db[alone] - band_db[alone]))
    return np.where(alone, strength_db, np.minimum(band_db + apart_db, strength_db))
