"""A full disk is said as that wherever it strikes, nothing half stays, and all goes on when there is room."""

from __future__ import annotations

import errno
import os
import shutil
import subprocess
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import psycopg
import pytest
from sqlalchemy.exc import OperationalError

from nubrak.store.sessions import Sessions
from nubrak.web.application import make_application
from nubrak.work.settings import Settings
from tests.conftest import RATE_HZ, write_wav
from tests.web.conftest import Browser


@pytest.mark.parametrize(
    ("raised", "status"),
    [
        (OperationalError("INSERT", {}, psycopg.errors.DiskFull("could not extend file")), 507),
        (OSError(errno.ENOSPC, os.strerror(errno.ENOSPC)), 507),
        (OSError(errno.EACCES, os.strerror(errno.EACCES)), 500),
        (OperationalError("INSERT", {}, psycopg.OperationalError("the connection is lost")), 503),
    ],
)
def test_an_edit_without_room_says_so(
    database_url: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, raised: Exception, status: int
) -> None:
    def fails(*_: object) -> None:
        raise raised

    app = make_application(Settings(database_url=database_url, cache_folder=str(tmp_path)))
    with Browser(app, base_url="http://127.0.0.1:8137", raise_server_exceptions=False) as browser:
        session = browser.session()
        monkeypatch.setattr(Sessions, "edit", fails)
        action = {"kind": "rename", "name": "another"}
        answer = browser.post(f"/api/sessions/{session}/edits", json={"revision": 0, "action": action})
        assert answer.status_code == status
        assert ("disk is full" in answer.json()["what"]) == (status == 507)
        monkeypatch.undo()
        again = browser.post(f"/api/sessions/{session}/edits", json={"revision": 0, "action": action})
        assert again.status_code == 200


@pytest.fixture
def small_disk(tmp_path: Path) -> Iterator[Path]:
    """A real disk of a few megabytes."""
    folder = tmp_path / "small"
    folder.mkdir()
    mounted = subprocess.run(
        ["mount", "-t", "tmpfs", "-o", "size=6m", "tmpfs", str(folder)], capture_output=True
    )
    if mounted.returncode:
        pytest.skip("no disk can be mounted here")
    yield folder
    subprocess.run(["umount", "--lazy", str(folder)], check=True)


def test_on_a_real_full_disk_uploads_analysis_and_prints_say_what_was_kept_and_recover(
    database_url: str, small_disk: Path, tmp_path: Path
) -> None:
    noise = np.random.default_rng(5).uniform(-0.5, 0.5, 2 * RATE_HZ).astype(np.float32)
    path = write_wav(tmp_path / "kick.wav", noise)
    app = make_application(Settings(database_url=database_url, cache_folder=str(small_disk)))
    with Browser(app, base_url="http://127.0.0.1:8137", raise_server_exceptions=False) as browser:
        session = browser.session()
        browser.drop(session, path)
        fill = small_disk / "fill"
        fill.write_bytes(b"x" * (shutil.disk_usage(small_disk).free - 8192))

        named = {"name": "snare.wav"}
        answer = browser.post(f"/api/sessions/{session}/sources", params=named, content=path.read_bytes())
        assert answer.status_code == 507 and "Nothing was changed" in answer.json()["kept"]
        answer = browser.get(f"/api/sessions/{session}/print/audio")
        assert answer.status_code == 507 and "no half file" in answer.json()["kept"]
        said = browser.done(browser.post(f"/api/sessions/{session}/print/jobs", json={}))
        assert "disk is full" in said["problem"]["what"]
        said = browser.done(browser.post(f"/api/sessions/{session}/archive/jobs"))
        assert "disk is full" in said["problem"]["what"]
        assert browser.left_behind() == [] and list(small_disk.rglob("*.zip")) == [], "nothing half is left"

        fill.unlink()
        answer = browser.post(f"/api/sessions/{session}/sources", params=named, content=path.read_bytes())
        assert answer.status_code == 201
        assert browser.get(f"/api/sessions/{session}/print/audio").status_code == 200
        said = browser.done(browser.post(f"/api/sessions/{session}/archive/jobs"))
        assert said["done"]
