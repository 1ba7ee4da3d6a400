"""A hand that has struck needs time to strike as hard again."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nubrak.core.shape.recovery import recovered


def test_a_hand_comes_back_with_time() -> None:
    # By hand: after a stroke of full strength 35 % are gone, of which exp(-0.1 / 0.18) are still gone 0.1 s
    # later.
    made = recovered(np.array([0.0, 0.1, 5.0]), 0.35, 0.18)
    assert made.tolist() == pytest.approx([1.0, 1 - 0.35 * np.exp(-0.1 / 0.18), 1.0], abs=1e-6)
    roll = recovered(np.arange(40) * 0.06, 0.35, 0.18)
    assert np.all(np.diff(roll) <= 1e-12) and roll[-1] == pytest.approx(roll[-2], abs=1e-3)
    kept = np.exp(-0.06 / 0.18)
    assert roll[-1] == pytest.approx((1 - kept) / (1 - 0.65 * kept), abs=1e-3)  # where loss and recovery meet
    assert np.all(recovered(np.arange(5) * 0.1, 0.0, 0.18) == 1)
    wider = recovered(np.arange(10) * 0.2, 0.35, 0.18)
    assert np.all(wider[1:] > roll[1:10])


@given(st.lists(st.floats(0.005, 2.0), max_size=90), st.floats(0.01, 1.0), st.floats(0.02, 1.0))
def test_recovery_is_what_stroke_after_stroke_gives(
    gaps: list[float], depth: float, recovery_s: float
) -> None:
    time_s = np.concatenate([[0.0], np.cumsum(gaps)])
    strength, by_turns = 1.0, [1.0]
    for gap in gaps:
        strength = 1.0 - (1.0 - strength * (1.0 - depth)) * np.exp(-gap / recovery_s)
        by_turns.append(strength)
    assert np.allclose(recovered(time_s, depth, recovery_s), by_turns, atol=1e-9)
