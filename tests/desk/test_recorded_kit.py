"""A kit out of a session's own recordings, kept in the library."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.problem import Problem
from nubrak.core.samples import Kit
from nubrak.desk.desk import Desk
from nubrak.desk.found_later import keep_what_was_found
from nubrak.desk.jobs import begin_kit, run_job
from nubrak.desk.recorded_kit import KitChoice, RecordedKit, make_kit
from nubrak.store.jobs import job_of
from nubrak.store.kits import all_kits, kit_of
from tests.conftest import RATE_HZ, decaying_strokes
from tests.desk.conftest import Drop

KICKS_S, SNARES_S = [0.4 + n for n in range(10)], [0.9 + n for n in range(10)]


@pytest.fixture
def recorded(desk: Desk, session: str, drop: Drop) -> str:
    """Kick and snare with spill, soft and hard by turns, and a pair above them that hears both 3 ms late."""
    gains = [0.8, 0.4] * 5
    kick = decaying_strokes(KICKS_S, gains, 11.0, hz=60)
    snare = decaying_strokes(SNARES_S, gains, 11.0, hz=190, seed=9)
    drop(session, "Kick.wav", kick + 0.05 * snare)
    drop(session, "Snare.wav", snare + 0.05 * kick)
    late = round(0.003 * RATE_HZ)
    over = np.concatenate([np.zeros(late, np.float32), 0.3 * (kick + snare)])[: len(kick)]
    drop(session, "OH.wav", over.astype(np.float32))
    keep_what_was_found(desk, session)
    return session


def done(desk: Desk, session: str, choice: KitChoice) -> tuple[RecordedKit, Kit]:
    job = begin_kit(desk, session, choice)
    run_job(desk, job.id)
    job = job_of(desk.engine, job.id)
    assert job.said is not None, job.problem
    said = RecordedKit.model_validate(job.said)
    return said, kit_of(desk.engine, said.kit_id)


def test_each_piece_becomes_an_instrument_with_reasons(desk: Desk, recorded: str) -> None:
    said, kit = done(desk, recorded, KitChoice(name="Lamplit drums"))
    assert kit.name == "Lamplit drums"
    by_piece = {one.piece: one for one in kit.instruments.values()}
    snare = by_piece["snare"]
    assert snare.samples[0].low_velocity == 1 and max(one.high_velocity for one in snare.samples) == 127
    assert len({one.low_velocity for one in snare.samples}) >= 2, "soft and hard are layers"
    about = next(one for one in said.pieces if one.name == "Snare")
    assert about.said.startswith(f"{len(snare.samples)} of 10 strokes")
    assert all("alone for" in one.reason for one in about.strokes)
    assert all(min(abs(one.time_s - at_s) for at_s in SNARES_S) < 0.002 for one in about.strokes)
    for sample in snare.samples:
        assert desk.facts(sample.audio).length_s < 0.6 and sample.measured is not None
        sound = desk.cache.decoded(sample.audio)[:, 0]
        assert np.abs(sound[: round((sample.attack_s - 0.0005) * RATE_HZ)]).max() < 0.05 * np.abs(sound).max()


def test_far_microphones_are_cut_out_at_the_same_place(desk: Desk, recorded: str) -> None:
    _, kit = done(desk, recorded, KitChoice(microphones="all"))
    names = {one.name: one for one in kit.instruments.values()}
    assert {"Kick, close", "Kick, overheads", "Snare, close", "Snare, overheads"} <= set(names)
    close, far = names["Kick, close"].samples[0], names["Kick, overheads"].samples[0]
    assert close.attack_s == far.attack_s
    first = []
    for one in (close, far):
        size = np.abs(desk.cache.decoded(one.audio)[:, 0])
        first.append(int(np.argmax(size > 0.1 * size.max())))
    assert abs((first[1] - first[0]) / RATE_HZ - 0.003) < 0.0005


def test_done_twice_it_is_one_kit(desk: Desk, recorded: str) -> None:
    standing = desk.standing(recorded)
    before = len(all_kits(desk.engine))
    for _ in range(2):
        make_kit(desk, standing, KitChoice(), "once", lambda _: True)
    assert len(all_kits(desk.engine)) == before + 1


def test_a_session_without_strokes_says_what_is_missing(desk: Desk, session: str, drop: Drop) -> None:
    drop(session, "Kick.wav", decaying_strokes([0.5], [0.8], 1.0, hz=60))
    job = begin_kit(desk, session, KitChoice())
    run_job(desk, job.id)
    problem = job_of(desk.engine, job.id).problem
    assert problem is not None and "often enough" in problem["what"]
    with pytest.raises(Problem):
        kit_of(desk.engine, job.id)
