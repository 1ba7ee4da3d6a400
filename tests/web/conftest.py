"""The application on a test database, with its tasks worked off in the test itself."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from httpx import Response

from nubrak.desk.found_later import keep_what_was_found
from nubrak.desk.jobs import run_job
from nubrak.web.application import make_application
from nubrak.work.analyse import analyse_audio
from nubrak.work.listen_together import SIDES, listen_together
from nubrak.work.settings import Settings
from tests.conftest import decaying_strokes, write_wav


class Browser(TestClient):
    """A client that speaks as the interface does."""

    def session(self, name: str = "T") -> str:
        return str(self.post("/api/sessions", json={"name": name}).json()["id"])

    def bring(self, session: str, path: Path, name: str | None = None) -> dict:
        """A file in a session, which no worker has listened to."""
        answer = self.post(
            f"/api/sessions/{session}/sources", params={"name": name or path.name}, content=path.read_bytes()
        )
        assert answer.status_code == 201, answer.text
        return dict(answer.json())

    def drop(self, session: str, path: Path, name: str | None = None) -> dict:
        state = self.bring(session, path, name)
        self.work(session)
        return state

    def work(self, session: str | None = None) -> None:
        """Analyse everything that waits, of one session or of all, as a worker would."""
        desk = self.app.state.desk  # type: ignore[attr-defined]
        for session_id in [session] if session else [line.id for line in desk.sessions.all()]:
            for audio, look in desk.standing(session_id).missing():
                analyse_audio(desk.engine, desk.cache, audio, look)
            for side in range(SIDES):
                listen_together(desk.engine, desk.cache, session_id, side)
            keep_what_was_found(desk, session_id)

    def done(self, answer: Response) -> dict:
        """A job that was begun, worked off as a worker would, and how it stands then."""
        assert answer.status_code == 202, answer.text
        job_id = answer.json()["job_id"]
        run_job(self.app.state.desk, job_id)  # type: ignore[attr-defined]
        return dict(self.get(f"/api/jobs/{job_id}").json())

    def left_behind(self) -> list[Path]:
        """Files under way that nobody waits for."""
        folder = self.app.state.desk.uploads  # type: ignore[attr-defined]
        return [*folder.iterdir(), *(folder.parent / "jobs").glob("*/drafts/*")]


@pytest.fixture
def browser(database_url: str, tmp_path: Path) -> Iterator[Browser]:
    with Browser(
        make_application(Settings(database_url=database_url, cache_folder=str(tmp_path / "cache"))),
        base_url="http://127.0.0.1:8137",
    ) as client:
        yield client


@pytest.fixture
def kick(tmp_path: Path) -> Path:
    return write_wav(
        tmp_path / "kick.wav", decaying_strokes([0.25, 0.75, 1.25, 1.75], [0.8, 0.7, 0.2, 0.75], 2.2, hz=60)
    )


@pytest.fixture
def played(browser: Browser, kick: Path) -> tuple[str, str]:
    """A session of four kick strokes, and its part."""
    session = browser.session()
    state = browser.drop(session, kick)
    return session, next(iter(state["document"]["parts"]))
