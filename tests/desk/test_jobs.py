"""Long work: a job holds the session as it stood, is done once, and leaves nothing behind when it is not
wanted.
"""

from __future__ import annotations

import zipfile
from pathlib import Path

import pytest

from nubrak.core.problem import Problem
from nubrak.core.session.gather_edits import Rename
from nubrak.desk import jobs
from nubrak.desk.desk import Desk
from nubrak.desk.jobs import (
    begin_archive,
    begin_opening,
    begin_print,
    cancel_job,
    file_of,
    forget_uploads,
    run_job,
)
from nubrak.desk.printing import StemChoice
from nubrak.store.jobs import job_of

Kick = tuple[str, str]


def test_an_archive_is_packed_as_the_session_stood_and_opens_as_another(desk: Desk, kick: Kick) -> None:
    session, part_id = kick
    job = begin_archive(desk, session)
    with pytest.raises(Problem) as early:
        file_of(desk, job.id)
    assert "not done yet" in early.value.what
    desk.sessions.edit(session, None, Rename(kind="rename", name="Later"))
    run_job(desk, job.id)
    path = file_of(desk, job.id)
    assert zipfile.is_zipfile(path) and "Lamps" in path.name
    arrived = desk.uploads / "came.zip"
    arrived.write_bytes(path.read_bytes())
    opening = begin_opening(desk, arrived)
    assert not arrived.exists()
    run_job(desk, opening.id)
    said = job_of(desk.engine, opening.id).said
    assert said is not None
    opened = desk.sessions.get(said["session_id"]).document
    assert opened.name == "Lamps" and opened.parts[part_id].piece == "kick"


def test_a_job_is_done_once(desk: Desk, kick: Kick) -> None:
    job = begin_print(desk, kick[0], StemChoice())
    run_job(desk, job.id)
    path = file_of(desk, job.id)
    was = path.stat().st_mtime_ns
    run_job(desk, job.id)
    run_job(desk, "there-is-none")
    assert path.stat().st_mtime_ns == was and job_of(desk.engine, job.id).share == 1.0


def test_what_is_cancelled_leaves_nothing_behind(desk: Desk, kick: Kick) -> None:
    early = begin_archive(desk, kick[0])
    cancel_job(desk, early.id)
    run_job(desk, early.id)
    late = begin_archive(desk, kick[0])
    run_job(desk, late.id)
    path = file_of(desk, late.id)
    cancel_job(desk, late.id)
    assert not path.exists() and job_of(desk.engine, early.id).problem is not None
    assert not [one for one in (desk.uploads.parent / "jobs").rglob("*") if one.is_file()]
    for job in (early, late):
        with pytest.raises(Problem):
            file_of(desk, job.id)


def test_what_goes_wrong_is_kept_with_the_job_in_a_sentence(
    desk: Desk, kick: Kick, monkeypatch: pytest.MonkeyPatch
) -> None:
    def broken(*_: object) -> Path:
        raise RuntimeError("a wire is loose")

    monkeypatch.setattr(jobs, "write_archive", broken)
    job = begin_archive(desk, kick[0])
    run_job(desk, job.id)
    problem = job_of(desk.engine, job.id).problem
    assert problem is not None and "RuntimeError" in problem["what"] and problem["todo"]
    assert job_of(desk.engine, job.id).over


def test_only_the_last_files_are_kept(desk: Desk, kick: Kick) -> None:
    made = []
    for _ in range(7):
        job = begin_archive(desk, kick[0])
        run_job(desk, job.id)
        made.append(job.id)
    folders = {one.name for one in (desk.uploads.parent / "jobs").iterdir()}
    assert made[-1] in folders and made[0] not in folders and len(folders) <= 5


def test_what_an_upload_left_behind_is_thrown_away(tmp_path: Path) -> None:
    folder = tmp_path / "uploads"
    forget_uploads(folder)
    (folder / "half.upload").write_bytes(b"half")
    forget_uploads(folder)
    assert folder.is_dir() and not list(folder.iterdir())
