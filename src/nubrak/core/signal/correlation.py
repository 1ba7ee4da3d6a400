"""Cross-correlation by the fast Fourier transform: how well something fits in at every place."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.fft import irfft, next_fast_len, rfft


def cross_correlation(rows: NDArray[Any], model: NDArray[Any], lags: int) -> NDArray[Any]:
    """The product of ``model`` (size,) or (n, size) with every row (n, columns) at the first ``lags``
    places, (n, lags): ``out[i, k] = sum(rows[i, k : k + size] * model)``. Rows have at least
    ``size + lags - 1`` columns, so that nothing wraps round.
    """
    size = next_fast_len(rows.shape[-1], real=True)
    return correlation_of_spectra(rfft(rows, size), np.conj(rfft(model, size)), size, lags)


def correlation_of_spectra(
    spectra: NDArray[Any], model: NDArray[Any], size: int, lags: int, out: NDArray[Any] | None = None
) -> NDArray[Any]:
    """The same from half spectra over ``size`` columns, where one is used again and again: ``spectra`` of the
    rows (n, size // 2 + 1), ``model`` the conjugate one. ``out`` takes the product, if it may be overwritten.
    """
    product = spectra * model if out is None else np.multiply(spectra, model, out=out)
    return np.asarray(irfft(product, size)[:, :lags])
