"""A source of a session cut into slices, and all of them as files."""

from __future__ import annotations

import json
import zipfile
from io import BytesIO

import mido
import numpy as np
import pytest
import soundfile

from nubrak.core.problem import Problem
from nubrak.core.samples import CutMark
from nubrak.core.session.cut_edits import MarkCuts, SetCut
from nubrak.core.session.gather_edits import MoveClip, SetTempo
from nubrak.desk.desk import Desk
from nubrak.desk.found_later import keep_what_was_found
from nubrak.desk.jobs import begin_slices, file_of, run_job
from nubrak.desk.slicing import MoveCut, SlicesChoice, move_cut, slice_sound, slices_of
from tests.conftest import RATE_HZ
from tests.core.sort.made import beat, mixture
from tests.desk.conftest import Drop


@pytest.fixture
def loop(desk: Desk, session: str, drop: Drop) -> tuple[str, str]:
    state = drop(session, "moth loop.wav", mixture(beat(), 4.5))
    keep_what_was_found(desk, session)
    return session, next(iter(state.document.sources))


def edit(desk: Desk, session: str, action: object) -> None:
    desk.sessions.edit(session, None, action)  # type: ignore[arg-type]


def test_it_is_cut_at_its_hits_and_a_hand_has_the_last_word(desk: Desk, loop: tuple[str, str]) -> None:
    session, source = loop
    before = slices_of(desk, desk.standing(session), source)
    assert len(before.lines) > 10 and any("kick" in one.struck for one in before.lines)
    assert all(a.end_s == b.start_s for a, b in zip(before.lines, before.lines[1:], strict=False))
    gone = before.lines[3]
    marks = {"x": CutMark(found_s=gone.found_s, kind="drop"), "y": CutMark(found_s=4.2, kind="add")}
    edit(desk, session, MarkCuts(kind="mark_cuts", source_id=source, marks=marks))
    edit(desk, session, SetCut(kind="set_cut", source_id=source, changes={"lead_ms": 2.0}))
    after = slices_of(desk, desk.standing(session), source)
    assert not any(abs(one.found_s - gone.found_s) < 0.004 for one in after.lines)
    assert any(one.by_hand and abs(one.start_s - 4.2) < 0.001 for one in after.lines)
    desk.sessions.undo(session, desk.standing(session).state.revision)
    desk.sessions.undo(session, desk.standing(session).state.revision)
    assert slices_of(desk, desk.standing(session), source) == before


def test_without_a_tempo_there_is_no_grid(desk: Desk, loop: tuple[str, str]) -> None:
    session, source = loop
    edit(desk, session, SetTempo(kind="set_tempo", changes={"known": "none"}))
    edit(desk, session, SetCut(kind="set_cut", source_id=source, changes={"by": "grid"}))
    with pytest.raises(Problem, match="no tempo"):
        slices_of(desk, desk.standing(session), source)
    with pytest.raises(Problem, match="no tempo"):
        begin_slices(desk, session, SlicesChoice(source_id=source))
    edit(desk, session, SetTempo(kind="set_tempo", changes={"bpm": 120.0}))
    lines = slices_of(desk, desk.standing(session), source).lines
    assert abs(lines[5].start_s - lines[4].start_s - 0.125) < 1e-4


