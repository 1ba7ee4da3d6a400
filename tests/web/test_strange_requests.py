"""Whatever is asked, the answer is a sentence: requests made up from the schema, and those that once were
not understood.
"""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from starlette.testclient import WebSocketDenialResponse
from starlette.websockets import WebSocketDisconnect

from benchmarks.endurance.requests import exercise
from nubrak.core.problem import Problem
from nubrak.store.jobs import fail, job_of, kept_jobs
from tests.conftest import RATE_HZ, write_wav
from tests.web.conftest import Browser

SAYS = {"what", "kept", "todo"}


def test_no_request_that_the_schema_allows_ends_without_a_sentence(
    browser: Browser, played: tuple[str, str]
) -> None:
    session, part = played
    source = browser.get(f"/api/sessions/{session}").json()["document"]["parts"][part]["sources"][0]
    clips = browser.get(f"/api/sessions/{session}").json()["document"]["sources"][source]["clips"]
    kit = browser.post("/api/kits", json={}).json()["kit_id"]
    known = {"session_id": session, "part_id": part, "source_id": source, "kit_id": kit}
    known["audio"] = clips[0]["audio"]
    schema = browser.get("/api/openapi.json").json()
    try:
        tried = exercise(browser, schema, known, examples=8, seeded=1)
    finally:
        # What was begun is worked at by nobody here, and so much at once would bar what others begin.
        engine = browser.app.state.desk.engine  # type: ignore[attr-defined]
        for job_id in kept_jobs(engine):
            if not job_of(engine, job_id).over:
                fail(engine, job_id, Problem("Nobody works at it."))
    assert tried.requests > 400
    assert tried.answers[200] > 50, "most never got past the door"
    assert not tried.faults, "\n".join(tried.faults)


def edit(browser: Browser, session: str, **action: object) -> tuple[int, dict]:
    revision = browser.get(f"/api/sessions/{session}").json()["revision"]
    answer = browser.post(f"/api/sessions/{session}/edits", json={"revision": revision, "action": action})
    return answer.status_code, answer.json()


@pytest.mark.parametrize("note", [-5, 128, 10**30])
def test_a_note_that_midi_does_not_have_is_refused(
    browser: Browser, played: tuple[str, str], note: int
) -> None:
    session, _ = played
    status, said = edit(
        browser, session, kind="set_note_map", note_map={"name": "mine", "notes": {"kick": note}}
    )
    assert status == 422 and said.keys() >= SAYS
    assert browser.get(f"/api/sessions/{session}/print/midi").status_code == 200


def test_a_note_map_of_a_piece_that_is_none_is_refused(browser: Browser, played: tuple[str, str]) -> None:
    status, said = edit(
        browser, played[0], kind="set_note_map", note_map={"name": "mine", "notes": {"spoon": 40}}
    )
    assert status == 422 and "spoon" in said["what"]


def test_a_table_with_a_number_of_thousands_of_digits_says_so(browser: Browser) -> None:
    table = "piece,note,name\nkick," + "9" * 5000 + ",x\nsnare,40,y\n"
    answer = browser.post("/api/note-map", content=table.encode())
    assert answer.status_code == 200
    assert answer.json()["note_map"]["notes"] == {"snare": 40} and len(answer.json()["skipped"]) == 1


def test_numbers_of_thousands_of_digits_are_a_sentence(browser: Browser, played: tuple[str, str]) -> None:
    session, part = played
    for body in (
        '{"revision": ' + "9" * 5000 + ', "action": {"kind": "rename", "name": "x"}}',
        '{"revision": 1, "action": {"kind": "set_span", "start_s": ' + "9" * 5000 + ', "end_s": 1}}',
    ):
        answer = browser.post(
            f"/api/sessions/{session}/edits", content=body, headers={"content-type": "application/json"}
        )
        assert 400 <= answer.status_code < 500 and answer.json().keys() >= SAYS
    moved = {"start": 0, "frames": 10, "part": part, "find": "9" * 5000}
    answer = browser.get(f"/api/sessions/{session}/sound/recording", params=moved)
    assert answer.status_code == 422 and answer.json().keys() >= SAYS


