"""Gaps turned down in a session: heard, drawn, printed, and as notes that key a gate."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.mix import GapMark, render_recorded, render_source
from nubrak.core.problem import Problem
from nubrak.core.session import MarkChange, SetMark
from nubrak.core.session.clean_edits import MarkGaps, SetCleaning
from nubrak.desk.cleaning import gaps_of, keying_notes
from nubrak.desk.desk import Desk
from nubrak.desk.printing import StemChoice, stems
from nubrak.desk.standing import Standing
from tests.conftest import RATE_HZ, decaying_strokes
from tests.desk.conftest import Drop

TOMS_S = [1.0, 3.0, 5.0]
SNARES_S = [0.4 + 0.8 * n for n in range(9)]


@pytest.fixture
def session_of_two(desk: Desk, session: str, drop: Drop) -> str:
    """A tom that is struck now and then, and the snare that spills into it all the time."""
    tom = decaying_strokes(TOMS_S, [0.8, 0.7, 0.8], 8.0, hz=90, seed=5)
    snare = decaying_strokes(SNARES_S, [0.7] * len(SNARES_S), 8.0, hz=200, seed=6)
    spilt = 0.05 * np.roll(snare, round(0.003 * RATE_HZ))
    drop(session, "Floor tom.wav", (tom + spilt).astype(np.float32))
    drop(session, "Snare.wav", snare)
    return session


def source_of(standing: Standing, piece: str) -> tuple[str, str]:
    """The part of a piece, and its source."""
    return next(
        (key, part.sources[0]) for key, part in standing.document.parts.items() if part.piece == piece
    )


def edit(desk: Desk, session: str, action: object) -> Standing:
    desk.sessions.edit(session, desk.sessions.revision(session), action)  # type: ignore[arg-type]
    return desk.standing(session)


def on(desk: Desk, session: str, **changes: float) -> tuple[Standing, str, str]:
    """The session with the tom's gaps turned down, its part and its source."""
    part_id, source_id = source_of(desk.standing(session), "floor-tom")
    action = SetCleaning(kind="set_cleaning", source_ids=[source_id], changes={"on": True, **changes})
    return edit(desk, session, action), part_id, source_id


def heard(desk: Desk, standing: Standing, part_id: str) -> np.ndarray:
    return desk.window(standing, "recording", [part_id], 0, 8 * RATE_HZ)


def test_spill_goes_down_by_the_chosen_db_and_the_drum_stays(desk: Desk, session_of_two: str) -> None:
    part_id, _ = source_of(desk.standing(session_of_two), "floor-tom")
    before = heard(desk, desk.standing(session_of_two), part_id)
    standing, part_id, _ = on(desk, session_of_two, down_db=20.0)
    after = heard(desk, standing, part_id)
    for at in TOMS_S:
        stroke = slice(round((at - 0.0005) * RATE_HZ), round((at + 0.15) * RATE_HZ))
        assert np.array_equal(after[stroke], before[stroke])
    gap = slice(round(2.3 * RATE_HZ), round(2.98 * RATE_HZ))
    assert 20 * np.log10(np.sqrt(np.mean(before[gap] ** 2) / np.mean(after[gap] ** 2))) == pytest.approx(
        20.0, abs=0.1
    )
    # The whole in pieces is the whole at once.
    pieces = [desk.window(standing, "recording", [part_id], at, 40_001) for at in range(0, 200_000, 40_001)]
    joined = np.concatenate(pieces)
    assert np.array_equal(joined, after[: len(joined)])
    # The snare is as it was, and so is the tom when it is switched off again.
    snare, _ = source_of(standing, "snare")
    assert standing.openings(standing.document.part(snare).sources[0]) is None
    standing, _, _ = on(desk, session_of_two, on=False)
    assert np.array_equal(heard(desk, standing, part_id), before)


def test_gaps_follow_the_marks_of_find(desk: Desk, session_of_two: str) -> None:
    standing, part_id, source_id = on(desk, session_of_two)
    drawn = gaps_of(standing, source_id, None)
    assert np.allclose(drawn.first_s, TOMS_S, atol=0.003) and 0.5 < drawn.turned_down < 0.95
    drop_it = SetMark(
        kind="mark", part_id=part_id, marks={"m": MarkChange(kind="drop", time_s=drawn.first_found_s[1])}
    )
    standing = edit(desk, session_of_two, drop_it)
    without = gaps_of(standing, source_id, None)
    assert np.allclose(without.first_s, [TOMS_S[0], TOMS_S[2]], atol=0.003)
    stroke = slice(round(3.0 * RATE_HZ), round(3.1 * RATE_HZ))
    assert np.abs(heard(desk, standing, part_id)[stroke]).max() < 0.2


def test_a_gap_set_by_hand_is_heard_and_outlives_other_settings(desk: Desk, session_of_two: str) -> None:
    _, part_id, source_id = on(desk, session_of_two)
    mark = GapMark(time_s=TOMS_S[0], closes_s=0.9, down_db=60)
    edit(desk, session_of_two, MarkGaps(kind="mark_gaps", source_ids=[source_id], marks={"g": mark}))
    standing, _, _ = on(desk, session_of_two, down_db=6.0, rings_db=20.0)
    sound = heard(desk, standing, part_id)
    assert not sound[round(2.0 * RATE_HZ) : round(2.9 * RATE_HZ)].any()
    plain = render_recorded(desk.mix(standing, "recording", []), source_id, 0, 8 * RATE_HZ)
    assert np.array_equal(sound[RATE_HZ : round(1.89 * RATE_HZ)], plain[RATE_HZ : round(1.89 * RATE_HZ)])


def test_cleaned_sources_are_printed_beside_the_originals(desk: Desk, session_of_two: str) -> None:
    choice = StemChoice(cleaned=True, layers=False, sums=False, midi=False)
    with pytest.raises(Problem, match="nothing would be cleaned"):
        stems(desk, desk.standing(session_of_two), choice)
    standing, part_id, source_id = on(desk, session_of_two)
    found = {one.name: one.window for one in stems(desk, standing, choice)}
    assert list(found) == ["Snare - as recorded", "Floor tom - as recorded", "Floor tom - cleaned"]
    plain, clean = (found[f"Floor tom - {how}"](0, 8 * RATE_HZ) for how in ("as recorded", "cleaned"))
    assert np.array_equal(clean, heard(desk, standing, part_id))
    assert np.array_equal(
        clean, render_source(desk.mix(standing, "recording", []), source_id, 0, 8 * RATE_HZ)
    )
    assert np.mean(clean**2) < np.mean(plain**2) and np.array_equal(
        plain[RATE_HZ : RATE_HZ + 5000], clean[RATE_HZ : RATE_HZ + 5000]
    )


def test_notes_that_key_a_gate_last_as_long_as_the_drum_rings(desk: Desk, session_of_two: str) -> None:
    standing, part_id, source_id = on(desk, session_of_two)
    notes = keying_notes(standing, part_id, 0.005)
    assert np.allclose(notes.time_s + 0.005, TOMS_S, atol=0.003) and notes.length_s is not None
    ends = notes.time_s + notes.length_s
    assert np.allclose(ends, gaps_of(standing, source_id, None).closes_s, atol=1e-4)
    # A snare that is struck again while it rings: its notes never lie over each other.
    snare, _ = source_of(standing, "snare")
    keyed = keying_notes(standing, snare, 0.0)
    assert keyed.length_s is not None and np.all(keyed.time_s[:-1] + keyed.length_s[:-1] < keyed.time_s[1:])
