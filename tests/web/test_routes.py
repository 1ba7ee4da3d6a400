"""The way through over HTTP, and everything that can be wrong with a request."""

from __future__ import annotations

from io import BytesIO
from pathlib import Path

import mido
import numpy as np
import pytest
import soundfile

from tests.conftest import write_wav
from tests.web.conftest import Browser


def part_of(state: dict) -> str:
    return next(iter(state["document"]["parts"]))


def test_from_a_dropped_file_to_midi_and_a_print(browser: Browser, kick: Path) -> None:
    session = browser.session()
    state = browser.drop(session, kick)
    part = part_of(state)
    assert state["document"]["parts"][part]["piece"] == "kick"
    overview = browser.get(f"/api/sessions/{session}/overview").json()["parts"][0]
    assert overview["progress"] == 1 and np.allclose(overview["time_s"], [0.25, 0.75, 1.25, 1.75], atol=0.001)

    sample = browser.post("/api/samples", params={"name": "click.wav"}, content=kick.read_bytes()).json()
    assert sample["samples"][0]["attack_s"] == pytest.approx(0.25, abs=0.001)
    state = browser.post(f"/api/sessions/{session}/edits", json={"revision": 1, "action": {"kind": "add_layer", "part_id": part, "layer_id": "l", "instrument": sample}}).json()
    midi = mido.MidiFile(file=BytesIO(browser.get(f"/api/sessions/{session}/print/midi", params={"part": part}).content))
    starts = [tick for tick, message in zip(np.cumsum([m.time for m in midi.tracks[1]]), midi.tracks[1], strict=True) if message.type == "note_on"]
    assert np.allclose(np.array(starts) / 1920, overview["time_s"], atol=0.5 / 1920 + 1e-5)  # half a tick from the hits
    assert np.allclose(np.array(starts) / 1920, [0.25, 0.75, 1.25, 1.75], atol=0.001)

    answer = browser.get(f"/api/sessions/{session}/print/audio", params={"part": part, "bus": "layers", "depth": "float"})
    printed, rate = soundfile.read(BytesIO(answer.content), dtype="float32")
    assert rate == 44100 and len(printed) == round(2.2 * 44100) and 'filename="T - Kick - layers.wav"' in answer.headers["content-disposition"]
    windows = [browser.get(f"/api/sessions/{session}/sound/layers", params={"start": start, "frames": 10000, "part": part}).content for start in (0, 10000, 20000)]
    assert np.array_equal(np.frombuffer(b"".join(windows), "<f4").reshape(-1, 2), printed[:30000])
    assert np.abs(printed[: round(0.24 * 44100)]).max() < np.abs(printed[round(0.25 * 44100) : round(0.26 * 44100)]).max()


def test_a_moved_threshold_is_decided_without_an_edit(browser: Browser, kick: Path) -> None:
    session = browser.session()
    part = part_of(browser.drop(session, kick))
    decided = browser.post(f"/api/sessions/{session}/parts/{part}/decisions", json={"find": {"threshold_db": -12}}).json()
    assert (decided["hits"], decided["lost"], decided["let_in"]) == (3, 1, 0)
    assert browser.get(f"/api/sessions/{session}").json()["revision"] == 1
    index = int(np.abs(np.array(decided["time_s"]) - 1.25).argmin())
    said = browser.post(f"/api/sessions/{session}/parts/{part}/reason", json={"index": index, "find": {"threshold_db": -12}}).json()["text"]
    assert said.startswith("Does not count") and "under the threshold" in said


def test_add_snaps_drop_removes_undo_restores(browser: Browser, kick: Path) -> None:
    session = browser.session()
    part = part_of(browser.drop(session, kick))
    address = f"/api/sessions/{session}"
    browser.post(f"{address}/edits", json={"revision": 1, "action": {"kind": "set_find", "part_id": part, "changes": {"threshold_db": -12}}})
    state = browser.post(f"{address}/parts/{part}/add", json={"revision": 2, "time_s": 1.262}).json()
    (mark,) = state["document"]["parts"][part]["marks"].values()
    assert mark["kind"] == "add" and mark["time_s"] == pytest.approx(1.25, abs=0.001)
    times = lambda: browser.get(f"{address}/overview").json()["parts"][0]["time_s"]  # noqa: E731
    assert len(times()) == 4
    browser.post(f"{address}/edits", json={"revision": 3, "action": {"kind": "mark", "part_id": part, "marks": {"m": {"kind": "drop", "time_s": 0.25}}}})
    assert len(times()) == 3
    browser.post(f"{address}/undo", json={"revision": 4})
    browser.post(f"{address}/undo", json={"revision": 5})
    assert len(times()) == 3 and times()[0] == pytest.approx(0.25, abs=0.001)
    assert browser.get(address).json()["redo"].startswith("Kick: add at")
    refused = browser.post(f"{address}/parts/{part}/add", json={"revision": 6, "time_s": 99})
    assert refused.status_code == 422 and "no recording at this place" in refused.json()["what"]


def test_a_stale_window_gets_409_and_the_session_as_it_stands(browser: Browser) -> None:
    session = browser.session()
    rename = lambda revision, name: browser.post(f"/api/sessions/{session}/edits", json={"revision": revision, "action": {"kind": "rename", "name": name}})  # noqa: E731
    assert rename(0, "Two").status_code == 200
    stale = rename(0, "Three")
    assert stale.status_code == 409 and stale.json()["state"]["document"]["name"] == "Two" and stale.json()["kept"]


