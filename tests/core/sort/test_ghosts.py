"""Ghost strokes and full ones."""

from __future__ import annotations

import numpy as np

from nubrak.core.sort.ghosts import ghosts


def test_ghosts_are_told_from_full_strokes_only_where_there_are_two_groups() -> None:
    rng = np.random.default_rng(4)
    level = np.concatenate([rng.normal(-10, 1.5, 90), rng.normal(-27, 2, 70)])
    assert np.array_equal(ghosts(level), np.arange(160) >= 90)
    assert not ghosts(rng.normal(-10, 3, 100)).any()
