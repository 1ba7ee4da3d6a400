"""A snare as it was found, and its notes."""

from __future__ import annotations

from nubrak.core.decide.settings import FindSettings, Mark
from nubrak.core.decide.states import Decisions
from nubrak.core.find.search import find_candidates
from nubrak.core.flow import PartInput, decide_alone
from nubrak.core.pieces.catalogue import PIECES
from nubrak.core.shape.notes import Notes, PatternNote, ShapeSettings, shape
from nubrak.core.tempo.tempo_map import Tempo
from tests.conftest import RATE_HZ, decaying_strokes

TIMES = [0.5, 1.02, 1.49, 2.03, 2.5, 2.98]


FOUND = find_candidates(decaying_strokes(TIMES, [0.5, 0.25, 0.02, 0.3, 0.5, 0.28], length_s=4.0), RATE_HZ)


FIND = FindSettings(threshold_db=-24.0)


TEMPO = Tempo(bpm=120)


def decided(marks: list[Mark]) -> Decisions:
    return decide_alone(PartInput("Snare", "snare", FOUND, FIND, marks))


def notes_of(marks: list[Mark], pattern: dict[str, PatternNote]) -> Notes:
    return shape(decided(marks), ShapeSettings(), marks, PIECES["snare"], TEMPO, list(pattern.values()))
