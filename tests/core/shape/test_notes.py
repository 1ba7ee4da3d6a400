"""Notes of a part: as played, by hand, beside the recorded ones, and how long they last."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.decide.settings import FindSettings, Mark
from nubrak.core.find.search import find_candidates
from nubrak.core.flow import PartInput, decide_alone
from nubrak.core.pieces.catalogue import PIECES
from nubrak.core.shape.notes import PatternNote, ShapeSettings, shape
from nubrak.core.shape.steps import SetTo
from nubrak.core.shape.timing import Quantise, Timing
from nubrak.core.spill.ringing import rings_s
from nubrak.core.tempo.grid import Grid
from nubrak.core.tempo.tempo_map import Tempo
from tests.conftest import RATE_HZ, decaying_strokes

TIMES = [0.5, 1.02, 1.49, 2.03, 2.5, 2.98]


AUDIO = decaying_strokes(TIMES, [0.5, 0.25, 0.5, 0.3, 0.5, 0.28], length_s=4.0)


FOUND = find_candidates(AUDIO, RATE_HZ)


TEMPO = Tempo(bpm=120)


def shaped(settings_: ShapeSettings, marks: list[Mark] | None = None, **more: object) -> object:
    part = PartInput("Snare", "snare", FOUND, FindSettings(), marks or [])
    return shape(decide_alone(part), settings_, part.marks, PIECES["snare"], TEMPO, **more)  # type: ignore[arg-type]


def test_by_hand_wins_over_curve_steps_and_timing() -> None:
    strict = ShapeSettings(
        steps=[SetTo(kind="set", velocity=80)], timing=Timing(quantise=Quantise(grid=Grid(step=8)))
    )
    mark = Mark(kind="keep", time_s=1.02, velocity=33, note=40, note_s=1.1)
    made = shaped(strict, [mark])
    assert made.velocity.tolist() == [80, 33, 80, 80, 80, 80]
    assert made.time_s.tolist() == pytest.approx([0.5, 1.1, 1.5, 2.0, 2.5, 3.0], abs=1e-4)
    assert made.numbers.tolist() == [38, 40, 38, 38, 38, 38]


def test_as_played_the_notes_stand_on_the_strokes() -> None:
    made = shaped(ShapeSettings())
    assert made.time_s.tolist() == pytest.approx(TIMES, abs=0.0003)
    loudest = PIECES["snare"].usual_velocity
    assert made.velocity[0] == pytest.approx(loudest, abs=2)
    assert made.velocity[1] == pytest.approx(loudest / 2**0.5, abs=3)  # 6 dB softer


def test_pattern_notes_stand_among_the_recorded_ones() -> None:
    made = shaped(
        ShapeSettings(),
        pattern=[PatternNote(time_s=1.25, velocity=50), PatternNote(time_s=3.5, velocity=60, note=37)],
        mapped=41,
    )
    assert len(made.time_s) == 8 and np.all(np.diff(made.time_s) > 0)
    assert (
        sorted(made.row.tolist())[:2] == [-2, -1]
        and made.number == 41
        and made.numbers.tolist() == [41] * 7 + [37]
    )


def test_lengths_follow_the_next_note_or_the_ring() -> None:
    following = shaped(ShapeSettings(length="next", length_beats=1))
    assert following.length_s[:-1].tolist() == pytest.approx(
        np.diff(following.time_s).tolist()
    ) and following.length_s[-1] == pytest.approx(0.5)
    t = np.arange(2 * RATE_HZ) / RATE_HZ
    ringing = np.where(t >= 0.2, np.exp(-(t - 0.2) / 0.1) * np.sin(2 * np.pi * 300 * t), 0).astype(np.float32)
    found = find_candidates(ringing, RATE_HZ)
    # 30 dB down is ln(10^1.5) time constants later: 0.345 s.
    assert rings_s(found.band_envelope, np.array([0.2]), PIECES["snare"])[0] == pytest.approx(0.345, abs=0.03)
