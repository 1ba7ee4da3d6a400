"""The network that tells sounds: the arithmetic against a reference, and what must not change its answer."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.signal import correlate

from nubrak.core.sort import network
from nubrak.core.sort.moment_spectra import MomentSpectra
from nubrak.core.sort.network import more_of, stretches, taught, tell
from nubrak.core.sort.sounds import SOUNDS


def made_up(count: int, seed: int = 1) -> MomentSpectra:
    rng = np.random.default_rng(seed)
    shapes = ((11, 56), (12, 28), (3, 34))
    return MomentSpectra(*(rng.uniform(-70, 5, (count, *shape)).astype(np.float32) for shape in shapes))


def test_a_convolution_is_what_scipy_correlates() -> None:
    rng = np.random.default_rng(3)
    kernel, x = rng.normal(size=(4, 3, 5)).astype(np.float32), rng.normal(size=(1, 3, 12)).astype(np.float32)
    weights = {"c.weight": kernel, "c.bias": np.array([0.1, -0.2, 0.3, 0.0], np.float32)}
    mine = network._convolved(x, weights, "c")
    for out in range(4):
        padded = np.pad(x[0], ((0, 0), (2, 2)))
        theirs = correlate(padded, kernel[out], mode="valid")[0][::2] + weights["c.bias"][out]
        assert np.allclose(mine[0, out], np.maximum(theirs, 0), atol=1e-5)


def test_the_order_in_which_moments_are_given_is_their_time_alone() -> None:
    """Attention without places: two moments that swap their sounds swap their answers."""
    spectra, time_s, rise = made_up(12), np.arange(12) * 0.25, np.full(12, 20.0)
    swapped = np.arange(12)
    swapped[[4, 7]] = 7, 4
    other = MomentSpectra(spectra.long[swapped], spectra.short[swapped], spectra.low[swapped])
    here, there = (tell(one, time_s, rise, taught()) for one in (spectra, other))
    assert np.allclose(here, there[swapped], atol=2e-3)


@pytest.mark.parametrize("count", [1, 159, 200, 201, 350, 1000])
def test_stretches_answer_for_every_moment_once_and_see_some_around_it(count: int) -> None:
    answered = np.concatenate(
        [np.arange(begin, end)[first:last] for begin, end, first, last in stretches(count)]
    )
    assert np.array_equal(answered, np.arange(count))
    for begin, end, first, last in stretches(count):
        assert begin == 0 or first >= 30
        assert end == count or end - begin - last >= 30


def test_nothing_is_told_of_nothing() -> None:
    assert tell(made_up(0), np.zeros(0), np.zeros(0), taught()).shape == (0, len(SOUNDS))


def test_neighbours_are_told_by_how_near_they_are() -> None:
    near = more_of(np.array([0.0, 0.01, 1.0]), np.array([20.0, 10.0, 0.0]))
    assert near.shape == (3, 3) and near[0, 2] < near[1, 2] and near[2, 2] == 1.0 and near[0, 0] == 1.0


def test_a_network_for_other_sounds_is_refused(tmp_path: object, monkeypatch: pytest.MonkeyPatch) -> None:
    from pathlib import Path

    other = Path(str(tmp_path)) / "network.npz"
    np.savez(other, sounds=np.array(["gong"]))
    monkeypatch.setattr(network, "TAUGHT", other)
    taught.cache_clear()
    with pytest.raises(RuntimeError, match="teach it again"):
        taught()
    taught.cache_clear()
