"""What pieces usually sound like."""

from __future__ import annotations

import numpy as np

from nubrak.core.sort.usual_sound import usual_sounds


def test_it_falls_and_is_low_for_kicks_and_high_for_hats() -> None:
    lag_s, centre_hz = np.array([0.01, 0.3, 2.0]), np.array([60.0, 8000.0])
    kick, hat = (usual_sounds().of(piece, lag_s, centre_hz) for piece in ("kick", "hi-hat"))
    assert kick[0, 0] > 30 * kick[0, 1] and hat[0, 1] > 10 * hat[0, 0]
    assert (kick[0] > kick[1]).all() and (kick[1] > kick[2]).all()


def test_a_piece_that_was_never_measured_sounds_like_anything_else() -> None:
    lag_s, centre_hz = np.array([0.0]), np.array([100.0, 1000.0])
    assert np.array_equal(
        usual_sounds().of("djembe", lag_s, centre_hz), usual_sounds().of("else", lag_s, centre_hz)
    )
