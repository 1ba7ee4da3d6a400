"""How far a layer stands under its recording."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.layer.level_match import level_under
from nubrak.core.layer.lock import Sounding
from tests.core.layer.drum import RATE, drum


@pytest.mark.parametrize("under", [0.0, 6.0, 17.0])
def test_a_layer_is_measured_as_far_under_its_recording_as_it_was_put(under: float) -> None:
    stroke = drum(120, 0.1, 0.2)
    hits = np.arange(1, 9) * RATE // 2 + 1000
    recording = np.zeros(6 * RATE, np.float32)
    for number, hit in enumerate(hits.tolist()):
        recording[hit : hit + len(stroke)] += stroke * (0.3 + 0.1 * number)
    gains = 0.3 + 0.1 * np.arange(8)
    quieter = (stroke * 10 ** (-under / 20)).astype(np.float32)
    assert level_under(recording, hits, [Sounding(quieter, 0, np.arange(8), gains)], RATE) == pytest.approx(
        under, abs=0.05
    )
    assert (
        level_under(np.zeros(6 * RATE, np.float32), hits, [Sounding(quieter, 0, np.arange(8), gains)], RATE)
        is None
    )