def test_control_characters_in_a_name_become_spaces(browser: Browser, played: tuple[str, str]) -> None:
    session, _ = played
    begun = browser.post("/api/sessions", json={"name": "Moon\0dance"}).json()
    assert begun["document"]["name"] == "Moon dance"
    assert browser.post("/api/kits", json={"name": "A\0"}).json()["kit"]["name"] == "A "
    status, state = edit(browser, session, kind="rename", name="Act\0 \x1bone")
    assert status == 200 and state["document"]["name"] == "Act   one"
    half = json.dumps({"revision": state["revision"], "action": {"kind": "rename", "name": "\ud800!"}})
    answer = browser.post(
        f"/api/sessions/{session}/edits", content=half, headers={"content-type": "application/json"}
    )
    assert answer.json()["document"]["name"] == " !"


@pytest.mark.parametrize(
    "path", ["/api/sessions/%00", "/api/jobs/a%00b", "/api/audio/%00/peaks/8/0", "/api/library?x=%00"]
)
def test_an_address_that_holds_nul_is_nowhere(browser: Browser, path: str) -> None:
    answer = browser.get(path)
    assert answer.status_code == 404 and answer.json().keys() >= SAYS


@pytest.mark.parametrize("origin", ["http://[", "http://[::1", "null", ""])
def test_an_origin_that_is_none_is_another_page(browser: Browser, origin: str) -> None:
    answer = browser.get("/api/sessions", headers={"origin": origin})
    assert answer.status_code == 403 and answer.json().keys() >= SAYS


def test_text_on_the_midi_socket_closes_it(browser: Browser) -> None:
    with (
        pytest.raises(WebSocketDisconnect) as closed,
        browser.websocket_connect("/api/module", headers={"host": "127.0.0.1:8137"}) as socket,
    ):
        socket.send_text("90 24 64")
        socket.receive_bytes()
    assert closed.value.code == 1003, "unsupported data (RFC 6455, 7.4.1)"
    with (
        pytest.raises(WebSocketDenialResponse),
        browser.websocket_connect("/api/module", headers={"host": "x"}),
    ):
        pass


def test_samples_far_over_full_scale_are_refused_with_their_level(browser: Browser, tmp_path: Path) -> None:
    audio = np.zeros(RATE_HZ, np.float32)
    audio[::7000] = 3e38
    path = write_wav(tmp_path / "x.wav", audio, subtype="FLOAT")
    session = browser.session()
    answer = browser.post(
        f"/api/sessions/{session}/sources", params={"name": "x.wav"}, content=path.read_bytes()
    )
    # 20 log10(3e38)
    assert answer.status_code == 422 and "770 dB over full scale" in answer.json()["what"]
    loud = write_wav(tmp_path / "loud.wav", audio * np.float32(1e-36), subtype="FLOAT")
    browser.drop(session, loud)


def arrived(audio: str, name: str, attack_s: float = 0.0, loudness_lkfs: float = -12.0) -> dict:
    measured = {"length_s": 0.5, "peak_db": -3.0, "loudness_lkfs": loudness_lkfs}
    return {"audio": audio, "name": name, "attack_s": attack_s, "measured": measured}


def test_two_thousand_and_one_files_of_one_stem_are_two_instruments(browser: Browser) -> None:
    files = [arrived("0" * 64, f"Snare {number:04d}.wav") for number in range(2001)]
    answer = browser.post("/api/samples/arrange", json={"files": files})
    assert answer.status_code == 200
    assert sorted(len(one["samples"]) for one in answer.json()["instruments"]) == [1, 2000]


def test_a_sample_that_begins_before_its_file_is_refused(browser: Browser) -> None:
    answer = browser.post("/api/samples/arrange", json={"files": [arrived("0" * 64, "a.wav", -1.0)]})
    assert answer.status_code == 422 and "attack_s" in answer.json()["what"]