@pytest.mark.parametrize(("content", "said"), [(b"", "is empty"), (b"not audio at all", "could not be read as audio"), (b"RIFF\x00\x00\x00\x00WAVE", "could not be read")])
def test_files_that_are_not_audio_change_nothing(browser: Browser, content: bytes, said: str) -> None:
    session = browser.session()
    answer = browser.post(f"/api/sessions/{session}/sources", params={"name": "x.wav"}, content=content)
    assert answer.status_code == 422 and said in answer.json()["what"] and answer.json()["kept"] == "Nothing was changed." and answer.json()["todo"]
    assert browser.get(f"/api/sessions/{session}").json()["revision"] == 0


def test_an_upload_cut_off_half_way_leaves_nothing(browser: Browser, kick: Path) -> None:
    session = browser.session()
    answer = browser.post(f"/api/sessions/{session}/sources", params={"name": "x.wav"}, content=kick.read_bytes()[:1000], headers={"content-length": "5000"})
    assert answer.status_code == 422 and "cut off after 1000 of 5000 bytes" in answer.json()["what"]
    assert not list(Path(browser.app.state.desk.uploads).iterdir())  # type: ignore[attr-defined]


def test_odd_recordings_are_taken_and_said(browser: Browser, tmp_path: Path, kick: Path) -> None:
    session = browser.session()
    browser.drop(session, write_wav(tmp_path / "silence.wav", np.zeros((44100, 1), np.float32)))
    browser.drop(session, kick, "../../Große Trommel \u202e kick.wav")
    state = browser.drop(session, kick)
    notes = {source["name"]: source["notes"] for source in state["document"]["sources"].values()}
    assert "silent" in notes["silence.wav"][0] and "Große Trommel  kick.wav" in notes
    assert any("in the session already" in note for note in notes["kick.wav"])
    assert [part["progress"] for part in browser.get(f"/api/sessions/{session}/overview").json()["parts"]] == [1, 1, 1]


@pytest.mark.parametrize(("method", "path", "body", "status"), [
    ("GET", "/api/sessions/nowhere", None, 404),
    ("GET", "/api/sessions/nowhere/overview", None, 404),
    ("POST", "/api/sessions/nowhere/sources", None, 404),
    ("POST", "/api/sessions/{s}/parts/none/decisions", {}, 404),
    ("POST", "/api/sessions/{s}/parts/none/add", {"revision": 0, "time_s": 1}, 404),
    ("POST", "/api/sessions/{s}/parts/none/decisions", {"find": {"threshold_db": 7}}, 422),
    ("POST", "/api/sessions/{s}/parts/none/reason", {"index": -1}, 422),
    ("POST", "/api/sessions/{s}/edits", {"revision": 0, "action": {"kind": "fly"}}, 422),
    ("POST", "/api/sessions/{s}/edits", {"revision": "x", "action": {"kind": "rename", "name": "y"}}, 422),
    ("POST", "/api/sessions/{s}/edits", {"revision": 0, "action": {"kind": "set_piece", "part_id": "p", "piece": "zither"}}, 422),
    ("POST", "/api/sessions/{s}/edits", {"revision": 0, "action": {"kind": "set_tempo", "changes": {"bpm": 9999}}}, 422),
    ("POST", "/api/sessions/{s}/undo", {"revision": 0}, 422),
    ("GET", "/api/sessions/{s}/sound/everything?start=0&frames=10", None, 422),
    ("GET", "/api/sessions/{s}/sound/both?start=-5&frames=10", None, 422),
    ("GET", "/api/sessions/{s}/sound/both?start=0&frames=999999999", None, 422),
    ("GET", "/api/sessions/{s}/print/midi?part=none", None, 404),
    ("GET", "/api/audio/" + "0" * 64 + "/peaks/3/0", None, 404),
    ("GET", "/api/nothing", None, 404),
])
def test_wrong_requests_get_a_sentence_and_the_right_status(browser: Browser, method: str, path: str, body: dict | None, status: int) -> None:
    session = browser.session()
    answer = browser.request(method, path.replace("{s}", session), json=body)
    assert answer.status_code == status
    said = answer.json()
    assert said["what"].endswith((".", "…")) and said["kept"]
    assert browser.get(f"/api/sessions/{session}").json()["revision"] == 0


@pytest.mark.parametrize("headers", [
    {"host": "evil.example"}, {"host": "evil.example:8137"}, {"origin": "http://evil.example"}, {"origin": "null"},
    {"origin": "http://127.0.0.1:9999"}, {"host": ""}, {"host": "127.0.0.1.evil.example"},
])
def test_other_origins_and_host_names_are_refused(browser: Browser, headers: dict[str, str]) -> None:
    answer = browser.post("/api/sessions", json={"name": "x"}, headers=headers)
    assert answer.status_code == 403 and answer.json()["what"]
    assert browser.get("/api/sessions", headers={"host": "localhost:8137", "origin": "http://localhost:8137"}).status_code == 200


def test_pictures_come_as_pairs_of_samples(browser: Browser, kick: Path) -> None:
    session = browser.session()
    state = browser.drop(session, kick)
    audio = next(iter(state["document"]["sources"].values()))["clips"][0]["audio"]
    mono, _ = soundfile.read(str(kick), dtype="float32")
    for exponent in (0, 3, 8):
        pairs = np.frombuffer(browser.get(f"/api/audio/{audio}/peaks/{exponent}/0").content, "<i2").reshape(-1, 2)
        stretch = mono[: len(pairs) << exponent]
        assert pairs[:, 1].max() == pytest.approx(stretch.max() * 32767, abs=2) and pairs[:, 0].min() == pytest.approx(stretch.min() * 32767, abs=2)


def test_the_front_ends_types_are_those_of_the_server() -> None:
    from nubrak.command.interface import environment, schema_text
    from nubrak.command.places import INTERFACE

    assert schema_text(environment()) == (INTERFACE / "src" / "api" / "schema.ts").read_text()
