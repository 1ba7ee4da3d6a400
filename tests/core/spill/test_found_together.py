"""Microphones looked through together: what lies under another's spill is found."""

from __future__ import annotations

import numpy as np

from nubrak.core.find.search import find_candidates
from nubrak.core.spill.found_together import find_together
from tests.conftest import RATE_HZ, decaying_strokes
from tests.core.spill.test_cancelling import LENGTH_S, from_afar


def test_a_soft_stroke_under_anothers_spill_is_found_beside_it() -> None:
    """A stroke 14 dB under what spills into its microphone 8 ms before it."""
    rng = np.random.default_rng(10)
    times = np.arange(0.5, LENGTH_S - 0.5, 0.25)
    kick = decaying_strokes(times.tolist(), [0.8] * len(times), LENGTH_S, hz=60.0, seed=1)
    soft_s = times[1::4] + 0.008
    snare = decaying_strokes(
        [*times[::4] + 0.12, *soft_s], [0.6] * len(times[::4]) + [0.02] * len(soft_s), LENGTH_S, seed=2
    )
    noise = rng.standard_normal((2, len(kick))).astype(np.float32) * 1e-4
    signals = {"snare": snare + from_afar(kick, 0.0, -18) + noise[0], "kick": kick + noise[1]}
    beside, alone = find_together(signals, RATE_HZ)["snare"], find_candidates(signals["snare"], RATE_HZ)
    found, without = (
        np.abs(one.time_s[:, None] - soft_s[None]).min(axis=0) < 0.003 for one in (beside, alone)
    )
    assert found.all() and not without.any()
    # What was taken off is known of every candidate.
    assert beside.whole_power.shape == beside.attack_power.shape
    assert not len(find_together({"snare": signals["snare"]}, RATE_HZ)["snare"].whole_power)
