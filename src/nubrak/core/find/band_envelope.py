"""Course: how the level of a source goes on between its candidates, in a few wide bands, every 10 ms.

Candidates stand where something rises. What a neighbour's stroke puts into a microphone often rises over
nothing there, and what rings after a stroke may swell without one; both are read off the band envelope. Each
frame is measured through the window of an attack that begins with it, so that a frame reads like a candidate
at that place.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.fft import next_fast_len, rfft

from nubrak.core.signal import FLOOR_DB, db_to_power, power_to_db, windows_at

STEP_S = 0.01  # ten milliseconds: shorter than any ring, longer than a cycle of a kick’s beater
FIRST_BAND = (0, 6, 10, 14, 19, 24)  # the third octave each region begins with
# Of the regions: groups of whole third octaves, the last one open.
EDGES_HZ = np.concatenate([[0.0], 31.25 * 2.0 ** ((np.array(FIRST_BAND[1:]) - 1) / 3.0), [1e6]])
REGIONS = len(FIRST_BAND)
_WINDOW_S = 0.0232  # 1024 samples at 44.1 kHz, the same as in bands, so that levels compare
_BEFORE_STEPS = 3  # a window that ends before the next begins
_AT_ONCE = 128  # windows at a time: what fits the cache


def attack_taper(size: int, lead: int) -> NDArray[np.float32]:
    """The window an attack is measured through, (size,): up within ``lead`` samples, then down to nothing."""
    taper = np.cos(np.linspace(0.0, np.pi / 2, size)).astype(np.float32) ** 2
    taper[:lead] = np.sin(np.linspace(0.0, np.pi / 2, lead)) ** 2
    return taper


def powers_in(windows: NDArray[np.float32], to_bands: NDArray[np.float32]) -> NDArray[np.float32]:
    """Mean square per band of tapered windows (n, size), (n, bands)."""
    spectra = rfft(windows, _padded(windows.shape[1]), axis=1)
    parts = spectra.view(np.float32)  # real and imaginary side by side
    parts *= parts
    return np.asarray(parts @ np.repeat(to_bands, 2, axis=0))


def _padded(size: int) -> int:
    return int(next_fast_len(size, real=True))


def into_bands(
    taper: NDArray[np.float32], rate_hz: int, edges_hz: NDArray[np.float64]
) -> NDArray[np.float32]:
    """What turns a power spectrum of windows under ``taper`` (size,) into mean squares per band, (columns,
    bands).
    """
    size = _padded(len(taper))
    columns = np.fft.rfftfreq(size, 1 / rate_hz)
    out = np.zeros((len(columns), len(edges_hz) - 1), np.float32)
    out[np.arange(len(columns)), np.searchsorted(edges_hz, columns, side="right") - 1] = 2.0 / (
        size * float(np.sum(taper.astype(np.float64) ** 2))
    )
    return out


def low_bands(
    taper: NDArray[np.float32], rate_hz: int, edges_hz: NDArray[np.float64]
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """For ``low_powers_in``: the tapered cosines and sines of the few columns under the last edge, (size, 2 x
    columns), and what turns their squares into mean squares per band, (2 x columns, bands).
    """
    to_bands = into_bands(taper, rate_hz, np.append(edges_hz, np.inf))[:, :-1]
    used = np.nonzero(np.fft.rfftfreq(_padded(len(taper)), 1 / rate_hz) < edges_hz[-1])[0]
    turns = 2.0 * np.pi * np.outer(np.arange(len(taper)), used) / _padded(len(taper))
    waves = taper[:, None] * np.concatenate([np.cos(turns), np.sin(turns)], axis=1)
    return waves.astype(np.float32), np.tile(to_bands[used], (2, 1))


def low_powers_in(
    windows: NDArray[np.float32], bands: tuple[NDArray[np.float32], NDArray[np.float32]]
) -> NDArray[np.float32]:
    """What ``powers_in`` gives for some low bands of windows (n, size) without their taper, (n, bands): a
    transform of its few columns.
    """
    waves, to_bands = bands
    return np.asarray((windows @ waves) ** 2 @ to_bands)


def no_band_envelope() -> NDArray[np.float16]:
    """The band envelope of nothing, (0, REGIONS)."""
    return np.zeros((0, REGIONS), np.float16)


def band_envelope_of(mono: NDArray[np.float32], rate_hz: int) -> NDArray[np.float16]:
    """The level of ``mono`` (frames,) in dBFS per region every ``STEP_S``, (steps, REGIONS)."""
    lead = round(0.001 * rate_hz)
    taper = attack_taper(round(_WINDOW_S * rate_hz), lead)
    size = _padded(len(taper))
    to_bands = into_bands(taper, rate_hz, EDGES_HZ)
    begins = np.round(np.arange(0.0, len(mono) / rate_hz, STEP_S) * rate_hz).astype(np.int64) - lead
    taper = np.pad(taper, (0, size - len(taper)))
    out = np.empty((len(begins), REGIONS), np.float16)
    for at in range(0, len(begins), _AT_ONCE):
        out[at : at + _AT_ONCE] = power_to_db(
            powers_in(windows_at(mono, begins[at : at + _AT_ONCE], size) * taper, to_bands)
        )
    return out


def joined_envelope(envelopes: list[NDArray[np.float16]], starts_s: list[float]) -> NDArray[np.float16]:
    """Courses of several clips, each at its start, as one; where two overlap, the louder; silence where there
    is none.

    ``envelopes`` are (steps, REGIONS) each, ``starts_s`` where each begins; the answer is (steps, REGIONS).
    """
    places = [max(round(start / STEP_S), 0) for start in starts_s]
    out = np.full(
        (max((at + len(one) for at, one in zip(places, envelopes, strict=True)), default=0), REGIONS),
        FLOOR_DB,
        np.float16,
    )
    for at, one in zip(places, envelopes, strict=True):
        out[at : at + len(one)] = np.maximum(out[at : at + len(one)], one)
    return out


def power_at(
    band_envelope: NDArray[np.float16], time_s: NDArray[np.float64], steps: int = 1
) -> NDArray[np.float64]:
    """Mean square per region at each time (n,), (n, REGIONS): the loudest of ``steps`` frames from the one it
    lies in on.

    ``band_envelope`` is (steps, REGIONS) in dBFS, ``time_s`` (n,).
    """
    first = np.floor(time_s / STEP_S + 1e-6).astype(np.int64)
    at = np.clip(first[:, None] + np.arange(steps), 0, max(len(band_envelope) - 1, 0))
    if not len(band_envelope):
        return np.zeros((len(time_s), REGIONS))
    level = np.where(
        (first >= len(band_envelope))[:, None], FLOOR_DB, band_envelope[at].astype(np.float64).max(axis=1)
    )
    return np.asarray(0.5 * db_to_power(level))


def onset_power_at(
    band_envelope: NDArray[np.float16], time_s: NDArray[np.float64], steps: int
) -> NDArray[np.float64]:
    """What is added per region from each time (n,) on, within ``steps`` frames, over what rang before, (n,
    REGIONS).

    ``band_envelope`` is (steps, REGIONS) in dBFS, ``time_s`` (n,).
    """
    return np.maximum(
        power_at(band_envelope, time_s, steps) - power_at(band_envelope, time_s - _BEFORE_STEPS * STEP_S), 0.0
    )
