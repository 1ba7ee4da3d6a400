"""What a moment sounds like: the spectrum around an attack at three scales of time, against what rang before.

Long windows tell pitch and ring, short ones the shape of the attack, very long ones kicks from floor toms.
All are laid by the attack to the sample, so that two strokes of one drum look alike. Levels stand against
the loud moments of their own source: gain changes nothing.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import soxr
from numpy.typing import NDArray
from scipy.fft import rfft

from nubrak.core.signal import windows_at

VERSION = 1  # a new number makes everything derived from these anew
RATE_HZ = 44100  # everything is looked at as if recorded at this rate
# Where windows begin against the attack, in samples: two before, then ever further apart.
_LONG, _LONG_AT = 2048, (-4096, -2560, -512, 512, 1536, 2560, 4096, 6144, 9216, 13312, 17408)
_SHORT, _SHORT_AT = 512, (-640, -384, -256, -128, 0, 128, 256, 384, 640, 896, 1280, 1792)
_LOW, _LOW_AT = 4096, (-1024, 1024, 4096)
LONG_EDGES_HZ = np.geomspace(40.0, 17000.0, 57)
SHORT_EDGES_HZ = np.geomspace(200.0, 18000.0, 29)
_LOW_COLUMNS = slice(2, 36)  # 21 to 377 Hz
FLOOR_DB, CEILING_DB = -80.0, 20.0
_SEAM_S = 0.1  # of the end, as what rang before the beginning, since a loop repeats
_AT_ONCE = 64  # moments at a time: what fits the cache


@dataclass(frozen=True)
class MomentSpectra:
    """Of each moment, in dB against the loud moments of the source: ``long`` (n, 11, 56), ``short`` (n, 12,
    28) and ``low`` (n, 3, 34).
    """

    long: NDArray[np.float32]
    short: NDArray[np.float32]
    low: NDArray[np.float32]

    def __len__(self) -> int:
        return len(self.long)


@lru_cache(maxsize=4)
def _into_bands(size: int, edges_hz: tuple[float, ...]) -> NDArray[np.float32]:
    """What sums the columns of a transform into bands, (columns, bands); a column gives each band the share
    of its width that lies in it.
    """
    width = RATE_HZ / size
    low = (np.arange(size // 2 + 1) - 0.5)[:, None] * width
    edges = np.array(edges_hz)[None]
    share = np.minimum(low + width, edges[:, 1:]) - np.maximum(low, edges[:, :-1])
    return (np.clip(share, 0.0, None) / width).astype(np.float32)


def _powers(
    mono: NDArray[np.float32], begins: NDArray[np.int64], size: int, starts: tuple[int, ...]
) -> NDArray[np.float32]:
    """Power spectra of windows at ``starts`` around ``begins`` (n,), (n, starts, columns)."""
    window = np.hanning(size).astype(np.float32)
    window *= np.float32(np.sqrt(2.0 / (size * np.sum(window.astype(np.float64) ** 2))))
    at = (begins[:, None] + np.array(starts)[None]).ravel()
    spectra = rfft(windows_at(mono, at, size) * window, axis=1)
    return (spectra.real**2 + spectra.imag**2).reshape(len(begins), len(starts), -1)


def moment_spectra(mono: NDArray[np.float32], attack_s: NDArray[np.float64], rate_hz: int) -> MomentSpectra:
    """The spectra at ``attack_s`` (n,), in s, of a signal ``mono`` (frames,)."""
    if rate_hz != RATE_HZ:
        mono = soxr.resample(mono, rate_hz, RATE_HZ).astype(np.float32)
    lead = min(round(_SEAM_S * RATE_HZ), len(mono))
    around = np.concatenate([mono[len(mono) - lead :], mono])
    begins = np.round(attack_s * RATE_HZ).astype(np.int64) + lead
    count = len(begins)
    long = np.empty((count, len(_LONG_AT), len(LONG_EDGES_HZ) - 1), np.float32)
    short = np.empty((count, len(_SHORT_AT), len(SHORT_EDGES_HZ) - 1), np.float32)
    low = np.empty((count, len(_LOW_AT), _LOW_COLUMNS.stop - _LOW_COLUMNS.start), np.float32)
    to_long, to_short = _into_bands(_LONG, tuple(LONG_EDGES_HZ)), _into_bands(_SHORT, tuple(SHORT_EDGES_HZ))
    for at in range(0, count, _AT_ONCE):
        some = slice(at, at + _AT_ONCE)
        long[some] = _powers(around, begins[some], _LONG, _LONG_AT) @ to_long
        short[some] = _powers(around, begins[some], _SHORT, _SHORT_AT) @ to_short
        low[some] = _powers(around, begins[some], _LOW, _LOW_AT)[:, :, _LOW_COLUMNS]
    loud = float(np.percentile(long[:, 2].sum(axis=1), 95)) if count else 1.0
    return MomentSpectra(*(_against(one, loud) for one in (long, short, low)))


def _against(power: NDArray[np.float32], loud: float) -> NDArray[np.float32]:
    db = 10.0 * np.log10(np.maximum(power / max(loud, 1e-30), 1e-9))
    return np.clip(db, FLOOR_DB, CEILING_DB).astype(np.float32)
