"""Bars repeated and copied as notes beside the recorded ones."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.problem import Problem
from nubrak.core.shape.notes import Notes
from nubrak.core.shape.pattern import copied, repeated
from nubrak.core.tempo.tempo_map import Tempo
from tests.core.midi.snare import TEMPO, notes_of


def test_a_bar_repeated_stands_bar_by_bar_behind_itself() -> None:
    notes = notes_of([], {})
    made = repeated(notes, TEMPO, 0.0, 2.0, 3)
    assert np.allclose([note.time_s for note in made], [2.5, 3.02, 4.5, 5.02, 6.5, 7.02], atol=0.0003)
    assert [note.velocity for note in made[:2]] == notes.velocity[:2].tolist() and made[0].note is None


def test_a_copy_follows_the_tempo_where_it_lands() -> None:
    tempo = Tempo.model_validate({"bpm": 120, "changes": [{"time_s": 4.0, "bpm": 60}]})
    notes = Notes(np.array([0.0, 0.5, 1.0]), np.array([100, 90, 80]), 38, 10, 0.5)
    assert np.allclose(
        [note.time_s for note in copied(notes, tempo, 0.0, 2.0, [4.0])], [4.0, 5.0, 6.0]
    )  # a beat is a second there


def test_repeating_without_end_is_refused() -> None:
    notes = Notes(np.linspace(0, 1.9, 400), np.full(400, 100), 38, 10, 0.5)
    with pytest.raises(Problem, match="notes at once"):
        repeated(notes, TEMPO, 0.0, 2.0, 1000)
