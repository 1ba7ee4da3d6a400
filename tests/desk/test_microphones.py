"""Two microphones on a kick in a session: measured, offered, heard, printed."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.session.gather_edits import CombineMicrophones
from nubrak.core.session.microphone_edits import HearOn, SetMicrophones
from nubrak.desk.desk import Desk
from nubrak.desk.microphones import microphones_of
from nubrak.desk.printing import StemChoice, stems
from nubrak.desk.standing import Standing
from tests.conftest import RATE_HZ, decaying_strokes
from tests.desk.conftest import Drop

TIMES_S = [0.4 + 0.5 * n for n in range(10)]
INSIDE = decaying_strokes(TIMES_S, [0.6] * len(TIMES_S), 6.0, hz=70)
LATE = 90  # samples: 70 cm further away
OUTSIDE = (-0.5 * np.roll(INSIDE, LATE)).astype(np.float32)
FRAMES = 6 * RATE_HZ


@pytest.fixture
def joined(desk: Desk, session: str, drop: Drop) -> tuple[str, str]:
    """A session with one part of two microphones, the outer one the wrong way round; the part."""
    drop(session, "Kick in.wav", INSIDE)
    drop(session, "Kick out.wav", OUTSIDE)
    parts = [key for key, _ in desk.standing(session).document.ordered_parts()]
    if len(parts) > 1:
        edit(
            desk, session, CombineMicrophones(kind="combine_microphones", part_id=parts[0], other_id=parts[1])
        )
    return session, parts[0]


def edit(desk: Desk, session: str, action: object) -> Standing:
    desk.sessions.edit(session, desk.sessions.revision(session), action)  # type: ignore[arg-type]
    return desk.standing(session)


def heard(desk: Desk, standing: Standing, part_id: str) -> np.ndarray:
    return desk.window(standing, "recording", [part_id], 0, FRAMES)[:, 0]


def test_polarity_and_delay_are_measured_and_offered_with_what_they_gain(
    desk: Desk, joined: tuple[str, str]
) -> None:
    session, part_id = joined
    standing = desk.standing(session)
    found = microphones_of(desk, standing, part_id)
    inside, outside = found.microphones
    assert inside.best is None and found.heard_on is None
    assert outside.best is not None and outside.best.polarity == -1
    assert outside.best.delay_ms == pytest.approx(-1000 * LATE / RATE_HZ, abs=0.03)
    assert outside.gain_db > 3 and "dB more low end together" in outside.said
    before = heard(desk, standing, part_id)
    taken = {"polarity": -1, "delay_ms": outside.best.delay_ms}
    standing = edit(desk, session, SetMicrophones(kind="set_microphones", changes={outside.source_id: taken}))
    after = heard(desk, standing, part_id)
    assert np.allclose(after[:-LATE], 1.5 * INSIDE[: FRAMES - LATE], atol=0.01)
    gained = 10 * np.log10((after**2).sum() / (before**2).sum())
    assert gained == pytest.approx(outside.gain_db, abs=1.5)
    again = microphones_of(desk, standing, part_id).microphones[1]
    assert again.best is None and "as it stands" in again.said


def test_each_has_its_level_and_can_be_silent_and_the_strokes_stay(
    desk: Desk, joined: tuple[str, str]
) -> None:
    session, part_id = joined
    standing = desk.standing(session)
    inside, outside = standing.document.parts[part_id].sources
    struck = standing.decisions(part_id).time_s[standing.decisions(part_id).counts]
    changes = {inside: {"level_db": -6.0206}, outside: {"on": False}}
    standing = edit(desk, session, SetMicrophones(kind="set_microphones", changes=changes))
    assert np.allclose(heard(desk, standing, part_id), 0.5 * INSIDE, atol=1e-3)
    now = standing.decisions(part_id)
    assert np.array_equal(now.time_s[now.counts], struck), "how it is heard moves no stroke"


def test_strokes_are_found_on_the_one_that_is_asked_for(desk: Desk, session: str, drop: Drop) -> None:
    half = decaying_strokes(TIMES_S[::2], [0.6] * 5, 6.0, hz=70)
    drop(session, "Kick in.wav", INSIDE)
    drop(session, "Kick out.wav", half)
    (part_id, *others) = [key for key, _ in desk.standing(session).document.ordered_parts()]
    for other in others:
        edit(desk, session, CombineMicrophones(kind="combine_microphones", part_id=part_id, other_id=other))
    outside = desk.standing(session).document.parts[part_id].sources[1]
    standing = edit(desk, session, HearOn(kind="hear_on", part_id=part_id, source_id=outside))
    decisions = standing.decisions(part_id)
    assert len(decisions.time_s[decisions.counts]) == 5


def test_each_is_printed_by_itself_and_together_they_are_the_recording(
    desk: Desk, joined: tuple[str, str]
) -> None:
    session, part_id = joined
    outside = desk.standing(session).document.parts[part_id].sources[1]
    changes = {outside: {"polarity": -1, "delay_ms": -2.0, "level_db": -3.0}}
    standing = edit(desk, session, SetMicrophones(kind="set_microphones", changes=changes))
    choice = StemChoice(microphones=True, recordings=True, layers=False, sums=False)
    made = {one.name: one.window(0, FRAMES) for one in stems(desk, standing, choice)}
    assert list(made) == ["Kick - recording", "Kick - Kick in", "Kick - Kick out"]
    apart = made["Kick - Kick in"] + made["Kick - Kick out"]
    assert np.allclose(apart, made["Kick - recording"], atol=1e-5)
    silent = edit(desk, session, SetMicrophones(kind="set_microphones", changes={outside: {"on": False}}))
    assert [one.name for one in stems(desk, silent, choice)] == ["Kick - recording", "Kick - Kick in"]
