"""What Second look says where it is the piece that is in doubt."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from nubrak.core.decide import places
from nubrak.core.sort import SOUNDS, sounding_of
from nubrak.desk.desk import Desk
from nubrak.desk.finding import look_places
from nubrak.desk.found_later import keep_what_was_found
from nubrak.desk.standing import Standing
from nubrak.desk.which_piece import either_of, said_once
from tests.core.sort.made import beat, mixture
from tests.desk.conftest import Drop


@pytest.fixture
def doubtful(desk: Desk, session: str, drop: Drop, monkeypatch: pytest.MonkeyPatch) -> Standing:
    """A loop of which one kick is told as 62 to 38 a floor tom."""
    import nubrak.core.flow as flow

    told = flow.listen

    def unsure(mono: object, found: object, rate_hz: int) -> object:
        heard = told(mono, found, rate_hz)  # type: ignore[arg-type]
        sounding, kept = sounding_of(heard), heard.sounding.copy()
        assert sounding is not None
        row = int(np.argmax(sounding.log_odds[:, SOUNDS.index("kick")]))
        kept[:, SOUNDS.index("floor-tom")] = -9.0
        kept[row, SOUNDS.index("kick")] = np.log(0.62 / 0.38)
        kept[row, SOUNDS.index("floor-tom")] = np.log(0.38 / 0.62)
        return replace(heard, sounding=kept)

    monkeypatch.setattr(flow, "listen", unsure)
    state = drop(session, "moth loop.wav", mixture([*beat(), (3.9, "floor-tom", 0.9)], 4.5))
    keep_what_was_found(desk, session)
    assert state.document.parts
    return desk.standing(session)


def test_both_pieces_are_named_with_their_shares_and_a_typical_stroke(doubtful: Standing) -> None:
    kick = next(key for key, part in doubtful.document.parts.items() if part.piece == "kick")
    told = [
        (place, either_of(doubtful, kick, place.index)) for place in places({kick: doubtful.decisions(kick)})
    ]
    place, found = next((place, one) for place, one in told if one and abs(one.own.share - 0.62) < 0.01)
    assert found.own.name == "Kick" and found.other.piece == "floor-tom"
    assert found.own.share == pytest.approx(0.62, abs=0.01) and found.other.share == pytest.approx(
        0.38, abs=0.01
    )
    assert found.own.typical_s is not None and abs(found.own.typical_s - place.time_s) > 0.1
    assert found.other.part_id is None and found.other.typical_s is None, "no floor tom was surely told"


def test_one_moment_is_said_once(doubtful: Standing) -> None:
    family = [key for key, part in doubtful.document.parts.items() if part.sorted_from]
    listed, total = look_places(doubtful, family)
    rows = [int(doubtful.decisions(one.part_id).row[one.index]) for one in listed if not one.counts]
    counting = {int(doubtful.decisions(one.part_id).row[one.index]) for one in listed if one.counts}
    assert total == len(listed) and not counting & set(rows)
    assert said_once(doubtful, []) == []


def test_what_was_found_by_itself_is_not_told_between_pieces(desk: Desk, kick: tuple[str, str]) -> None:
    session, part = kick
    assert either_of(desk.standing(session), part, 0) is None
