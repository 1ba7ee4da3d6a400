"""What a piece usually sounds like: its spectrum at the attack and while it rings, as libraries of
strokes have it on average. It says no more than that a kick is low and a hat is not, and is all that is
known of a piece that never stands alone.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

_KEPT = Path(__file__).with_name("usual_sounds.npz")  # `python -m benchmarks.sorting.usual` writes it
_OTHER = "else"
_RINGS_OFF_DB_PER_S = 4.0  # at the least, beyond what was measured
_FALL_FROM_S = 0.4  # from here on the fall is measured that goes on beyond
_LEAST_DB = -110.0


@dataclass(frozen=True)
class UsualSounds:
    """Spectra of pieces: ``level_db`` (pieces, lags, bands) at ``lag_s`` (lags,) after the attack, in bands
    around ``centre_hz`` (bands,).
    """

    pieces: tuple[str, ...]
    lag_s: NDArray[np.float64]
    centre_hz: NDArray[np.float64]
    level_db: NDArray[np.float64]

    def of(
        self, piece: str, lag_s: NDArray[np.float64], centre_hz: NDArray[np.float64]
    ) -> NDArray[np.float64]:
        """A piece's usual amplitude at these lags (lags,) and bands (bands,), (lags, bands): what was
        measured, and beyond it as it went on falling.
        """
        known = self.level_db[self.pieces.index(piece if piece in self.pieces else _OTHER)]
        by_band = np.stack([np.interp(centre_hz, self.centre_hz, row) for row in known])
        out = np.stack([np.interp(lag_s, self.lag_s, column) for column in by_band.T], axis=1)
        late_s, last_s = _FALL_FROM_S, float(self.lag_s[-1])
        from_db = np.array([np.interp(late_s, self.lag_s, column) for column in by_band.T])
        fall = np.minimum((by_band[-1] - from_db) / (last_s - late_s), -_RINGS_OFF_DB_PER_S)
        out += np.maximum(lag_s - last_s, 0.0)[:, None] * fall
        return np.asarray(10.0 ** (np.maximum(out, _LEAST_DB) / 20.0))


@cache
def usual_sounds() -> UsualSounds:
    """The spectra that ship."""
    with np.load(_KEPT) as kept:
        return UsualSounds(
            tuple(str(one) for one in kept["pieces"]),
            kept["lag_s"].astype(np.float64),
            kept["centre_hz"].astype(np.float64),
            kept["level_db"].astype(np.float64),
        )
