"""Strokes written at the steps of a bar."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.problem import Problem
from nubrak.core.session import SetTempo
from nubrak.core.tempo import Grid
from nubrak.desk.desk import Desk
from nubrak.desk.writing import WriteAt, WrittenNote, Wrote, write_at, written_bar

Kick = tuple[str, str]


def in_tempo(desk: Desk, session: str) -> None:
    """The four strokes of the recording stand on the beats of bar 1."""
    desk.sessions.edit(session, None, SetTempo(kind="set_tempo", changes={"bpm": 120.0, "bar_one_s": 0.25}))


def write(desk: Desk, session: str, **at: object) -> Wrote:
    return write_at(
        desk, session, WriteAt.model_validate({"revision": desk.sessions.revision(session), **at})
    )


def bar_of_kick(desk: Desk, session: str, bar: int, grid: Grid | None = None) -> list[WrittenNote]:
    return written_bar(desk.standing(session), bar, grid or Grid()).lines[0].notes


def test_a_recorded_bar_is_read_and_an_empty_one_stands_behind_it(desk: Desk, kick: Kick) -> None:
    session, part_id = kick
    with pytest.raises(Problem, match="tempo"):
        written_bar(desk.standing(session), 1, Grid())
    in_tempo(desk, session)
    bar = written_bar(desk.standing(session), 1, Grid())
    assert [one.step for one in bar.lines[0].notes] == [0, 4, 8, 12]
    # The third is 12 dB under the others: softer, and no ghost yet.
    assert {one.kind for one in bar.lines[0].notes} == {"plain"}
    assert all(one.recorded for one in bar.lines[0].notes) and bar.lines[0].part_id == part_id
    assert [(one.first, one.last, one.kind) for one in bar.bars] == [(1, 1, "recorded"), (2, 2, "empty")]
    assert bar.labels[:5] == ["1", "e", "+", "a", "2"] and bar.steps_s[4] == pytest.approx(0.75)


def test_a_stroke_is_written_changed_and_taken_away(desk: Desk, kick: Kick) -> None:
    session, part_id = kick
    in_tempo(desk, session)
    wrote = write(desk, session, bar=2, step=6, part_id=part_id)
    (one,) = bar_of_kick(desk, session, 2)
    assert (one.step, one.kind, one.recorded) == (6, "plain", False) and wrote.velocity == one.velocity
    assert one.time_s == pytest.approx(0.25 + 2.0 + 6 / 8)
    write(desk, session, bar=2, step=6, part_id=part_id, do="accent")
    assert bar_of_kick(desk, session, 2)[0].kind == "accent"
    write(desk, session, bar=2, step=6, part_id=part_id, do="ghost")
    assert bar_of_kick(desk, session, 2)[0].kind == "ghost"
    write(desk, session, bar=2, step=6, part_id=part_id, do="set", velocity=77)
    assert bar_of_kick(desk, session, 2)[0].velocity == 77
    for do, count in (("flam", 1), ("drag", 2), ("drag", 0)):
        write(desk, session, bar=2, step=6, part_id=part_id, do=do)
        assert [one.graces for one in bar_of_kick(desk, session, 2)] == [count]
    write(desk, session, bar=2, step=6, part_id=part_id, do="flam")
    assert write(desk, session, bar=2, step=6, part_id=part_id).velocity is None
    assert not bar_of_kick(desk, session, 2)
    assert not desk.sessions.get(session).document.parts[part_id].pattern


def test_a_recorded_stroke_is_marked_and_undone(desk: Desk, kick: Kick) -> None:
    session, part_id = kick
    in_tempo(desk, session)
    before = bar_of_kick(desk, session, 1)
    write(desk, session, bar=1, step=4, part_id=part_id, do="set", velocity=31)
    assert bar_of_kick(desk, session, 1)[1].velocity == 31
    write(desk, session, bar=1, step=8, part_id=part_id)
    assert [one.step for one in bar_of_kick(desk, session, 1)] == [0, 4, 12]
    for _ in range(2):
        desk.sessions.undo(session, desk.sessions.revision(session))
    assert bar_of_kick(desk, session, 1) == before


@pytest.mark.usefixtures("put_starter")
def test_a_piece_nobody_plays_gets_a_part_and_hats_open(desk: Desk, kick: Kick) -> None:
    session, _ = kick
    in_tempo(desk, session)
    wrote = write(desk, session, bar=1, step=2, piece="hi-hat")
    assert wrote.state.document.parts[wrote.part_id].piece == "hi-hat" and wrote.note == 42
    assert write(desk, session, bar=1, step=2, piece="hi-hat", do="way").note == 46
    line = written_bar(desk.standing(session), 1, Grid()).lines[1]
    assert [one.way for one in line.notes] == ["open"]
    assert not line.sounds
    with pytest.raises(Problem, match="one way"):
        write(desk, session, bar=1, step=0, piece="kick", do="way")
    with pytest.raises(Problem, match="No piece"):
        write(desk, session, bar=1, step=0, piece="heard")


def test_a_step_off_the_time_line_is_refused(desk: Desk, kick: Kick) -> None:
    session, part_id = kick
    in_tempo(desk, session)
    for bar, step in ((0, 0), (1, 16), (1_000_000, 0)):
        with pytest.raises(Problem, match="time line"):
            write(desk, session, bar=bar, step=step, part_id=part_id)


def test_a_walk_of_writing_undoes(desk: Desk, kick: Kick) -> None:
    session, part_id = kick
    in_tempo(desk, session)
    chance, stands = np.random.default_rng(5), [desk.sessions.get(session).document]
    for _ in range(25):
        do = str(chance.choice(["stroke", "ghost", "accent", "flam", "drag"]))
        at = {"bar": int(chance.integers(1, 3)), "step": int(chance.integers(0, 16)), "do": do}
        piece = str(chance.choice(["kick", "snare"]))
        stands.append(write(desk, session, **at, piece=piece).state.document)
    for document in reversed(stands[:-1]):
        assert desk.sessions.undo(session, desk.sessions.revision(session)).document == document
    for document in stands[1:]:
        assert desk.sessions.redo(session, desk.sessions.revision(session)).document == document
    assert part_id in stands[-1].parts