def test_printed_they_replay_the_source_where_it_stands(desk: Desk, loop: tuple[str, str]) -> None:
    session, source = loop
    move = MoveClip(kind="move_clip", source_id=source, index=0, start_s=0.7313)
    edit(desk, session, SetTempo(kind="set_tempo", changes={"bpm": 117.3}))
    edit(desk, session, move)
    standing = desk.standing(session)
    job = begin_slices(desk, session, SlicesChoice(source_id=source, to_bpm=90.0))
    run_job(desk, job.id)
    with zipfile.ZipFile(file_of(desk, job.id)) as bundle:
        report = json.loads(bundle.read("slices.json"))["slices"]
        sounds = {
            (one["channel"], one["note"]): soundfile.read(BytesIO(bundle.read(one["file"])))[0]
            for one in report
        }
        midi = mido.MidiFile(file=BytesIO(bundle.read("moth loop.mid")))
        moved = soundfile.read(BytesIO(bundle.read("moth loop at 90 bpm.wav")))[0]
        assert "moth loop.sfz" in bundle.namelist()
    whole = desk.window(standing, "recording", standing.chosen(None), 0, 6 * RATE_HZ)[:, 0]
    out, now = np.zeros(len(whole) + RATE_HZ), 0.0
    for message in midi:
        now += message.time
        if message.type == "note_on" and message.velocity:
            begin, sound = round(now * RATE_HZ), sounds[message.channel + 1, message.note]
            out[begin : begin + len(sound)] += sound
    assert np.abs(out[: len(whole)] - whole).max() < 10 ** (-90 / 20)
    assert abs(len(moved) / (4.5 * RATE_HZ) - 117.3 / 90) < 0.001


def moved(desk: Desk, session: str, source: str, **move: object) -> None:
    about = {"revision": desk.sessions.revision(session), **move}
    move_cut(desk, session, source, MoveCut.model_validate(about))


def test_an_edge_is_put_elsewhere_and_snaps_to_the_attack(desk: Desk, loop: tuple[str, str]) -> None:
    session, source = loop
    before = slices_of(desk, desk.standing(session), source)
    edge = before.lines[4]
    # Nudged it goes exactly as far as it is told, and again from there.
    moved(desk, session, source, found_s=edge.found_s, by_ms=-12.0)
    moved(desk, session, source, found_s=edge.found_s, by_ms=-1.0)
    now = slices_of(desk, desk.standing(session), source).lines[4]
    assert now.start_s == pytest.approx(edge.start_s - 0.013, abs=1 / RATE_HZ) and now.by_hand
    assert slices_of(desk, desk.standing(session), source).lines[3].end_s == now.start_s
    # Let go of near the attack it goes where it was cut before; exactly there where that is asked for.
    moved(desk, session, source, found_s=edge.found_s, to_s=edge.start_s + 0.005)
    assert slices_of(desk, desk.standing(session), source).lines[4].start_s == pytest.approx(edge.start_s)
    moved(desk, session, source, found_s=edge.found_s, to_s=edge.start_s + 0.005, snap=False)
    there = slices_of(desk, desk.standing(session), source).lines[4].start_s
    assert there == pytest.approx(edge.start_s + 0.005, abs=1 / RATE_HZ)
    for _ in range(4):
        desk.sessions.undo(session, desk.sessions.revision(session))
    assert slices_of(desk, desk.standing(session), source) == before


def test_a_new_cut_is_made_and_the_first_stays_and_none_is_too_near(
    desk: Desk, loop: tuple[str, str]
) -> None:
    session, source = loop
    before = slices_of(desk, desk.standing(session), source)
    middle = (before.lines[2].start_s + before.lines[2].end_s) / 2
    moved(desk, session, source, to_s=middle, snap=False)
    after = slices_of(desk, desk.standing(session), source)
    assert len(after.lines) == len(before.lines) + 1 and after.lines[3].by_hand
    for wrong, said in (
        ({"found_s": before.lines[0].found_s, "by_ms": 3}, "first slice"),
        ({"found_s": 77.7, "by_ms": 3}, "not there any more"),
        ({}, "No place"),
        ({"to_s": after.lines[5].start_s + 0.001, "snap": False}, "nearer than 5 ms"),
    ):
        with pytest.raises(Problem, match=said):
            moved(desk, session, source, **wrong)
    assert slices_of(desk, desk.standing(session), source) == after


def test_a_slice_is_heard_by_itself(desk: Desk, loop: tuple[str, str]) -> None:
    session, source = loop
    lines = slices_of(desk, desk.standing(session), source).lines
    sound = slice_sound(desk, desk.standing(session), source, 1)
    assert len(sound) / RATE_HZ == pytest.approx(lines[1].end_s - lines[1].start_s, abs=0.01)
    assert np.abs(sound).max() > 0.05
    with pytest.raises(Problem, match="not there"):
        slice_sound(desk, desk.standing(session), source, len(lines))
