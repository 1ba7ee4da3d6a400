"""Iterated weighted least squares over spectra, compiled: per column of the spectrum the weighted normal
equations, solved, and weighted anew by what is left (the method is named in ``cancelling``).
"""

from __future__ import annotations

import numba
import numpy as np
from numpy.typing import NDArray


@numba.njit(cache=True, fastmath={"reassoc", "contract", "arcp"}, nogil=True, error_model="numpy")
def filters_by_least_squares(
    real: NDArray[np.float32],
    imag: NDArray[np.float32],
    row: int,
    others: NDArray[np.int64],
    floor: NDArray[np.float32],
    loudest: NDArray[np.float32],
    turns: int,
    ridge: float,
) -> NDArray[np.complex64]:
    """What turns the spectra of ``others`` (m,) into what they explain of the one in ``row``, (columns, m).

    ``real`` and ``imag`` are (columns, microphones, windows), ``floor`` (columns,) the power in which nothing
    is played, ``loudest`` (columns, microphones) that of the loudest moments, ``ridge`` what is added to the
    others' own power. A window counts by the share that the loudest of the others has in it, squared, each
    against its loudest moments, so that gains do not matter; and each turn weights every window by how little
    the one before left there.
    """
    columns, _, windows = real.shape
    count = len(others)
    out = np.zeros((columns, count), np.complex64)
    weight, share = np.empty(windows, np.float32), np.empty(windows, np.float32)
    for column in range(columns):
        a, b = real[column, row], imag[column, row]
        for n in range(windows):
            share[n] = 0.0
        for i in range(count):
            c, d = real[column, others[i]], imag[column, others[i]]
            scale = np.float32(1.0) / loudest[column, others[i]]
            for n in range(windows):
                share[n] = max(share[n], scale * (c[n] * c[n] + d[n] * d[n]))
        scale = np.float32(1.0) / loudest[column, row]
        for n in range(windows):
            own = scale * (a[n] * a[n] + b[n] * b[n])
            share[n] = (share[n] / max(share[n] + own, np.float32(1e-12))) ** 2
        left_real, left_imag = real[column, row].copy(), imag[column, row].copy()
        for turn in range(turns):
            for n in range(windows):
                weight[n] = share[n] / (left_real[n] ** 2 + left_imag[n] ** 2 + floor[column])
            shared, right = np.zeros((count, count), np.complex128), np.zeros(count, np.complex128)
            trace = 0.0
            for i in range(count):
                a, b = real[column, others[i]], imag[column, others[i]]
                for j in range(i + 1):
                    c, d = real[column, others[j]], imag[column, others[j]]
                    alike, turned = np.float32(0.0), np.float32(0.0)
                    for n in range(windows):
                        alike += weight[n] * (a[n] * c[n] + b[n] * d[n])
                        turned += weight[n] * (b[n] * c[n] - a[n] * d[n])
                    shared[i, j], shared[j, i] = complex(alike, turned), complex(alike, -turned)
                    if i == j:
                        trace += float(alike)
                c, d = real[column, row], imag[column, row]
                alike, turned = np.float32(0.0), np.float32(0.0)
                for n in range(windows):
                    alike += weight[n] * (a[n] * c[n] + b[n] * d[n])
                    turned += weight[n] * (b[n] * c[n] - a[n] * d[n])
                right[i] = complex(alike, turned)
            for i in range(count):
                shared[i, i] += ridge * trace / count + 1e-12
            solved = np.linalg.solve(shared, right)
            left_real[:], left_imag[:] = real[column, row], imag[column, row]
            for i in range(count):
                u, v = np.float32(solved[i].real), np.float32(-solved[i].imag)
                out[column, i] = complex(u, v)
                if turn < turns - 1:
                    a, b = real[column, others[i]], imag[column, others[i]]
                    for n in range(windows):
                        left_real[n] -= u * a[n] - v * b[n]
                        left_imag[n] -= u * b[n] + v * a[n]
    return out
