"""The master level: how loud everything is that is heard and printed together."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from nubrak.core.signal import db_to_gain

MasterDb = Annotated[float, Field(ge=-60, le=12)]


def at_master(sound: NDArray[np.float32], master_db: float) -> NDArray[np.float32]:
    """Sound (frames, channels) at the master level, in dB; the very same samples at 0 dB.

    >>> import numpy as np
    >>> at_master(np.ones((1, 2), np.float32), -20.0)
    array([[0.1, 0.1]], dtype=float32)
    """
    return sound if not master_db else (sound * np.float32(db_to_gain(master_db))).astype(np.float32)
