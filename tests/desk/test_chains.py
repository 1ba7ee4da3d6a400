"""A session heard without some stages, as loud as with them; buses heard as they are printed."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest

from nubrak.core.mix import PartsBus, Room
from nubrak.core.mix.drive import DriveStage
from nubrak.core.mix.dynamics import DynamicsStage
from nubrak.core.problem import Problem
from nubrak.core.session import AddBus, SetChain
from nubrak.core.signal import loudness_lkfs
from nubrak.desk.chains import Whose, Without
from nubrak.desk.desk import Desk
from nubrak.desk.mixing import AskStages, stages_seen
from nubrak.desk.printing import StemChoice, stems
from tests.conftest import RATE_HZ, decaying_strokes
from tests.desk.conftest import STRUCK_S, Drop

FRAMES = 2 * RATE_HZ
LOUD = [DynamicsStage(threshold_db=-30, ratio=6, attack_ms=1, make_up_db=12), DriveStage(drive_db=6)]


@pytest.fixture
def parts(desk: Desk, session: str, drop: Drop) -> dict[str, str]:
    """A snare and a kick, by piece, each through stages of its own and all of it through a bus and a room."""
    drop(session, "Snare.wav", decaying_strokes(STRUCK_S, [0.7] * 4, 2.5, hz=190))
    state = drop(
        session, "Kick.wav", decaying_strokes([one + 0.2 for one in STRUCK_S], [0.7] * 4, 2.5, hz=60)
    )
    found = {part.piece: key for key, part in state.document.parts.items()}
    act(desk, session, SetChain(kind="set_chain", part_id=found["snare"], chain=list(LOUD)))
    everything = dict.fromkeys(found.values(), 0.0)
    drums = PartsBus(name="Drums", parts=everything, chain=[DynamicsStage(ratio=2)])
    room = PartsBus(name="Room", kind="room", parts={found["snare"]: -9.0}, room=Room(size="closet"))
    act(desk, session, AddBus(kind="add_bus", bus_id="drums", bus=drums))
    act(desk, session, AddBus(kind="add_bus", bus_id="room", bus=room))
    return found


def act(desk: Desk, session: str, action: SetChain | AddBus) -> None:
    desk.sessions.edit(session, desk.sessions.revision(session), action)


@pytest.mark.parametrize("stage", [None, 0, 1])
def test_without_a_stage_it_is_as_loud_as_with_it(
    desk: Desk, session: str, parts: dict[str, str], stage: int | None
) -> None:
    """Loudness by ITU-R BS.1770."""
    standing, snare = desk.standing(session), parts["snare"]
    seen = stages_seen(desk, standing, AskStages(part_id=snare, start_s=0, end_s=2, stage=stage))
    trim_db = seen.without_all_db if stage is None else seen.without_stage_db
    without = Without(Whose(snare), stage, trim_db)
    staged = desk.window(standing, "both", [snare], 0, FRAMES)
    bare = desk.window(standing, "both", [snare], 0, FRAMES, without=without)
    assert not np.allclose(staged, bare)
    loud, other = (loudness_lkfs(iter([one]), RATE_HZ) for one in (staged, bare))
    assert loud == pytest.approx(other, abs=0.1)
    assert loud == pytest.approx(seen.after_lkfs, abs=0.1)
    # Nothing of it is an edit, and nothing of it stays.
    assert np.array_equal(desk.window(desk.standing(session), "both", [snare], 0, FRAMES), staged)


def test_a_bus_and_the_layers_of_a_part_are_compared_and_drawn_as_well(
    desk: Desk, session: str, parts: dict[str, str]
) -> None:
    standing = desk.standing(session)
    seen = stages_seen(desk, standing, AskStages(bus_id="drums", start_s=0, end_s=2, stage=0))
    assert len(seen.down_db) and max(seen.down_db) > 1 and seen.stroke is not None
    assert min(abs(seen.stroke.at_s - one) for s in STRUCK_S for one in (s, s + 0.2)) < 0.005
    assert {one.name for one in seen.starting_points}
    everything = list(parts.values())
    whole = desk.window(standing, "both", everything, 0, FRAMES, bussed=True)
    without = Without(Whose(bus_id="drums"), None, 0.0)
    other = desk.window(standing, "both", everything, 0, FRAMES, bussed=True, without=without)
    assert not np.allclose(whole, other)
    silent = stages_seen(desk, standing, AskStages(part_id=parts["snare"], layers=True, start_s=0, end_s=2))
    assert max(silent.after_db) <= -120, "it has no layers"
    for asked in (AskStages(bus_id="gone", start_s=0, end_s=1), AskStages(start_s=0, end_s=1)):
        with pytest.raises(Problem):
            stages_seen(desk, standing, asked)


def test_prints_of_parts_and_buses_add_up_to_everything_and_windows_join(
    desk: Desk, session: str, parts: dict[str, str]
) -> None:
    standing = desk.standing(session)
    choice = StemChoice(layers=False, buses=True, sums=True, midi=False)
    made = {stem.name: stem.window for stem in stems(desk, standing, choice)}
    assert list(made) == ["Drums - group", "Room - room", "Everything"]
    whole = made["Everything"](0, FRAMES)
    assert np.array_equal(whole, desk.window(standing, "both", list(parts.values()), 0, FRAMES, bussed=True))
    each = made["Drums - group"](0, FRAMES) + made["Room - room"](0, FRAMES)
    assert np.abs(whole - each).max() < 10 ** (-120 / 20)
    edges = [0, 5, 40_000, 65_536, FRAMES]
    assert np.array_equal(np.concatenate([made["Everything"](a, b - a) for a, b in pairwise(edges)]), whole)


def test_a_part_is_printed_with_its_stages_or_without(
    desk: Desk, session: str, parts: dict[str, str]
) -> None:
    standing = desk.standing(session)
    with_, without = (
        {
            stem.name: stem.window(0, FRAMES)
            for stem in stems(
                desk, standing, StemChoice(layers=False, blends=True, sums=False, midi=False, stages=stages)
            )
        }
        for stages in (True, False)
    )
    name = f"{standing.names[parts['snare']]} - blend"
    assert not np.allclose(with_[name], without[name])
    kick = f"{standing.names[parts['kick']]} - blend"
    assert np.array_equal(with_[kick], without[kick])
