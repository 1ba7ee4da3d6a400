"""One drum of a loop: heard, turned down and printed by itself, while the rest stays as it was recorded."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray

from nubrak.core.problem import Problem
from nubrak.core.session.layer_edits import SetBlend
from nubrak.core.session.mix_edits import SetLess
from nubrak.desk import shares
from nubrak.desk.desk import Desk
from nubrak.desk.found_later import keep_what_was_found
from nubrak.desk.printing import StemChoice, stems
from nubrak.desk.standing import Standing
from tests.conftest import RATE_HZ
from tests.core.sort.made import beat, mixture
from tests.desk.conftest import Drop

FRAMES = round(4.5 * RATE_HZ)


@pytest.fixture
def loop(desk: Desk, session: str, drop: Drop) -> str:
    drop(session, "moth loop.wav", mixture(beat(), 4.5))
    keep_what_was_found(desk, session)
    return session


def heard(desk: Desk, standing: Standing, part_ids: list[str], solo: bool = False) -> NDArray[np.float32]:
    return desk.window(standing, "recording", part_ids, 0, FRAMES, solo=solo)


def parts_of(standing: Standing) -> tuple[str, dict[str, str]]:
    """The part of the moments, and the parts told from it by piece."""
    document = standing.document
    head = next(key for key, part in document.parts.items() if part.sorted_from is None)
    return head, {document.parts[key].piece: key for key in document.family(head)}


def test_pieces_by_themselves_add_up_to_the_loop(desk: Desk, loop: str) -> None:
    standing = desk.standing(loop)
    head, told = parts_of(standing)
    assert len(told) >= 3
    whole = heard(desk, standing, [head])
    each = {piece: heard(desk, standing, [key]) for piece, key in told.items()}
    assert np.abs(np.sum(list(each.values()), axis=0) - whole).max() < 10 ** (-90 / 20)
    spectra = {piece: np.abs(np.fft.rfft(one[:, 0])) ** 2 for piece, one in each.items()}
    low = round(120 * FRAMES / RATE_HZ)
    assert spectra["kick"][:low].sum() > 0.9 * sum(one[:low].sum() for one in spectra.values())


def test_turned_down_it_goes_down_and_nothing_else_does(desk: Desk, loop: str) -> None:
    before = desk.standing(loop)
    head, told = parts_of(before)
    kick = heard(desk, before, [told["kick"]])
    changes = {"recording_db": -12.0}
    desk.sessions.edit(loop, None, SetBlend(kind="set_blend", part_id=told["kick"], changes=changes))
    after = desk.standing(loop)
    expected = heard(desk, before, [head]) - (1 - 10 ** (-12 / 20)) * kick
    for part_ids in ([head], after.chosen(None)):
        assert np.abs(heard(desk, after, part_ids) - expected).max() < 1e-5
    halves = [desk.window(after, "recording", [head], at, FRAMES // 2) for at in (0, FRAMES // 2)]
    assert np.array_equal(np.concatenate(halves), heard(desk, after, [head])[: FRAMES // 2 * 2])


def test_replaced_or_solo_it_is_by_itself(desk: Desk, loop: str) -> None:
    before = desk.standing(loop)
    _, told = parts_of(before)
    whole, snare = heard(desk, before, before.chosen(None)), heard(desk, before, [told["snare"]])
    off = SetBlend(kind="set_blend", part_id=told["snare"], changes={"recording_on": False})
    desk.sessions.edit(loop, None, off)
    without = desk.standing(loop)
    assert np.abs(heard(desk, without, without.chosen(None)) - (whole - snare)).max() < 1e-5
    desk.sessions.undo(loop, without.state.revision)
    solo = SetBlend(kind="set_blend", part_id=told["snare"], changes={"recording_solo": True})
    desk.sessions.edit(loop, None, solo)
    alone = desk.standing(loop)
    assert np.array_equal(heard(desk, alone, alone.chosen(None), solo=True), snare)
    assert np.array_equal(heard(desk, alone, alone.chosen(None)), whole), "prints have everything"


def test_each_piece_is_printed_and_the_prints_add_up(desk: Desk, loop: str) -> None:
    standing = desk.standing(loop)
    head, told = parts_of(standing)
    found = [one for one in stems(desk, standing, StemChoice(recordings=True)) if "recording" in one.name]
    assert len(found) == len(told)
    together = np.sum([one.window(0, FRAMES) for one in found], axis=0)
    assert np.abs(together - heard(desk, standing, [head])).max() < 10 ** (-90 / 20)


def test_what_is_too_long_to_be_told_apart_says_so(
    desk: Desk, loop: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(shares, "_LONGEST_S", 1.0)
    standing = desk.standing(loop)
    head, told = parts_of(standing)
    with pytest.raises(Problem, match="longer than"):
        heard(desk, standing, [told["kick"]])
    assert heard(desk, standing, [head]).any()


def test_a_room_microphone_has_less_of_one_piece_and_as_much_of_the_rest(
    desk: Desk, session: str, drop: Drop
) -> None:
    kick = mixture([(0.4 + 0.8 * k, "kick", 0.9) for k in range(5)], 4.5)
    snare = mixture([(0.8 + 0.8 * k, "snare", 0.9) for k in range(4)], 4.5)
    drop(session, "Kick.wav", kick)
    drop(session, "Snare.wav", snare)
    state = drop(session, "Room.wav", 0.3 * (kick + snare))
    parts = {part.piece: key for key, part in state.document.parts.items()}
    assert set(parts) == {"kick", "snare", "room"}
    before = heard(desk, desk.standing(session), [parts["room"]])[:, 0]
    action = SetLess(kind="set_less", part_id=parts["room"], of_part_id=parts["snare"], less_db=-12)
    assert desk.sessions.edit(session, None, action).undo == "Room: Snare −12 dB"
    standing = desk.standing(session)
    after = heard(desk, standing, [parts["room"]])[:, 0]

    def level_db(sound: NDArray[np.float32], at_s: float) -> float:
        part = sound[round(at_s * RATE_HZ) : round((at_s + 0.2) * RATE_HZ)]
        return float(10 * np.log10(np.mean(part**2)))

    for k in range(4):
        at = 0.8 + 0.8 * k
        assert level_db(after, at) - level_db(before, at) == pytest.approx(-12, abs=3)
        assert level_db(after, at + 0.4) - level_db(before, at + 0.4) == pytest.approx(0, abs=1)
    joined = [desk.window(standing, "recording", [parts["room"]], a, 9973) for a in range(0, 9973 * 9, 9973)]
    assert np.array_equal(np.concatenate(joined)[:, 0], after[: 9973 * 9])
    whole = SetLess(kind="set_less", part_id=parts["room"], of_part_id=parts["snare"], less_db=0)
    desk.sessions.edit(session, None, whole)
    assert np.array_equal(heard(desk, desk.standing(session), [parts["room"]])[:, 0], before)
