"""The compressor against its definitions: Giannoulis, Massberg and Reiss, JAES 60, 2012."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.mix.dynamics import LEVEL_STEP, DynamicsStage, compressed, gain_db

RATE_HZ = 48000
HARD = DynamicsStage(threshold_db=-20, ratio=4, knee_db=0, attack_ms=10, release_ms=100)


def test_the_static_curve_is_their_equation_4() -> None:
    """y = x under the knee; x + (1/R - 1)(x - T + W/2)^2 / 2W in it; T + (x - T)/R over it."""
    stage = HARD.model_copy(update={"knee_db": 8.0})
    x = np.arange(-60.0, 1.0, 0.5)
    t, r, w = -20.0, 4.0, 8.0
    y = np.where(
        2 * (x - t) < -w,
        x,
        np.where(2 * np.abs(x - t) <= w, x + (1 / r - 1) * (x - t + w / 2) ** 2 / (2 * w), t + (x - t) / r),
    )
    # What a level that stays is turned down by in the end, a second of each.
    steps = RATE_HZ // LEVEL_STEP
    level = np.repeat(10 ** (x / 20), RATE_HZ)[:, None].repeat(2, axis=1)
    down = gain_db(level, stage, RATE_HZ)[steps - 1 :: steps]
    assert np.allclose(x - down, y, atol=0.01)


@pytest.mark.parametrize(("attack_ms", "release_ms"), [(1.0, 50.0), (10.0, 100.0), (50.0, 400.0)])
def test_attack_and_release_are_the_times_to_63_percent(attack_ms: float, release_ms: float) -> None:
    stage = HARD.model_copy(update={"attack_ms": attack_ms, "release_ms": release_ms})
    level = np.concatenate([np.full(RATE_HZ, 1.0), np.full(2 * RATE_HZ, 1e-3)])[:, None].repeat(2, axis=1)
    down = gain_db(level, stage, RATE_HZ)
    whole = 15.0  # 20 dB over the threshold at 4 : 1
    down = np.repeat(down, LEVEL_STEP)
    assert down[RATE_HZ - 1] == pytest.approx(whole, abs=0.01)
    share = 1 - np.exp(-1)
    assert np.argmax(down >= share * whole) == pytest.approx(attack_ms * RATE_HZ / 1000, abs=LEVEL_STEP)
    falls = down[RATE_HZ:]
    assert np.argmax(falls <= (1 - share) * whole) == pytest.approx(
        release_ms * RATE_HZ / 1000, abs=LEVEL_STEP
    )


def test_what_lies_under_its_filter_does_not_turn_it_down() -> None:
    t = np.arange(RATE_HZ) / RATE_HZ
    low = np.stack([np.sin(2 * np.pi * 40 * t)] * 2, axis=1)
    stage = HARD.model_copy(update={"hears_from_hz": 400.0})
    assert gain_db(low, HARD, RATE_HZ)[-125:].min() > 10 > 3 > gain_db(low, stage, RATE_HZ)[-125:].max()


def test_middle_and_sides_apart_leave_each_other_alone() -> None:
    t = np.arange(RATE_HZ) / RATE_HZ
    middle, side = 0.9 * np.sin(2 * np.pi * 500 * t), 0.01 * np.sin(2 * np.pi * 3000 * t)
    sound = np.stack([middle + side, middle - side], axis=1)
    out = compressed(sound, HARD.model_copy(update={"apart": True}), RATE_HZ)
    assert np.allclose((out[:, 0] - out[:, 1]) / 2, side, atol=1e-9)
    assert np.abs((out[:, 0] + out[:, 1]) / 2)[RATE_HZ // 2 :].max() < 0.5 * 0.9


def test_a_dry_blend_is_the_sum_of_both_to_the_sample() -> None:
    sound = np.random.default_rng(3).standard_normal((5000, 2)) * 0.3
    wet = compressed(sound, HARD, RATE_HZ)
    half = compressed(sound, HARD.model_copy(update={"blend_percent": 40.0}), RATE_HZ)
    assert np.allclose(half, 0.6 * sound + 0.4 * wet, atol=1e-12)
