"""Strokes of a piece by themselves: loud, and first."""

from __future__ import annotations

import numpy as np

from nubrak.core.find.candidates import Candidates
from nubrak.core.spill.onsets import loud_first, part_onsets
from tests.core.spill.heard import EVERYTHING, kick_and_snare


def test_what_is_loud_and_first_is_a_piece_of_its_own_whatever_the_gains() -> None:
    session = kick_and_snare()
    own = loud_first(session)
    quiet = {
        "kick": session["kick"],
        "snare": part_onsets(
            _quieter(session["snare"].candidates, 26), EVERYTHING, frozenset(["snare"]), "drum"
        ),
    }
    assert own["kick"].sum() == 60 and own["snare"].sum() == 30
    again = loud_first(quiet)
    assert np.array_equal(again["kick"], own["kick"]) and np.array_equal(again["snare"], own["snare"])


def _quieter(found: Candidates, by_db: float) -> Candidates:
    values = {name: getattr(found, name) for name in Candidates.__dataclass_fields__}
    gain = np.float32(10 ** (-by_db / 10))
    return Candidates(
        **values
        | {
            "attack_power": found.attack_power * gain,
            "before_power": found.before_power * gain,
            "peak_db": found.peak_db - by_db,
        }
    )
