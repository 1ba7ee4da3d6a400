"""The colour of a part's own strokes, and what is unlike it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from nubrak.core.decide.colour import template, unlike_own_and_spill
from nubrak.core.spill.onsets import PartOnsets
from tests.core.spill.heard import BANDS, heard

OWN, SPILL = 12, 20  # third octaves round which a stroke of the part's own lies, and another's spill


def around(band: int) -> np.ndarray:
    """The power of a sound over the bands, one in all: most of it near one, a little everywhere."""
    shape = np.exp(-0.5 * ((np.arange(BANDS) - band) / 2.0) ** 2) + 1e-3
    return shape / shape.sum()


def mixed(own_share: list[float], level_db: float = -12.0) -> PartOnsets:
    """Candidates of which so much power is the part's own, and the rest spill."""
    share = np.array(own_share)[:, None]
    here = heard(np.arange(len(share)) * 0.5, np.full(len(share), level_db), "snare", OWN)
    power = 0.5 * 10 ** (level_db / 10) * (share * around(OWN) + (1 - share) * around(SPILL))
    return replace(here, onset_power=power.astype(np.float32).reshape(len(share), BANDS))


def spill_of(own_share: list[float], level_db: float = -12.0) -> np.ndarray:
    share = np.array(own_share)[:, None]
    return (0.5 * 10 ** (level_db / 10) * (1 - share) * around(SPILL) + 1e-12).astype(np.float32)


def test_the_colour_is_that_of_the_surest_strokes_whatever_their_level() -> None:
    here = mixed([1, 1, 1, 0, 0])
    colour = template(here, np.array([1.0, 1, 1, 0, 0]), -12.0)
    assert colour.sum() == pytest.approx(1) and int(colour.argmax()) == OWN
    assert colour == pytest.approx(around(OWN), abs=1e-3)
    louder = mixed([1, 1, 1, 0, 0], level_db=-2.0)
    assert np.allclose(template(louder, np.array([1.0, 1, 1, 0, 0]), -2.0), colour, atol=1e-4)


def test_where_none_is_sure_the_loudest_speak_and_where_none_is_all_bands_are_alike() -> None:
    here = replace(mixed([1, 1, 0]), level_db=np.array([-6.0, -7.0, -40.0]))
    assert int(template(here, np.zeros(3), -6.0).argmax()) == OWN
    nothing = mixed([])
    assert np.allclose(template(nothing, np.zeros(0), -6.0), 1 / BANDS)


def test_own_strokes_are_like_their_colour_spill_is_like_what_is_due_and_a_mixture_is_parted() -> None:
    shares = [1.0, 1.0, 0.0, 0.25]
    here = mixed(shares)
    colour = template(here, np.array([1.0, 1, 0, 0]), -12.0)
    due = np.array([False, False, True, True])
    own, spill, share = unlike_own_and_spill(here, colour, spill_of(shares), due)
    assert own[0] < 1 and own[2] > 10 and spill[2] < 1
    assert spill[0] == 30  # none is due
    assert share[0] == pytest.approx(0, abs=1.6) and share[2] <= -24
    assert share[3] == pytest.approx(-6, abs=3.1)  # a quarter, read in steps of 3 dB
