"""A tempo is told once a session is looked through and never assumed unseen; rooms have no notes."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from tests.conftest import decaying_strokes, write_wav
from tests.web.conftest import Browser

BPM = 117.0
BEAT_S = 60.0 / BPM


def groove(folder: Path) -> list[Path]:
    """Eight bars of a backbeat at 117 bpm."""
    beats = np.arange(32)
    kick = decaying_strokes((0.4 + beats[::2] * BEAT_S).tolist(), [0.8] * 16, 17.5, hz=60)
    snare = decaying_strokes((0.4 + beats[1::2] * BEAT_S).tolist(), [0.7] * 16, 17.5, hz=190, seed=8)
    return [write_wav(folder / "kick.wav", kick), write_wav(folder / "snare.wav", snare)]


@pytest.fixture
def session(browser: Browser, tmp_path: Path) -> str:
    made = browser.session()
    for path in groove(tmp_path):
        browser.drop(made, path)
    return made


def tempo_of(browser: Browser, session: str) -> dict:
    return dict(browser.get(f"/api/sessions/{session}").json()["document"]["tempo"])


def act(browser: Browser, session: str, action: dict) -> int:
    revision = browser.get(f"/api/sessions/{session}").json()["revision"]
    body = {"revision": revision, "action": action}
    return browser.post(f"/api/sessions/{session}/edits", json=body).status_code


def quantise(browser: Browser, session: str) -> int:
    document = browser.get(f"/api/sessions/{session}").json()["document"]
    part = next(iter(document["parts"]))
    timing = {"quantise": {"on": True}}
    return act(browser, session, {"kind": "set_shape", "part_id": part, "changes": {"timing": timing}})


def test_a_tempo_is_told_by_itself_and_is_no_edit(browser: Browser, session: str) -> None:
    assert browser.get(f"/api/sessions/{session}/overview").json()["tempo_offer"] is None
    told = tempo_of(browser, session)
    assert told["known"] == "told" and told["bpm"] == pytest.approx(BPM, rel=0.003)
    assert told["bar_one_s"] == pytest.approx(0.4, abs=0.02)
    revision = browser.get(f"/api/sessions/{session}").json()["revision"]
    undone = browser.post(f"/api/sessions/{session}/undo", json={"revision": revision}).json()
    assert undone["document"]["tempo"]["known"] == "told", "undo takes back what a person did"


def test_nothing_is_drawn_to_a_grid_before_a_tempo_is_known(browser: Browser, tmp_path: Path) -> None:
    session = browser.session()
    for path in groove(tmp_path):
        browser.bring(session, path)
    assert quantise(browser, session) == 422
    base = f"/api/sessions/{session}"
    assert browser.get(f"{base}/best-bar").status_code == 422
    browser.work(session)
    assert quantise(browser, session) == 200
    assert browser.get(f"{base}/best-bar").status_code == 200


def test_what_a_person_says_of_the_tempo_stands(browser: Browser, session: str) -> None:
    assert act(browser, session, {"kind": "set_tempo", "changes": {"known": "none"}}) == 200
    browser.work(session)
    assert tempo_of(browser, session)["known"] == "none" and quantise(browser, session) == 422
    assert act(browser, session, {"kind": "set_tempo", "changes": {"bpm": 60.0}}) == 200
    browser.work(session)
    said = tempo_of(browser, session)
    assert (said["known"], said["bpm"]) == ("set", 60.0)


def test_a_feel_at_a_quarter_grid_under_60_bpm_is_shown(browser: Browser, session: str) -> None:
    act(browser, session, {"kind": "set_tempo", "changes": {"bpm": 40.0, "bar_one_s": 0.7}})
    part = next(iter(browser.get(f"/api/sessions/{session}").json()["document"]["parts"]))
    answer = browser.post(f"/api/sessions/{session}/parts/{part}/shape", json={"grid": {"step": 4}})
    assert answer.status_code == 200
    assert max(abs(late) for late in answer.json()["late_ms"]) > 500


def test_a_room_is_heard_and_has_no_notes(browser: Browser, session: str, tmp_path: Path) -> None:
    kick = decaying_strokes((0.4 + np.arange(32) * BEAT_S).tolist(), [0.3] * 32, 17.5, hz=120)
    state = browser.drop(session, write_wav(tmp_path / "Room far.wav", kick))
    rooms = [key for key, part in state["document"]["parts"].items() if part["piece"] == "room"]
    assert len(rooms) == 1
    overview = browser.get(f"/api/sessions/{session}/overview").json()["parts"]
    [room] = [one for one in overview if one["part_id"] == rooms[0]]
    assert room["time_s"] == [] and room["progress"] == 1
    heard = browser.get(
        f"/api/sessions/{session}/sound/recording", params={"start": 0, "frames": 44100, "part": rooms[0]}
    )
    assert np.frombuffer(heard.content, "<f4").any()
    places = browser.get(f"/api/sessions/{session}/second-look").json()["places"]
    assert all(place["part_id"] != rooms[0] for place in places)


@pytest.mark.parametrize(
    ("method", "path", "body", "said"),
    [
        ("get", "/sound/recording?start=0&frames=100&find=%7B%22rise_db%22%3A1000%7D", None, "rise db"),
        ("post", "/hits", b"part,piece,time_s\r\nA,kick,soon\r\n", "time_s"),
    ],
)
def test_what_does_not_fit_is_a_sentence(
    browser: Browser, session: str, method: str, path: str, body: bytes | None, said: str
) -> None:
    state = browser.get(f"/api/sessions/{session}").json()
    part = next(iter(state["document"]["parts"]))
    url = f"/api/sessions/{session}{path}"
    if method == "get":
        answer = browser.get(f"{url}&part={part}")
    else:
        answer = browser.post(url, params={"revision": state["revision"]}, content=body)
    assert answer.status_code == 422 and said in answer.json()["what"], answer.text


def test_one_instrument_too_many_is_refused_and_the_library_stays_readable(browser: Browser) -> None:
    kit = browser.post("/api/kits", json={"name": "Full"}).json()["kit_id"]
    sample = browser.post("/api/samples", params={"name": "s.wav"}, content=write_wav_bytes()).json()
    desk = browser.app.state.desk  # type: ignore[attr-defined]
    from nubrak.core.samples.kit import MOST_INSTRUMENTS, Instrument
    from nubrak.store.kits import change_kit

    many = {f"i{number}": Instrument.model_validate(sample) for number in range(MOST_INSTRUMENTS)}
    change_kit(desk.engine, kit, lambda one: one.model_copy(update={"instruments": many}))
    refused = browser.put(f"/api/kits/{kit}/instruments/more", json=sample)
    assert refused.status_code == 422 and f"at most {MOST_INSTRUMENTS}" in refused.json()["what"]
    assert len(browser.get("/api/library").json()["kits"][kit]["instruments"]) == MOST_INSTRUMENTS


def write_wav_bytes() -> bytes:
    from io import BytesIO

    import soundfile

    out = BytesIO()
    soundfile.write(out, decaying_strokes([0.02], [0.5], 0.3), 44100, format="WAV")
    return out.getvalue()


def test_a_session_that_nobody_named_is_called_by_the_folder_of_its_first_file(
    browser: Browser, tmp_path: Path
) -> None:
    session = browser.post("/api/sessions", json={}).json()["id"]
    path = write_wav(tmp_path / "kick.wav", decaying_strokes([0.2, 0.7], [0.5, 0.5], 1.2, hz=60))

    def brought(name: str) -> dict:
        address = f"/api/sessions/{session}/sources"
        return dict(browser.post(address, params={"name": name}, content=path.read_bytes()).json())

    first = brought("Act two/kick.wav")
    assert first["document"]["name"] == "Act two"
    assert [one["name"] for one in first["document"]["sources"].values()] == ["kick.wav"]
    assert brought("Act three/snare.wav")["document"]["name"] == "Act two"
    named = browser.post("/api/sessions", json={"name": "By hand"}).json()["id"]
    session = named
    assert brought("Act two/kick.wav")["document"]["name"] == "By hand"
    state = browser.post(f"/api/sessions/{first['id']}/undo", json={"revision": first["revision"] + 1}).json()
    state = browser.post(f"/api/sessions/{first['id']}/undo", json={"revision": state["revision"]}).json()
    assert state["document"]["name"] == "Untitled session" and not state["document"]["sources"]
