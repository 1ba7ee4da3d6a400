"""Reading hits as bars: what lies on cells, what is struck where, and what ships agrees with the families."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.stats import betabinom

from nubrak.core.tempo.meter import (
    ACCENTS,
    CHANNELS,
    FAMILIES,
    Taught,
    as_bars,
    channels_of,
    occupied,
    on_cells,
    taught,
)


def test_what_ships_has_a_row_for_every_groove_of_every_family() -> None:
    by = taught()
    for number, family in enumerate(FAMILIES):
        assert set(by.rates[number]) == set(CHANNELS)
        for rates in by.rates[number].values():
            assert rates.shape == (len(by.tempo[number]) + 1, family.bar)
            assert rates.min() > 0 and rates.max() < 1
        assert (by.tempo[number][:, 0] < by.tempo[number][:, 1]).all()


def test_how_usual_the_families_are_adds_up() -> None:
    assert sum(family.usual for family in FAMILIES) == pytest.approx(1.0)


def test_a_cell_counts_once_a_bar() -> None:
    """Worked by hand: two strokes in one cell, one before the first bar, one behind the last."""
    place = np.array([-1.0, 0.0, 0.1, 4.0, 16.2, 33.0])
    assert occupied(place, 16, 2).tolist() == [2, 0, 0, 0, 1, *[0] * 11]


def test_strokes_on_cells_fit_better_than_between_them() -> None:
    on, between = np.arange(20.0), np.arange(20.0) + 0.5
    assert on_cells(on, 0.125) > 0 > on_cells(between, 0.125)


def test_loud_and_soft_strokes_of_a_snare_say_different_things() -> None:
    time_s, weight = np.arange(8.0), np.array([1.0, 0.2] * 4)
    read = channels_of({"snare": (time_s, weight), "hi-hat": (time_s, np.full(8, 0.5))})
    assert read["snare"].tolist() == [0, 2, 4, 6] and read["ghost"].tolist() == [1, 3, 5, 7]
    assert "hat accent" not in read, "where all are alike none is an accent"


def _one_groove(rates: np.ndarray) -> Taught:
    """A teaching of one groove for the first family that only knows kicks; nothing else is told of."""
    flat = {name: np.full((2, FAMILIES[0].bar), 0.5) for name in CHANNELS}
    flat["kick"] = np.stack([rates, rates])
    return Taught([flat], 6.0, [np.log(np.array([[60.0, 190.0]]))])


def test_a_bar_is_read_as_the_beta_binomial_of_scipy_reads_it() -> None:
    """Differences between where bars begin are those of scipy's beta-binomial, but for how many ways there
    are to choose the bars, which no beginning changes.
    """
    rng = np.random.default_rng(3)
    rates = rng.uniform(0.05, 0.9, 16)
    count, bars = rng.integers(0, 13, 16), 12
    read = as_bars({"kick": count}, bars, 0, 120.0, _one_groove(rates))
    wanted = [
        betabinom.logpmf(np.roll(count, -begin), bars, 6.0 * rates, 6.0 * (1 - rates)).sum()
        for begin in range(16)
    ]
    assert np.diff(read) == pytest.approx(np.diff(wanted))


def test_bars_begin_where_the_groove_says() -> None:
    rates = np.full(16, 0.02)
    rates[[0, 10]] = 0.95
    count = np.zeros(16, np.int64)
    count[[3, 13]] = 8
    assert int(np.argmax(as_bars({"kick": count}, 8, 0, 110.0, _one_groove(rates)))) == 3


def test_an_accent_belongs_to_what_is_struck() -> None:
    assert set(ACCENTS) <= set(CHANNELS) and set(ACCENTS.values()) <= set(CHANNELS)
