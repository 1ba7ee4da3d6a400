"""The master level."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.mix.master import at_master


@pytest.mark.parametrize(("master_db", "gain"), [(-6.0206, 0.5), (6.0206, 2.0), (-60.0, 0.001)])
def test_sound_is_as_loud_as_the_master_says(master_db: float, gain: float) -> None:
    sound = np.random.default_rng(1).uniform(-1, 1, (100, 2)).astype(np.float32)
    out = at_master(sound, master_db)
    assert out.dtype == np.float32 and np.allclose(out, gain * sound, rtol=1e-4)


def test_at_zero_it_is_the_very_same_sound() -> None:
    sound = np.random.default_rng(1).uniform(-1, 1, (100, 2)).astype(np.float32)
    assert at_master(sound, 0.0) is sound
