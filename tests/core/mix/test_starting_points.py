"""Starting points: every piece has some, and every one of them does something that can be heard."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.mix.chain import Played, active, through
from nubrak.core.mix.starting_points import starting_points
from nubrak.core.pieces import PIECES
from tests.core.mix.made import stretch_of

RATE_HZ = 44100


@pytest.mark.parametrize("piece_id", sorted(PIECES))
def test_every_starting_point_changes_a_stroke_and_does_not_blow_it_up(piece_id: str) -> None:
    points = starting_points(piece_id)
    assert len({one.name for one in points}) == len(points) >= 2
    t = np.arange(20_000) / RATE_HZ
    stroke = (
        0.5
        * np.exp(-t / 0.08)
        * (np.sin(2 * np.pi * 180 * t) + np.random.default_rng(5).standard_normal(len(t)) / 4)
    )
    sound = np.stack([stroke, 0.7 * stroke[::-1]], axis=1).astype(np.float32)

    plain = stretch_of(sound)

    for one in points:
        assert active(one.chain) == one.chain, one.name
        made = through(one.chain, plain, Played(RATE_HZ, np.array([0])), 0, len(sound))
        change = np.sqrt(np.mean((made - sound) ** 2) / np.mean(sound**2))
        assert change > 0.02 and np.abs(made).max() < 4 * np.abs(sound).max(), one.name
