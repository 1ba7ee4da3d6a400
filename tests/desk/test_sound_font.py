"""A sound font that comes into the library: its kits, once however often it comes, and whole or not at
all.
"""

from __future__ import annotations

from pathlib import Path

import pytest

from nubrak.core.layer import as_stereo
from nubrak.core.prints import Cancelled
from nubrak.core.problem import Problem
from nubrak.core.samples import Kit
from nubrak.desk.desk import Desk
from nubrak.desk.jobs import begin_sound_font, run_job
from nubrak.desk.sound_font import FontKits, take_sound_font
from nubrak.store.jobs import job_of
from nubrak.store.kits import all_kits, put_kit, remove_kit
from tests.core.samples.test_sound_font import a_kit


@pytest.fixture
def font(tmp_path: Path) -> Path:
    path = tmp_path / "lanterns.sf2"
    path.write_bytes(a_kit().data)
    return path


def test_its_kits_are_in_the_library_and_sound(desk: Desk, font: Path) -> None:
    before = set(all_kits(desk.engine))
    taken = take_sound_font(desk, font, lambda share: True)
    (kit_id,) = taken.kits
    assert taken.kits[kit_id] == "Paper kit, Lanterns" and taken.instruments == 1
    made = all_kits(desk.engine)[kit_id].instruments["key-38"]
    assert [(one.low_velocity, one.high_velocity) for one in made.samples] == [(1, 90), (91, 127)]
    for sample in made.samples:
        sound = as_stereo(desk.cache.decoded(sample.audio))
        assert sound.any() and sample.measured is not None and sample.attack_s < 0.002
    again = take_sound_font(desk, font, lambda share: True)
    assert again == taken and set(all_kits(desk.engine)) == before | {kit_id}
    # What a hand has made of it outlives the file that comes once more; what was thrown away comes back.
    put_kit(desk.engine, kit_id, Kit(name="Tar paper", instruments=all_kits(desk.engine)[kit_id].instruments))
    assert take_sound_font(desk, font, lambda share: True).kits == {kit_id: "Tar paper"}
    remove_kit(desk.engine, kit_id)
    assert take_sound_font(desk, font, lambda share: True) == taken


def test_it_comes_as_a_job_that_takes_the_file_away(desk: Desk, font: Path) -> None:
    job = begin_sound_font(desk, font)
    assert not font.exists()
    run_job(desk, job.id)
    said = job_of(desk.engine, job.id).said
    assert said is not None and len(FontKits.model_validate(said).kits) == 1
    assert not [one for one in (desk.uploads.parent / "jobs").rglob("*") if one.is_file()]


def test_a_damaged_one_is_told_so_and_leaves_no_kit(desk: Desk, font: Path, tmp_path: Path) -> None:
    before = set(all_kits(desk.engine))
    for data in (font.read_bytes()[:-300], b"RIFF", b""):
        path = tmp_path / "damaged.sf2"
        path.write_bytes(data)
        job = begin_sound_font(desk, path)
        run_job(desk, job.id)
        problem = job_of(desk.engine, job.id).problem
        assert problem is not None and problem["kept"] == "Nothing was kept." and problem["todo"]
    assert set(all_kits(desk.engine)) == before
    assert not [one for one in (desk.uploads.parent / "jobs").rglob("*") if one.is_file()]


def test_what_is_stopped_on_the_way_leaves_no_kit(desk: Desk, font: Path) -> None:
    for kit_id in take_sound_font(desk, font, lambda share: True).kits:
        remove_kit(desk.engine, kit_id)
    before = set(all_kits(desk.engine))
    with pytest.raises(Cancelled):
        take_sound_font(desk, font, lambda share: False)
    assert set(all_kits(desk.engine)) == before
    with pytest.raises(Problem):
        take_sound_font(desk, Path(__file__), lambda share: True)
