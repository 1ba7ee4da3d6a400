"""Strokes of a session mended with others, in all microphones, heard and printed."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.problem import Problem
from nubrak.core.session import MarkChange, SetMark
from nubrak.core.session.gather_edits import MoveClip
from nubrak.core.session.mend_edits import Unmend
from nubrak.desk.desk import Desk
from nubrak.desk.found_later import keep_what_was_found
from nubrak.desk.mending import MendWith, donors_of, mend_stroke
from tests.conftest import RATE_HZ, decaying_strokes
from tests.desk.conftest import Drop

SNARES_S = [0.5 + 0.5 * n for n in range(8)]
WEAK = 3


@pytest.fixture
def recorded(desk: Desk, session: str, drop: Drop) -> tuple[str, str]:
    """A snare whose fourth stroke is weak, and a pair above it."""
    gains = [0.8, 0.78, 0.82, 0.25, 0.79, 0.81, 0.8, 0.77]
    snare = decaying_strokes(SNARES_S, gains, 5.0, hz=190, seed=4)
    state = drop(session, "Snare.wav", snare)
    drop(session, "OH.wav", (0.3 * np.roll(snare, round(0.002 * RATE_HZ))).astype(np.float32))
    keep_what_was_found(desk, session)
    part_id = next(key for key, part in state.document.parts.items() if part.piece == "snare")
    return session, part_id


def mend(desk: Desk, session: str, part_id: str, **of: float) -> None:
    about = {"revision": desk.sessions.revision(session), "found_s": SNARES_S[WEAK], **of}
    mend_stroke(desk, session, part_id, MendWith.model_validate(about))


def peaks(desk: Desk, session: str, at_s: float) -> list[float]:
    """How loud each source is at a place."""
    standing, begin = desk.standing(session), round((at_s - 0.01) * RATE_HZ)
    out = []
    for key in standing.document.parts:
        window = desk.window(standing, "recording", [key], begin, round(0.05 * RATE_HZ))
        out.append(float(np.abs(window).max()))
    return out


def test_a_weak_stroke_sounds_as_another_in_all_microphones(desk: Desk, recorded: tuple[str, str]) -> None:
    session, part_id = recorded
    found = donors_of(desk, desk.standing(session), part_id, SNARES_S[WEAK])
    assert found.velocity < 0.7 * found.wanted and found.mend_id is None and len(found.donors) == 5
    usual, weak = peaks(desk, session, SNARES_S[0]), peaks(desk, session, SNARES_S[WEAK])
    assert all(a < 0.5 * b for a, b in zip(weak, usual, strict=True) if b > 0.01)
    mend(desk, session, part_id)
    now = peaks(desk, session, SNARES_S[WEAK])
    assert all(a == pytest.approx(b, rel=0.15) for a, b in zip(now, usual, strict=True))
    # Its note is as hard as what it sounds as.
    notes = desk.standing(session).notes(part_id)
    taken = donors_of(desk, desk.standing(session), part_id, SNARES_S[WEAK])
    assert notes.velocity[WEAK] == taken.donors[0].velocity and taken.donors[0].taken
    # The next best takes its place, and a chosen one.
    mend(desk, session, part_id)
    ranked = donors_of(desk, desk.standing(session), part_id, SNARES_S[WEAK]).donors
    assert [one.taken for one in ranked].index(True) == 1
    mend(desk, session, part_id, from_s=ranked[3].time_s)
    document = desk.sessions.get(session).document
    assert [one.from_s for one in document.mends] == pytest.approx([ranked[3].time_s], abs=1e-5)


def test_taken_back_everything_is_as_it_was(desk: Desk, recorded: tuple[str, str]) -> None:
    session, part_id = recorded
    before = desk.window(desk.standing(session), "recording", [part_id], 0, 5 * RATE_HZ)
    hard = desk.standing(session).notes(part_id).velocity.tolist()
    mend(desk, session, part_id)
    assert not np.array_equal(
        desk.window(desk.standing(session), "recording", [part_id], 0, 5 * RATE_HZ), before
    )
    ids = list(desk.sessions.get(session).document.parts[part_id].mends)
    desk.sessions.edit(session, None, Unmend(kind="unmend", part_id=part_id, mend_ids=ids))
    assert np.array_equal(desk.window(desk.standing(session), "recording", [part_id], 0, 5 * RATE_HZ), before)
    assert desk.standing(session).notes(part_id).velocity.tolist() == hard
    assert desk.sessions.get(session).document.parts[part_id].marks == {}
    with pytest.raises(Problem, match="already"):
        desk.sessions.edit(session, None, Unmend(kind="unmend", part_id=part_id, mend_ids=ids))
    for _ in range(2):
        desk.sessions.undo(session, desk.sessions.revision(session))
    assert desk.sessions.get(session).document.parts[part_id].mends == {}


def test_a_velocity_set_afterwards_stays_when_the_mend_goes(desk: Desk, recorded: tuple[str, str]) -> None:
    session, part_id = recorded
    mend(desk, session, part_id)
    ((key, one),) = desk.sessions.get(session).document.parts[part_id].mends.items()
    marks = {"x": MarkChange(time_s=one.found_s, velocity=33)}
    desk.sessions.edit(session, None, SetMark(kind="mark", part_id=part_id, marks=marks))
    desk.sessions.edit(session, None, Unmend(kind="unmend", part_id=part_id, mend_ids=[key]))
    assert desk.standing(session).notes(part_id).velocity[WEAK] == 33


def test_a_mend_goes_with_its_clip(desk: Desk, recorded: tuple[str, str]) -> None:
    session, part_id = recorded
    mend(desk, session, part_id)
    before = desk.sessions.get(session).document
    one = before.mends[0]
    for source_id in before.sources:
        move = MoveClip(kind="move_clip", source_id=source_id, index=0, start_s=1.0)
        desk.sessions.edit(session, None, move)
    (moved,) = desk.sessions.get(session).document.mends
    assert moved.time_s == pytest.approx(one.time_s + 1.0) and moved.from_s == pytest.approx(one.from_s + 1.0)


def test_what_cannot_be_mended_is_said(desk: Desk, recorded: tuple[str, str]) -> None:
    session, part_id = recorded
    with pytest.raises(Problem, match="No hit"):
        mend(desk, session, part_id, found_s=0.1)
    with pytest.raises(Problem, match="cannot take its place"):
        mend(desk, session, part_id, from_s=4.9)


def test_a_missed_stroke_is_added_by_hand_and_then_mended(desk: Desk, recorded: tuple[str, str]) -> None:
    session, part_id = recorded
    # Nothing at all was struck at 4.75 s: a hand says that something should have been.
    marks = {"x": MarkChange(time_s=4.75, kind="add", velocity=100)}
    desk.sessions.edit(session, None, SetMark(kind="mark", part_id=part_id, marks=marks))
    quiet = peaks(desk, session, 4.75)
    mend(desk, session, part_id, found_s=4.75)
    (one,) = desk.sessions.get(session).document.mends
    now, taken = peaks(desk, session, 4.75), peaks(desk, session, one.from_s)
    assert all(a > 4 * b for a, b in zip(now, quiet, strict=True))
    assert now == pytest.approx(taken, rel=0.01)
