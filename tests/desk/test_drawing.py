"""Pictures of recordings over the store: the true extremes, at any scale."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.problem import Problem
from nubrak.core.signal.peaks import TILE_BINS
from nubrak.desk.desk import Desk
from nubrak.desk.drawing import peak_tile


@pytest.mark.parametrize("exponent", [0, 4, 9, 14])
def test_a_tile_holds_the_extremes_of_its_bins(desk: Desk, kick: tuple[str, str], exponent: int) -> None:
    document = desk.sessions.get(kick[0]).document
    (source,) = document.sources.values()
    audio = source.clips[0].audio
    pairs = np.frombuffer(peak_tile(desk, audio, exponent, 0), "<i2").reshape(-1, 2)
    size = 1 << exponent
    mono = desk.cache.mono(audio)[: TILE_BINS * size]
    for number in range(0, min(len(pairs), len(mono) // size), 37):
        bin_ = mono[number * size : (number + 1) * size] * 32767
        assert abs(pairs[number, 0] - bin_.min()) <= 1 and abs(pairs[number, 1] - bin_.max()) <= 1


def test_pictures_that_cannot_be_are_not_there(desk: Desk, kick: tuple[str, str]) -> None:
    audio = next(iter(desk.sessions.get(kick[0]).document.sources.values())).clips[0].audio
    for exponent, index in ((25, 0), (-1, 0), (4, -1), (4, 1 << 32)):
        with pytest.raises(Problem):
            peak_tile(desk, audio, exponent, index)
    with pytest.raises(Problem):
        peak_tile(desk, "0" * 64, 4, 0)
