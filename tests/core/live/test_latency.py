"""The way from stroke to note is the sum of its parts."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.live import latency_of


def test_parts_add_up_stroke_by_stroke() -> None:
    found = latency_of({"look-ahead": np.array([5.0, 5.0, 5.0]), "network": np.array([1.0, 3.0, 2.0])})
    assert found is not None
    assert found.median_ms == pytest.approx(7.0)
    assert found.most_ms == pytest.approx(np.percentile([6.0, 8.0, 7.0], 95))
    assert [(one.name, one.median_ms) for one in found.parts] == [("look-ahead", 5.0), ("network", 2.0)]


def test_without_strokes_nothing_is_said() -> None:
    assert latency_of({}) is None
    assert latency_of({"network": np.zeros(0)}) is None
