"""A part that becomes a whole loop has its sources looked through more closely; what was known stands until
that is done.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from sqlalchemy import text
from sqlalchemy.orm import Session as Db

from tests.conftest import decaying_strokes, write_wav
from tests.web.conftest import Browser


@pytest.fixture
def soft(tmp_path: Path) -> Path:
    """Loud strokes that ring, and soft ones under them that hardly rise."""
    loud = decaying_strokes([0.3, 1.3, 2.3], [0.8] * 3, 3.2, hz=180)
    soft = decaying_strokes([0.42, 1.42, 2.42], [0.05] * 3, 3.2, hz=420, seed=8)
    return write_wav(tmp_path / "kick.wav", np.asarray(loud + soft, np.float32))


def asked_for(browser: Browser, session: str) -> list[str]:
    """What waits in the queue for the session's audio, and how it is to be looked through."""
    clip = next(iter(browser.get(f"/api/sessions/{session}").json()["document"]["sources"].values()))[
        "clips"
    ][0]
    with Db(browser.app.state.desk.engine) as db:  # type: ignore[attr-defined]
        rows = db.execute(
            text("SELECT args FROM procrastinate_jobs WHERE status = 'todo' AND args->>'audio' = :audio"),
            {"audio": clip["audio"]},
        )
        return [str(args.get("look", "")) for (args,) in rows]


def test_a_part_that_becomes_a_loop_is_looked_through_once_more(browser: Browser, soft: Path) -> None:
    session = browser.session()
    state = browser.drop(session, soft)
    part = next(iter(state["document"]["parts"]))
    overview = lambda: browser.get(f"/api/sessions/{session}/overview").json()["parts"][0]  # noqa: E731
    as_kick = overview()
    assert as_kick["progress"] == 1 and len(as_kick["time_s"]) >= 3

    def becomes(piece: str) -> None:
        revision = browser.get(f"/api/sessions/{session}").json()["revision"]
        answer = browser.post(
            f"/api/sessions/{session}/edits",
            json={"revision": revision, "action": {"kind": "set_piece", "part_id": part, "piece": piece}},
        )
        assert answer.status_code == 200

    becomes("loop")
    waiting = overview()
    assert waiting["progress"] < 1 and len(waiting["time_s"]) >= 3
    assert "close" in asked_for(browser, session)
    browser.work()
    as_loop = overview()
    assert as_loop["progress"] == 1

    def rows() -> list[float]:
        return browser.post(f"/api/sessions/{session}/parts/{part}/decisions", json={"find": None}).json()[
            "time_s"
        ]

    closely = rows()
    becomes("kick")
    assert overview()["progress"] == 1 and len(rows()) < len(closely)
    becomes("loop")
    assert overview()["progress"] == 1 and rows() == closely
