"""Stages of a part: heard in every window, drawn, and printed as they are heard."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.mix.attack_body import AttackBodyStage
from nubrak.core.mix.dynamics import DynamicsStage
from nubrak.core.mix.equaliser import EqBand, EqualiserStage
from nubrak.core.session.clean_edits import SetCleaning
from nubrak.core.session.mix_edits import SetChain, SetMaster
from nubrak.desk.desk import Desk
from nubrak.desk.mixing import AskStages, stages_seen
from nubrak.desk.printing import StemChoice, stems
from tests.conftest import RATE_HZ, decaying_strokes
from tests.desk.conftest import STRUCK_S, Drop

CHAIN = [
    EqualiserStage(bands=[EqBand(at_hz=190, by_db=9)]),
    DynamicsStage(threshold_db=-30, ratio=6, attack_ms=1),
    AttackBodyStage(body_db=-12, body_ms=200),
]


@pytest.fixture
def snare(desk: Desk, session: str, drop: Drop) -> str:
    """The part of a snare."""
    state = drop(session, "Snare.wav", decaying_strokes(STRUCK_S, [0.7] * 4, 2.5, hz=190))
    return next(iter(state.document.parts))


def staged(desk: Desk, session: str, part_id: str) -> None:
    action = SetChain(kind="set_chain", part_id=part_id, chain=list(CHAIN))
    desk.sessions.edit(session, desk.sessions.revision(session), action)


def test_what_is_heard_is_what_is_printed_and_undone_it_is_as_before(
    desk: Desk, session: str, snare: str
) -> None:
    frames = 2 * RATE_HZ
    before = desk.window(desk.standing(session), "both", [snare], 0, frames)
    staged(desk, session, snare)
    standing = desk.standing(session)
    heard = desk.window(standing, "both", [snare], 0, frames)
    assert not np.array_equal(heard, before)
    pieces = [desk.window(standing, "both", [snare], at, 9973) for at in range(0, frames - 9973, 9973)]
    assert np.array_equal(np.concatenate(pieces), heard[: 9973 * len(pieces)])
    choice = StemChoice(layers=False, sums=True, midi=False)
    (everything,) = stems(desk, standing, choice)
    assert np.array_equal(everything.window(0, frames), heard)
    desk.sessions.undo(session, desk.sessions.revision(session))
    assert np.array_equal(desk.window(desk.standing(session), "both", [snare], 0, frames), before)


def test_the_master_turns_down_what_is_printed_and_heard_and_no_recording_as_it_came(
    desk: Desk, session: str, snare: str
) -> None:
    frames = 2 * RATE_HZ
    source = next(iter(desk.sessions.get(session).document.sources))
    gaps = SetCleaning(kind="set_cleaning", source_ids=[source], changes={"on": True})
    desk.sessions.edit(session, None, gaps)
    choice = StemChoice(recordings=True, cleaned=True, blends=True, layers=False, midi=False)
    loud = {one.name: one.window(0, frames) for one in stems(desk, desk.standing(session), choice)}
    desk.sessions.edit(session, None, SetMaster(kind="set_master", master_db=-6.0))
    standing = desk.standing(session)
    soft = {one.name: one.window(0, frames) for one in stems(desk, standing, choice)}
    as_came = {"Snare - as recorded", "Snare - cleaned"}
    assert set(soft) == as_came | {"Snare - recording", "Snare - blend", "Everything"}
    for name, sound in soft.items():
        assert np.allclose(sound, loud[name] * (1.0 if name in as_came else 10 ** (-6 / 20)), atol=1e-6)
    heard = desk.window(standing, "both", [snare], 0, frames, mastered=True)
    assert np.array_equal(heard, soft["Everything"])
    state = desk.sessions.undo(session, desk.sessions.revision(session))
    assert state.document.master_db == 0.0 and state.redo == "Master −6.0 dB"


def test_what_the_stages_do_is_seen(desk: Desk, session: str, snare: str) -> None:
    staged(desk, session, snare)
    seen = stages_seen(desk, desk.standing(session), AskStages(part_id=snare, start_s=0, end_s=2.4, stage=1))
    hz = np.array(seen.at_hz)
    assert hz[int(np.argmax(seen.curve_db))] == pytest.approx(190, rel=0.03)
    assert max(seen.curve_db) == pytest.approx(9, abs=0.05)
    down = np.array(seen.down_db)
    struck = (np.array(STRUCK_S) / 2.4 * len(down)).astype(int)
    assert all(down[at : at + 12].max() > 6 for at in struck)
    assert seen.without_all_db == pytest.approx(seen.after_lkfs - seen.before_lkfs, abs=0.02)
    # Stages that are still being moved are looked at without an edit.
    flat = stages_seen(desk, desk.standing(session), AskStages(part_id=snare, start_s=0, end_s=2.4, chain=[]))
    assert not any(flat.curve_db) and flat.before_db == flat.after_db and flat.without_all_db == 0
    assert flat.starting_points and not flat.down_db


def test_layers_by_themselves_have_their_attack_and_body_too(desk: Desk, session: str, snare: str) -> None:
    staged(desk, session, snare)
    mix = desk.mix(desk.standing(session), "layers", [snare])
    assert np.allclose(mix.hits[snare] / RATE_HZ, STRUCK_S, atol=0.002)


def test_a_stretch_without_anything_is_silent_and_no_error(desk: Desk, session: str, snare: str) -> None:
    staged(desk, session, snare)
    seen = stages_seen(desk, desk.standing(session), AskStages(part_id=snare, start_s=90, end_s=91, stage=1))
    assert max(seen.after_db) <= -120 and seen.without_all_db == 0
