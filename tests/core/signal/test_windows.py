"""Windows cut from a signal are what slices of a padded copy would be."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from nubrak.core.signal.windows import windows_at


@given(st.integers(0, 50), st.integers(1, 30), st.lists(st.integers(-60, 80), max_size=12))
def test_silence_stands_where_the_signal_is_not(frames: int, size: int, begins: list[int]) -> None:
    mono = np.arange(1, frames + 1, dtype=np.float32)
    padded = np.concatenate([np.zeros(100), mono, np.zeros(200)])
    wanted = np.array([padded[100 + at : 100 + at + size] for at in begins]).reshape(len(begins), size)
    assert np.array_equal(windows_at(mono, np.array(begins, np.int64), size), wanted)
