"""A tempo tapped by hand."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.tempo.taps import tapped


def test_taps_give_their_tempo_and_one_late_tap_spoils_nothing() -> None:
    taps = np.arange(8) * 0.5
    assert tapped(taps.tolist()) == pytest.approx(120)
    late = taps.copy()
    late[5] += 0.12
    assert tapped(late.tolist()) == pytest.approx(120, abs=2)
    assert tapped(np.delete(taps, 3).tolist()) == pytest.approx(120)  # one left out
    assert tapped([0.0, 0.5]) is None and tapped([0.0, 0.5, 0.4]) is None
