"""From strength to velocity: the law, the starting curves, curves drawn by hand."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.pieces import PIECES
from nubrak.core.shape.velocity import LOUDEST_USUAL, StrengthPoint, by_law, starting_curve, velocity_of


def test_the_law_halves_velocity_every_twelve_decibels_and_the_loudest_usual_stand_near_115() -> None:
    # DLS Level 1 / General MIDI 2: 40 log10(127 / v) (from memory): 12.04 dB are a factor of two.
    strengths = np.array([-10.0] * 20 + [-22.04] * 20)
    made = velocity_of(strengths, [])
    assert made[0] == pytest.approx(LOUDEST_USUAL) and made[-1] == pytest.approx(LOUDEST_USUAL / 2, rel=1e-3)
    assert by_law(np.array([-10.0]), -10.0)[0] == LOUDEST_USUAL
    clipped = np.append(strengths, [0.0, 0.0])
    assert velocity_of(clipped, [])[0] == pytest.approx(LOUDEST_USUAL)


def test_a_piece_that_is_led_with_small_strokes_is_not_stretched_to_a_backbeat() -> None:
    strengths = np.array([-10.0] * 20 + [-22.04] * 20)
    made = velocity_of(strengths, [], loudest=94)
    assert made[0] == pytest.approx(94) and made[-1] == pytest.approx(47, rel=1e-3)
    curve = starting_curve("played", strengths, loudest=94)
    assert velocity_of(strengths, curve) == pytest.approx(made, abs=0.2)
    assert curve[-1].velocity == 127 and curve[-1].strength_db > -10
    assert PIECES["hi-hat"].usual_velocity < PIECES["snare"].usual_velocity <= LOUDEST_USUAL


@pytest.mark.parametrize("shape", ["played", "closer", "wider", "straight", "even"])
def test_starting_shapes_rise_over_the_parts_own_strengths(shape: str) -> None:
    strengths = np.random.default_rng(1).uniform(-45, -9, 300)
    curve = starting_curve(shape, strengths)  # type: ignore[arg-type]
    made = velocity_of(strengths, curve)
    assert np.all(np.diff(made[np.argsort(strengths)]) >= -1e-9) and made.min() >= 1 and made.max() <= 127
    spread = np.ptp(made)
    played = np.ptp(velocity_of(strengths, starting_curve("played", strengths)))
    assert {
        "played": spread == played,
        "closer": spread < 0.8 * played,
        "wider": spread > played,
        "straight": spread > 90,
        "even": spread == 0,
    }[shape]


def test_the_played_curve_is_the_law() -> None:
    strengths = np.linspace(-40, -10, 100)
    curve = starting_curve("played", strengths)
    # Between its points a straight line stands in for the law.
    assert np.abs(velocity_of(strengths, curve) - np.minimum(velocity_of(strengths, []), 127)).max() < 4


def test_a_drawn_curve_is_followed_between_its_points_and_level_beyond() -> None:
    curve = [StrengthPoint(strength_db=-40, velocity=20), StrengthPoint(strength_db=-10, velocity=110)]
    assert velocity_of(np.array([-60.0, -40, -25, -10, 0]), curve).tolist() == pytest.approx(
        [20, 20, 65, 110, 110]
    )
