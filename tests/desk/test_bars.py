"""Bars copied, varied, felt, emptied and played in."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.problem import Problem
from nubrak.core.shape import Vary
from nubrak.core.tempo import Grid
from nubrak.desk.bars import (
    CopyBars,
    EmptyBars,
    FeelBars,
    PlayedIn,
    PlayedPass,
    copy_bars,
    empty_bars,
    lay_feel,
    play_in,
)
from nubrak.desk.desk import Desk
from nubrak.desk.shaping import AskShape, shape_columns
from nubrak.desk.writing import written_bar
from tests.desk.test_writing import Kick, bar_of_kick, in_tempo, write


def copied(desk: Desk, session: str, **body: object) -> None:
    copy_bars(desk, session, CopyBars.model_validate({"revision": desk.sessions.revision(session), **body}))


def test_a_bar_is_copied_as_it_is_and_what_is_written_there_gives_way(desk: Desk, kick: Kick) -> None:
    session, part_id = kick
    in_tempo(desk, session)
    write(desk, session, bar=3, step=1, part_id=part_id)
    copied(desk, session, bar=1, to_bar=2, times=3)
    for bar in (2, 3, 4):
        notes = bar_of_kick(desk, session, bar)
        assert [one.step for one in notes] == [0, 4, 8, 12]
        assert [one.velocity for one in notes] == [one.velocity for one in bar_of_kick(desk, session, 1)]
    runs = written_bar(desk.standing(session), 1, Grid()).bars
    assert [(one.first, one.last, one.kind) for one in runs] == [
        (1, 1, "recorded"),
        (2, 4, "written"),
        (5, 5, "empty"),
    ]
    copied(desk, session, bar=1, times=2)
    assert [len(bar_of_kick(desk, session, bar)) for bar in (4, 5, 6, 7)] == [4, 4, 4, 0], (
        "behind all there is"
    )
    with pytest.raises(Problem, match="onto itself"):
        copied(desk, session, bar=1, to_bar=1)
    with pytest.raises(Problem, match="empty"):
        copied(desk, session, bar=9, to_bar=12)


def test_a_varied_bar_is_the_same_for_one_seed(desk: Desk, kick: Kick) -> None:
    session, _ = kick
    in_tempo(desk, session)
    bars = []
    for seed in (1, 1, 2):
        copied(desk, session, bar=1, to_bar=2, vary=Vary(), seed=seed)
        bars.append(bar_of_kick(desk, session, 2))
    assert bars[0] == bars[1] != bars[2]
    assert all({0, 4, 12} <= {one.step for one in bar} for bar in bars)


def test_written_bars_are_emptied_and_recorded_ones_only_when_asked(desk: Desk, kick: Kick) -> None:
    session, _ = kick
    in_tempo(desk, session)
    copied(desk, session, bar=1, to_bar=2)

    def empty(bar: int, recorded: bool = False) -> None:
        revision = desk.sessions.revision(session)
        empty_bars(desk, session, EmptyBars(revision=revision, bar=bar, to_bar=bar, recorded=recorded))

    empty(2)
    assert not bar_of_kick(desk, session, 2) and len(bar_of_kick(desk, session, 1)) == 4
    with pytest.raises(Problem, match="Nothing is written"):
        empty(1)
    empty(1, recorded=True)
    assert not bar_of_kick(desk, session, 1)


def test_a_feel_is_laid_over_what_is_written_alone(desk: Desk, kick: Kick) -> None:
    session, part_id = kick
    in_tempo(desk, session)
    for step in (0, 4, 8, 12):
        write(desk, session, bar=2, step=step, part_id=part_id)
    before = bar_of_kick(desk, session, 1)
    body = FeelBars(
        revision=desk.sessions.revision(session), bar=2, to_bar=2, of_part=part_id, strength_percent=100
    )
    lay_feel(desk, session, body)
    after = bar_of_kick(desk, session, 2)
    assert bar_of_kick(desk, session, 1) == before
    # The third stroke of the recorded bar is a soft one, and so is what was written there.
    assert after[2].velocity < 0.6 * after[0].velocity
    assert [one.late_ms for one in after] == pytest.approx([one.late_ms for one in before], abs=0.1)
    with pytest.raises(Problem, match="Nothing is written"):
        lay_feel(desk, session, body.model_copy(update={"bar": 7, "to_bar": 7}))


def test_what_is_played_in_is_kept_as_it_was_played_or_drawn_to_steps(desk: Desk, kick: Kick) -> None:
    session, part_id = kick
    in_tempo(desk, session)
    strokes = [
        PlayedIn(part_id=part_id, time_s=2.262, velocity=90),
        PlayedIn(piece="snare", time_s=2.741, velocity=60),
    ]
    for drawn, wanted in ((0.0, (2.262, 2.741)), (100.0, (2.25, 2.75))):
        state = play_in(
            desk,
            session,
            PlayedPass(revision=desk.sessions.revision(session), strokes=strokes, drawn_percent=drawn),
        )
        standing = desk.standing(session)
        snare = next(key for key, part in state.document.parts.items() if part.piece == "snare")
        last = [shape_columns(standing, key, AskShape()).time_s for key in (part_id, snare)]
        assert all(np.abs(np.array(times) - at).min() < 1e-6 for times, at in zip(last, wanted, strict=True))
    # A pad says how a hat was struck as General MIDI has it; any other note of a drum is that drum.
    pads = [PlayedIn(piece="hi-hat", time_s=5.0, note=46), PlayedIn(piece="snare", time_s=5.0, note=40)]
    revision = desk.sessions.revision(session)
    state = play_in(desk, session, PlayedPass(revision=revision, strokes=pads))
    kept = {
        part.piece: note.note
        for part in state.document.parts.values()
        for note in part.pattern.values()
        if note.time_s == 5.0
    }
    assert kept == {"hi-hat": 46, "snare": None}
    bar = written_bar(desk.standing(session), 1, Grid())
    assert [bar.pads[number] for number in (35, 36, 40, 42, 46, 51)] == [
        "kick",
        "kick",
        "snare",
        "hi-hat",
        "hi-hat",
        "ride",
    ]
    with pytest.raises(Problem, match="No piece"):
        nobody = PlayedPass(revision=desk.sessions.revision(session), strokes=[PlayedIn(time_s=1.0)])
        play_in(desk, session, nobody)
