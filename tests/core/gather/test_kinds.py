"""Kinds of recordings: each with a piece, and how sure they are together."""

from __future__ import annotations

import numpy as np

from nubrak.core.gather.character import CHARACTER
from nubrak.core.gather.kinds import KINDS, kinds_of, probabilities
from nubrak.core.pieces import PIECES


def test_every_kind_is_taken_as_a_piece_and_has_its_words() -> None:
    assert {one.piece for one in KINDS} <= set(PIECES)
    assert len({one.id for one in KINDS}) == len({one.named for one in KINDS}) == len(KINDS)


def test_more_heat_is_less_sure_and_all_kinds_together_are_certain() -> None:
    scores = np.array([[4.0, 1.0, *[-3.0] * (len(KINDS) - 2)]])
    cold, hot = probabilities(scores, 0.5), probabilities(scores, 3.0)
    assert np.allclose([cold.sum(), hot.sum()], 1.0)
    assert cold[0, 0] > hot[0, 0] > hot[0, 1] > cold[0, 1]


def test_what_was_taught_answers_for_every_recording() -> None:
    rng = np.random.default_rng(3)
    likely = kinds_of(rng.normal(0, 20, (5, len(CHARACTER))).astype(np.float32))
    assert likely.shape == (5, len(KINDS)) and np.allclose(likely.sum(axis=1), 1.0) and np.all(likely >= 0)


def test_what_lies_low_is_no_click_and_what_is_deep_no_snare() -> None:
    rng = np.random.default_rng(5)
    shown = rng.normal(0, 5, (40, len(CHARACTER))).astype(np.float32)
    bands = [CHARACTER.index(f"all_{k}_db") for k in range(10)]
    shown[:, bands] = -20.0
    shown[:20, bands[1]], shown[20:, bands[0]] = 0.0, 0.0
    likely = kinds_of(shown)
    ids = [one.id for one in KINDS]
    assert np.all(likely[:, ids.index("click")] == 0.0)
    assert np.all(likely[:20, ids.index("snare")] > 0.0) and np.all(likely[20:, ids.index("snare")] == 0.0)
    assert np.all(likely[20:, ids.index("kick")] > 0.0) and np.allclose(likely.sum(axis=1), 1.0)
