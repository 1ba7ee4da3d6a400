"""Bands: third octaves, and what each attack brings and found in them, measured through windows that fit
them.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from nubrak.core.find.band_envelope import attack_taper, into_bands, low_bands, low_powers_in, powers_in
from nubrak.core.signal import windows_at

_AT_ONCE = 128  # attacks at a time: what fits the cache
_LOW_HZ = 250.0  # up to here a window of 23 ms holds hardly six cycles
_WINDOW_S = 0.0232  # the attack window of the spectra: 1024 samples at 44.1 kHz
BAND_EDGES_HZ = np.concatenate(
    [[0.0], 31.25 * 2.0 ** (np.arange(0, 29) / 3.0), [1e6]]
)  # third octaves up to 20 kHz


def attack_spectra(
    mono: NDArray[np.float32], attacks: NDArray[np.int64], rate_hz: int
) -> tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.float64]]:
    """Power per band after and before each attack, (n, bands) each, and the largest sample after it, (n,).

    Low bands are measured over a window twice as long: a window of hardly one cycle would read its phase, not
    its level.
    """
    lead, short = round(0.001 * rate_hz), round(_WINDOW_S * rate_hz)
    taper, low_taper = attack_taper(short, lead), attack_taper(2 * short, lead)
    low_edges_hz = BAND_EDGES_HZ[BAND_EDGES_HZ <= _LOW_HZ]
    to_bands, low = into_bands(taper, rate_hz, BAND_EDGES_HZ), len(low_edges_hz) - 1
    after_low, before_low = (low_bands(one, rate_hz, low_edges_hz) for one in (low_taper, low_taper[::-1]))
    out = [np.empty((len(attacks), len(BAND_EDGES_HZ) - 1), np.float32) for _ in range(2)]
    peak = np.empty(len(attacks))
    for at in range(0, len(attacks), _AT_ONCE):
        part = slice(at, at + _AT_ONCE)
        around = windows_at(mono, attacks[part] - lead - 2 * short, 4 * short)
        after, before = around[:, 2 * short :], around[:, : 2 * short]
        peak[part] = np.abs(after[:, :short]).max(axis=1)
        out[0][part], out[1][part] = (
            powers_in(after[:, :short] * taper, to_bands),
            powers_in(before[:, short:] * taper[::-1], to_bands),
        )
        out[0][part, :low], out[1][part, :low] = (
            low_powers_in(after, after_low),
            low_powers_in(before, before_low),
        )
    return out[0], out[1], peak


def within(low_hz: float, high_hz: float) -> NDArray[np.bool_]:
    """Which third octaves, (bands,), lie between two frequencies."""
    centres = np.sqrt(np.maximum(BAND_EDGES_HZ[:-1], 15.6) * np.minimum(BAND_EDGES_HZ[1:], 25000.0))
    inside = np.asarray((centres >= low_hz) & (centres <= high_hz))
    # A band narrower than a third octave still hears the one it lies in.
    inside[
        int(np.argmin(np.abs(np.log(centres / np.sqrt(max(low_hz, 1.0) * max(high_hz, 1.0))))))
    ] |= not inside.any()
    return inside
