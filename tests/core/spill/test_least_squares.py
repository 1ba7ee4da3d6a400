"""Weighted least squares over spectra, beside numpy's."""

from __future__ import annotations

import numpy as np

from nubrak.core.spill.least_squares import filters_by_least_squares


def test_one_weighted_turn_is_numpys_least_squares() -> None:
    rng = np.random.default_rng(9)
    spectra = rng.standard_normal((3, 4, 60)) + 1j * rng.standard_normal((3, 4, 60))
    real, imag = (part.astype(np.float32) for part in (spectra.real, spectra.imag))
    floor, loudest = np.full(3, 0.5, np.float32), rng.uniform(1, 4, (3, 4)).astype(np.float32)
    ours = filters_by_least_squares(real, imag, 0, np.array([1, 2, 3]), floor, loudest, 1, 0.0)
    power = np.abs(spectra) ** 2 / loudest[:, :, None]
    theirs_here = power[:, 1:].max(axis=1)
    share = (theirs_here / (theirs_here + power[:, 0])) ** 2
    for column in range(3):
        weight = np.sqrt(share[column] / (np.abs(spectra[column, 0]) ** 2 + 0.5))
        theirs, *_ = np.linalg.lstsq(
            (spectra[column, 1:] * weight).T, spectra[column, 0] * weight, rcond=None
        )
        assert np.allclose(ours[column], theirs, atol=2e-3)


def test_turns_leave_out_windows_that_the_others_do_not_explain() -> None:
    rng = np.random.default_rng(12)
    spectra = rng.standard_normal((1, 2, 200)) + 1j * rng.standard_normal((1, 2, 200))
    spectra[0, 0] = (0.3 - 0.2j) * spectra[0, 1]
    # In a fifth of the windows something else is struck, much louder.
    spectra[0, 0, ::5] += 20 * (rng.standard_normal(40) + 1j * rng.standard_normal(40))
    real, imag = (part.astype(np.float32) for part in (spectra.real, spectra.imag))
    floor, loudest = np.full(1, 1e-4, np.float32), np.full((1, 2), 1e3, np.float32)
    loudest[0, 1] = 1e-3  # whatever is struck, the other counts as loud
    found = filters_by_least_squares(real, imag, 0, np.array([1]), floor, loudest, 4, 0.0)
    assert abs(found[0, 0] - (0.3 - 0.2j)) < 0.01
