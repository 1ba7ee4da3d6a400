"""Looking at a session changes nothing of it; what its recordings tell is kept by a worker, whom each edit
asks.
"""

from __future__ import annotations

import re
import secrets
from pathlib import Path

import psycopg
import pytest

from nubrak.work.analyse import analyse_audio
from tests.conftest import write_wav
from tests.core.sort.made import beat, mixture
from tests.web.conftest import Browser


@pytest.fixture
def listened(browser: Browser, tmp_path: Path) -> str:
    """A session of a loop that was listened to, and of which nothing is kept yet."""
    session = browser.session()
    # Of its own loudness: what another test has listened to would be known here.
    loop = mixture(beat(), 4.0) * (1.0 - secrets.randbelow(1000) / 2000)
    browser.bring(session, write_wav(tmp_path / "moth loop.wav", loop))
    desk = browser.app.state.desk  # type: ignore[attr-defined]
    for audio, look in desk.standing(session).missing():
        analyse_audio(desk.engine, desk.cache, audio, look)
    return session


def to_keep(database_url: str, session: str) -> int:
    """How often workers are asked to keep what a session's recordings tell."""
    with psycopg.connect(database_url) as connection:
        row = connection.execute(
            "SELECT count(*) FROM procrastinate_jobs WHERE status = 'todo' AND queueing_lock = %s",
            [f"keep-found-{session}"],
        ).fetchone()
    return int(row[0]) if row else 0


def test_no_address_that_is_read_changes_a_session(browser: Browser, listened: str) -> None:
    state = browser.get(f"/api/sessions/{listened}").json()
    part, source = next(iter(state["document"]["parts"])), next(iter(state["document"]["sources"]))
    known = {"session_id": listened, "part_id": part, "source_id": source}
    read = []
    for path, ways in browser.get("/api/openapi.json").json()["paths"].items():
        asked = set(re.findall(r"{(\w+)}", path))
        if "get" in ways and asked <= known.keys() and "session_id" in asked and not path.endswith("events"):
            browser.get(path.format(**known))
            read.append(path)
            assert browser.get(f"/api/sessions/{listened}").json() == state, path
    assert len(read) > 15


def test_a_window_that_looks_has_a_worker_keep_what_is_told(
    browser: Browser, database_url: str, listened: str
) -> None:
    assert to_keep(database_url, listened) == 0
    for _ in range(3):
        browser.get(f"/api/sessions/{listened}/overview")
    assert to_keep(database_url, listened) == 1
    browser.work(listened)
    document = browser.get(f"/api/sessions/{listened}").json()["document"]
    assert document["tempo"]["known"] == "told"
    assert {"kick", "snare"} <= {part["piece"] for part in document["parts"].values()}


def test_an_edit_has_a_worker_keep_what_is_told_with_no_window_open(
    browser: Browser, database_url: str, listened: str
) -> None:
    action = {"kind": "rename", "name": "Moths"}
    revision = browser.get(f"/api/sessions/{listened}").json()["revision"]
    assert to_keep(database_url, listened) == 0
    edited = browser.post(f"/api/sessions/{listened}/edits", json={"revision": revision, "action": action})
    assert edited.status_code == 200 and to_keep(database_url, listened) == 1


def test_an_edit_that_asks_for_another_look_hands_it_out(
    browser: Browser, database_url: str, tmp_path: Path, kick: Path
) -> None:
    session = browser.session()
    state = browser.drop(session, kick)
    part = next(iter(state["document"]["parts"]))
    clips = next(iter(state["document"]["sources"].values()))["clips"]
    revision = browser.get(f"/api/sessions/{session}").json()["revision"]
    action = {"kind": "set_piece", "part_id": part, "piece": "loop"}
    edited = browser.post(f"/api/sessions/{session}/edits", json={"revision": revision, "action": action})
    assert edited.status_code == 200, edited.text
    with psycopg.connect(database_url) as connection:
        waiting = connection.execute(
            "SELECT args->>'look' FROM procrastinate_jobs WHERE status = 'todo' AND args->>'audio' = %s",
            [clips[0]["audio"]],
        ).fetchall()
    assert ("close",) in waiting
