"""A piece's own share of the sound where others are struck with it: mixtures of known shares."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray
from scipy.stats import spearmanr

from nubrak.core.sort import SOUNDS, Sorted, own_share_db
from nubrak.core.sort.listening import Sounding

KICK, HAT = SOUNDS.index("kick"), SOUNDS.index("hi-hat/closed")
HATS, KICKS = ("hi-hat/closed",), ("kick",)
BANDS = np.arange(56)
# A kick with a click that reaches into the hat's band, and a hat.
SPECTRUM = {KICK: np.exp(-BANDS / 5) + 2e-5, HAT: np.exp(-((BANDS - 46) ** 2) / 60)}
RANG_DB = -70.0


def told(*struck: dict[int, float]) -> tuple[Sorted, NDArray[np.float64]]:
    """Moments in which sounds are struck at levels in dB, and the level of the whole of each."""
    probability = np.zeros((len(struck), len(SOUNDS)))
    power = np.zeros((len(struck), 3, 56)) + 10 ** (RANG_DB / 10)
    for row, sounds in enumerate(struck):
        probability[row, list(sounds)] = 0.99
        for sound, level_db in sounds.items():
            spectrum = SPECTRUM[sound] / SPECTRUM[sound].sum()
            power[row, 1:] += 10 ** (level_db / 10) * spectrum * np.array([[1.0], [0.5]])
    nothing = np.zeros(len(struck))
    none = np.zeros((len(struck), 0))
    whole_db = 10 * np.log10(power[:, 1:].sum(axis=(1, 2)) / 1.5)
    return Sorted(probability, Sounding(none, nothing, nothing, none, 10 * np.log10(power))), whole_db


def hats_band_db(sort: Sorted) -> NDArray[np.float64]:
    return np.asarray(10 * np.log10((10 ** (sort.sounding.around_db[:, 1, 36:] / 10)).sum(axis=1)))


def test_a_soft_hat_over_a_kick_is_as_loud_as_it_is_alone() -> None:
    sort, whole_db = told(
        {HAT: -30}, {HAT: -36}, {HAT: -42}, {KICK: 0}, {HAT: -36, KICK: 0}, {HAT: -30, KICK: -6}
    )
    share_db = own_share_db(sort, HATS, whole_db, whole_db)
    assert np.allclose(share_db[:3], whole_db[:3])
    assert share_db[4] == pytest.approx(-36, abs=2.5)
    assert share_db[5] == pytest.approx(-30, abs=1.5)


@pytest.mark.parametrize("alone", [True, False], ids=["alone elsewhere", "never alone"])
def test_shares_come_in_the_order_of_what_was_struck(alone: bool) -> None:
    levels = np.linspace(-24, -6, 9)
    mixed = [{HAT: float(hat), KICK: float(-3 * (k % 3))} for k, hat in enumerate(levels)]
    sort, whole_db = told(*mixed, {KICK: 0}, {KICK: -5}, *([{HAT: -9}, {HAT: -14}] if alone else []))
    share_db = own_share_db(sort, HATS, whole_db, hats_band_db(sort))
    assert spearmanr(share_db[:9], levels).statistic > 0.95


def test_gain_changes_every_share_by_as_much() -> None:
    moments = [{HAT: -12, KICK: 0}, {HAT: -18, KICK: -3}, {KICK: -1}, {HAT: -10}, {HAT: -15}]
    sort, whole_db = told(*moments)
    before = own_share_db(sort, KICKS, whole_db, whole_db)
    assert np.allclose(own_share_db(sort, KICKS, whole_db + 7, whole_db + 7), before + 7)


def test_a_share_is_never_louder_than_the_whole() -> None:
    sort, whole_db = told({HAT: -10}, {HAT: -10}, {HAT: -12, KICK: -14})
    assert np.all(own_share_db(sort, HATS, whole_db, whole_db) <= whole_db + 1e-9)


def test_what_a_hand_adds_has_a_share_too() -> None:
    sort, whole_db = told({HAT: -20}, {HAT: -26}, {KICK: 0}, {HAT: -23, KICK: 0})
    unsaid = Sorted(sort.probability.copy(), sort.sounding)
    unsaid.probability[3, HAT] = 0.05
    assert own_share_db(unsaid, HATS, whole_db, whole_db)[3] == pytest.approx(-23, abs=3)


def test_where_nothing_was_told_its_band_speaks() -> None:
    sort, whole_db = told({KICK: -6}, {KICK: -9})
    band_db = np.array([-31.0, -35.0])
    assert np.allclose(own_share_db(sort, HATS, whole_db, band_db), band_db)
