"""The slices of a source as a kit of the library, and the best strokes of a loop as one."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.problem import Problem
from nubrak.core.samples import CutMark
from nubrak.core.session import MarkCuts
from nubrak.desk import sliced_kit
from nubrak.desk.clear_strokes import clearest_of
from nubrak.desk.desk import Desk
from nubrak.desk.found_later import keep_what_was_found
from nubrak.desk.recorded_kit import KitChoice, make_kit
from nubrak.desk.slicing import slices_of
from tests.conftest import RATE_HZ
from tests.core.sort.made import beat, mixture
from tests.desk.conftest import Drop
from tests.desk.test_recorded_kit import done


@pytest.fixture
def loop(desk: Desk, session: str, drop: Drop) -> tuple[str, str]:
    state = drop(session, "moth loop.wav", mixture(beat(), 4.5))
    keep_what_was_found(desk, session)
    return session, next(iter(state.document.sources))


def test_slices_become_sounds_on_rising_notes(desk: Desk, loop: tuple[str, str]) -> None:
    session, source = loop
    lines = slices_of(desk, desk.standing(session), source).lines
    said, kit = done(desk, session, KitChoice(of="slices", source_id=source))
    assert said.name == "moth loop, cut"
    ones = list(kit.instruments.values())
    assert [one.key for one in ones] == list(range(36, 36 + len(lines)))
    assert [one.piece for one in ones] == [line.piece for line in lines]
    assert "kick" in {one.piece for one in ones}
    whole = desk.audio.source_mono(desk.standing(session).document.source(source), RATE_HZ)
    for line, one in zip(lines, ones, strict=True):
        (sample,) = one.samples
        sound = desk.cache.decoded(sample.audio)[:, 0]
        begin = round(line.start_s * RATE_HZ)
        inner = slice(round(0.002 * RATE_HZ), round((line.end_s - line.start_s) * RATE_HZ) - 1)
        # Between its fades a slice is the source itself, but for the 24 bits of the file.
        assert np.abs(sound[inner] - whole[begin:][inner]).max() < 2.0**-22
        assert sample.attack_s == pytest.approx(line.attack_s - line.start_s, abs=1e-4)


def test_a_kit_of_slices_plays_the_stroke_that_stands_alone(desk: Desk, loop: tuple[str, str]) -> None:
    session, source = loop
    _, kit = done(desk, session, KitChoice(of="slices", source_id=source))
    pieces = {one.piece for one in kit.instruments.values()}
    assert len(kit.favourites) == len(pieces)
    alone = {name.lower() for name in desk.standing(session).names.values()}
    for piece in pieces:
        (chosen,) = kit.for_piece(piece)
        same = [one for one in kit.instruments.values() if one.piece == piece]
        names = {one.name.split(" ", 1)[-1] for one in same}
        # Wherever a piece is struck by itself at all, it begins with one of those strokes.
        assert chosen.name.split(" ", 1)[-1] in alone or not names & alone


def test_more_slices_than_a_kit_holds_are_refused(
    desk: Desk, loop: tuple[str, str], monkeypatch: pytest.MonkeyPatch
) -> None:
    session, source = loop
    monkeypatch.setattr(sliced_kit, "MOST_INSTRUMENTS", 500)
    marks = {f"m{k}": CutMark(found_s=0.0084 * k + 0.01, kind="add") for k in range(530)}
    desk.sessions.edit(session, None, MarkCuts(kind="mark_cuts", source_id=source, marks=marks))
    with pytest.raises(Problem, match="more than a kit holds"):
        make_kit(desk, desk.standing(session), KitChoice(of="slices"), "a" * 16, lambda _: True)


def test_the_best_kick_snare_and_hat_are_one_stroke_each(desk: Desk, loop: tuple[str, str]) -> None:
    session, _ = loop
    said, kit = done(desk, session, KitChoice(of="best"))
    assert kit.name == "Lamps, its best strokes"
    assert {one.piece for one in kit.instruments.values()} <= {"kick", "snare", "hi-hat"}
    assert all(
        len(one.samples) == 1 and one.samples[0].high_velocity == 127 for one in kit.instruments.values()
    )
    standing = desk.standing(session)
    ranked = clearest_of(desk, standing, [one.part_id for one in said.pieces], 3).parts
    for piece, best in zip(said.pieces, ranked, strict=True):
        assert piece.strokes[0].time_s == best.strokes[0].time_s
        assert len(best.strokes) == 3 and all("alone for" in one.reason for one in best.strokes)
