"""Pictures of waveforms: the true extremes of their samples."""

from __future__ import annotations

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from nubrak.core.signal.peaks import BASE_EXPONENT, TILE_BINS, extremes, tile


@settings(max_examples=30, deadline=None)
@given(frames=st.integers(1, 200_000), exponent=st.integers(0, 12), data=st.data())
def test_a_tile_holds_the_true_extremes_of_its_samples(
    frames: int, exponent: int, data: st.DataObject
) -> None:
    mono = np.random.default_rng(frames).uniform(-1, 1, frames).astype(np.float32)
    index = data.draw(st.integers(0, frames // (TILE_BINS << exponent)))
    made = tile(extremes(mono, 1 << BASE_EXPONENT), lambda begin, end: mono[begin:end], exponent, index)
    stretch = mono[index * (TILE_BINS << exponent) : (index + 1) * (TILE_BINS << exponent)]
    assert len(made) == -(-len(stretch) // (1 << exponent))
    for at in range(0, len(made), max(len(made) // 7, 1)):
        part = stretch[at << exponent : (at + 1) << exponent]
        assert (
            np.abs(made[at] - np.array([part.min(), part.max()], np.float64) * 32767).max() <= 0.51
        )  # half a step, and float32
