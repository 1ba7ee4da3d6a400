"""Cross-correlation, against the library that sums it directly."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.signal import correlate

from nubrak.core.signal import cross_correlation


@pytest.mark.parametrize(("size", "lags"), [(1, 1), (5, 9), (64, 33), (257, 100)])
def test_every_row_is_laid_over_the_model_at_every_place(size: int, lags: int) -> None:
    random = np.random.default_rng(size)
    rows = random.standard_normal((3, size + lags - 1))
    model = random.standard_normal(size)
    # scipy.signal.correlate with mode “valid” and method “direct” is the definition itself
    wanted = np.stack([correlate(row, model, mode="valid", method="direct") for row in rows])
    assert cross_correlation(rows, model, lags) == pytest.approx(wanted, abs=1e-9)


def test_a_model_of_its_own_for_each_row() -> None:
    random = np.random.default_rng(1)
    rows, models = random.standard_normal((4, 40)), random.standard_normal((4, 16))
    wanted = [
        correlate(row, model, mode="valid", method="direct") for row, model in zip(rows, models, strict=True)
    ]
    assert cross_correlation(rows, models, 25) == pytest.approx(np.stack(wanted), abs=1e-9)
