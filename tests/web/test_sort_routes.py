"""Sort over HTTP: the map, what follows, giving, bad input; a room that is asked for its pieces; two
windows.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from tests.conftest import decaying_strokes, write_wav
from tests.core.sort.made import RATE_HZ, beat, mixture
from tests.web.conftest import Browser


@pytest.fixture
def loop(browser: Browser, tmp_path: Path) -> tuple[str, str]:
    """A session of a loop that was told apart, and the part of its moments."""
    session = browser.session()
    state = browser.drop(session, write_wav(tmp_path / "moth loop.wav", mixture(beat(), 4.0)))
    return session, next(iter(state["document"]["parts"]))


def state_of(browser: Browser, session: str) -> dict:
    return dict(browser.get(f"/api/sessions/{session}").json())


def test_a_stroke_is_given_with_what_follows_and_a_stale_window_is_refused(
    browser: Browser, loop: tuple[str, str]
) -> None:
    session, head = loop
    base = f"/api/sessions/{session}/sort/{head}"
    found = browser.get(base).json()
    snare = next(k for k, part in enumerate(found["parts"]) if part["piece"] == "snare")
    at = found["part"].index(snare)
    ask = {
        "strokes": [{"part_id": found["parts"][snare]["part_id"], "found_s": found["found_s"][at]}],
        "to": {"piece": "clap"},
    }
    follows = browser.post(f"{base}/follow", json=ask).json()["strokes"]
    assert len(follows) == 3 and all(one["part_name"] == "Snare" for one in follows)
    before = found["revision"]
    ask["strokes"] += [{key: one[key] for key in ("part_id", "found_s")} for one in follows]
    given = browser.post(f"{base}/give", json=ask | {"revision": before})
    assert given.status_code == 200, given.text
    claps = [part for part in browser.get(base).json()["parts"] if part["piece"] == "clap"]
    assert [part["hits"] for part in claps] == [4]
    stale = browser.post(f"{base}/give", json=ask | {"revision": before})
    assert stale.status_code == 409 and stale.json()["state"]["revision"] > before


@pytest.mark.parametrize(
    ("to", "said"),
    [
        ({}, "Nothing was named"),
        ({"part_id": "gone"}, "not in the session"),
        ({"piece": "kick", "articulation": "open"}, "not struck that way"),
    ],
)
def test_what_cannot_be_given_says_why(browser: Browser, loop: tuple[str, str], to: dict, said: str) -> None:
    session, head = loop
    base, revision = f"/api/sessions/{session}/sort/{head}", state_of(browser, session)["revision"]
    found = browser.get(base).json()
    strokes = [{"part_id": found["parts"][0]["part_id"], "found_s": found["found_s"][0]}]
    answer = browser.post(f"{base}/give", json={"revision": revision, "strokes": strokes, "to": to})
    assert answer.status_code in (404, 422) and said in answer.json()["what"]
    assert state_of(browser, session)["revision"] == revision, "nothing was changed"


def test_strokes_are_heard_as_samples(browser: Browser, loop: tuple[str, str]) -> None:
    session, head = loop
    answer = browser.post(f"/api/sessions/{session}/sort/{head}/hear", json={"time_s": [0.0, 0.5]})
    sound = np.frombuffer(answer.content, "<f4")
    assert answer.status_code == 200 and len(sound) > 0.3 * 2 * RATE_HZ and np.abs(sound).max() > 0.05


def test_a_room_is_asked_for_the_pieces_that_have_no_microphone(browser: Browser, tmp_path: Path) -> None:
    session = browser.session()
    kick = decaying_strokes([0.0, 1.0, 2.0, 3.0], [0.8] * 4, 4.0, hz=60)
    browser.drop(session, write_wav(tmp_path / "kick.wav", kick))
    room = browser.drop(session, write_wav(tmp_path / "room.wav", mixture(beat(), 4.0)))
    parts = room["document"]["parts"]
    head = next(key for key, part in parts.items() if part["piece"] == "room")
    assert not any(part["sorted_from"] for part in parts.values())
    action = {"kind": "ask_pieces", "part_id": head}
    body = {"revision": state_of(browser, session)["revision"], "action": action}
    assert browser.post(f"/api/sessions/{session}/edits", json=body).status_code == 200
    browser.work()
    told = [
        part["piece"]
        for part in state_of(browser, session)["document"]["parts"].values()
        if part["sorted_from"]
    ]
    assert "snare" in told and "hi-hat" in told and "kick" not in told
    undone = browser.post(
        f"/api/sessions/{session}/undo", json={"revision": state_of(browser, session)["revision"]}
    ).json()
    assert not undone["document"]["parts"][head]["asked"]


@pytest.mark.parametrize(
    ("name", "audio"),
    [
        ("silence loop.wav", np.zeros(44100, np.float32)),
        ("one hit loop.wav", mixture([(0.0, "kick", 0.9)], 1.0)),
        ("noise loop.wav", np.random.default_rng(1).normal(0, 0.1, 88200).astype(np.float32)),
    ],
)
def test_what_holds_little_or_nothing_opens_all_the_same(
    browser: Browser, tmp_path: Path, name: str, audio: np.ndarray
) -> None:
    session = browser.session()
    state = browser.drop(session, write_wav(tmp_path / name, audio))
    head = next(iter(state["document"]["parts"]))
    assert browser.get(f"/api/sessions/{session}/overview").status_code == 200
    answer = browser.get(f"/api/sessions/{session}/sort/{head}")
    assert answer.status_code == 200
    if name.startswith("one hit"):
        assert len(answer.json()["parts"]) == 1
    if name.startswith("silence"):
        assert answer.json()["parts"] == []
