"""A microphone comes in over a web socket and is kept while it comes."""

from __future__ import annotations

import errno
import struct
from typing import Any

import numpy as np
import pytest
from fastapi.testclient import TestClient
from numpy.typing import NDArray
from starlette.testclient import WebSocketTestSession

from nubrak.core.mix import tick
from nubrak.desk import recording
from nubrak.store import streams
from tests.conftest import decaying_strokes
from tests.web.conftest import Browser

RATE_HZ = 44100
HEADERS = {"host": "127.0.0.1:8137"}
PLAYED = decaying_strokes([0.30, 0.80, 1.30, 1.80], [0.7, 0.3, 0.7, 0.5], 2.4, hz=900)


def asked(**more: Any) -> dict[str, Any]:
    return {"asked": {"rate_hz": RATE_HZ, "channels": 1, "start_s": 0.0, "piece": "clap", **more}}


def lot(first: int, samples: NDArray[np.float32]) -> bytes:
    return struct.pack("<Q", first) + samples.astype("<f4").tobytes()


def connected(browser: TestClient, session: str) -> WebSocketTestSession:
    return browser.websocket_connect(f"/api/sessions/{session}/record", headers=HEADERS)


def sent(socket: WebSocketTestSession, samples: NDArray[np.float32], first: int = 0, size: int = 8192) -> int:
    kept = first
    for at in range(first, len(samples), size):
        socket.send_bytes(lot(at, samples[at : at + size]))
        kept = socket.receive_json()["kept"]
    return kept


def sources(browser: Browser, session: str) -> dict[str, Any]:
    found: dict[str, Any] = browser.get(f"/api/sessions/{session}").json()["document"]["sources"]
    return found


def recorded(browser: Browser, session: str, samples: NDArray[np.float32], **more: Any) -> dict[str, Any]:
    """A whole pass; the sources after it."""
    with connected(browser, session) as socket:
        socket.send_json(asked(**more))
        assert socket.receive_json()["kept"] == 0
        assert sent(socket, samples) == len(samples)
        socket.send_json({"finish": True})
        assert socket.receive_json()["finished"]
    return sources(browser, session)


def test_a_pass_becomes_a_source_with_its_hits_to_the_sample(browser: Browser) -> None:
    session = browser.session()
    (source,) = recorded(browser, session, PLAYED, round_trip_s=0.05).values()
    browser.work(session)
    desk = browser.app.state.desk  # type: ignore[attr-defined]
    clip = source["clips"][0]
    audio = np.asarray(desk.cache.decoded(clip["audio"]))[:, 0]
    skipped = round(0.05 * RATE_HZ)
    assert clip["start_s"] == 0.0
    assert np.array_equal(audio, PLAYED[skipped:]), "32-bit samples come through as they were played"
    (part,) = browser.get(f"/api/sessions/{session}/overview").json()["parts"]
    assert np.allclose(part["time_s"], np.array([0.30, 0.80, 1.30, 1.80]) - 0.05, atol=0.003)
    later = recorded(browser, session, PLAYED, start_s=2.0, round_trip_s=0.01, piece="kick")
    placed = next(one for one in later.values() if one["name"].startswith("Kick"))
    assert placed["clips"][0]["start_s"] == pytest.approx(round(1.99 * RATE_HZ) / RATE_HZ, abs=1e-9)


def test_a_page_that_was_cut_off_goes_on_where_it_was(browser: Browser) -> None:
    session = browser.session()
    with connected(browser, session) as socket:
        socket.send_json(asked())
        stream_id = socket.receive_json()["stream_id"]
        kept = sent(socket, PLAYED[:40000])
    with connected(browser, session) as socket:
        socket.send_json({"stream_id": stream_id})
        assert socket.receive_json()["kept"] == kept == 40000
        # Some of it is sent once more, as by a page that did not see the last word.
        socket.send_bytes(lot(30000, PLAYED[30000:50000]))
        assert socket.receive_json()["kept"] == 50000
        sent(socket, PLAYED, 50000)
        socket.send_json({"finish": True})
        socket.receive_json()
    (source,) = sources(browser, session).values()
    desk = browser.app.state.desk  # type: ignore[attr-defined]
    assert np.array_equal(np.asarray(desk.cache.decoded(source["clips"][0]["audio"]))[:, 0], PLAYED)


def test_what_came_in_before_everything_went_away_is_a_take(browser: Browser) -> None:
    session = browser.session()
    with connected(browser, session) as socket:
        socket.send_json(asked())
        socket.receive_json()
        sent(socket, PLAYED[:60000])
    assert not sources(browser, session)
    # Nobody is sending any more: as after the server was killed, when only the database remembers.
    for names in (["Claps pass 1"], []):
        answer = browser.post(f"/api/sessions/{session}/recordings/cut-off")
        assert [name.split(" pass")[1] for name in answer.json()["names"]] == [
            name.split(" pass")[1] for name in names
        ]
    (source,) = sources(browser, session).values()
    assert source["clips"][0]["length_s"] == pytest.approx(60000 / RATE_HZ)


def test_frames_that_are_missing_or_cut_are_refused_and_what_came_in_is_kept(browser: Browser) -> None:
    session = browser.session()
    with connected(browser, session) as socket:
        socket.send_json(asked())
        stream_id = socket.receive_json()["stream_id"]
        sent(socket, PLAYED[:20000])
        socket.send_bytes(lot(30000, PLAYED[30000:40000]))
        said = socket.receive_json()
        assert "20000 were kept" in said["problem"]
    assert streams.stream_of(browser.app.state.desk.engine, stream_id).frames == 20000  # type: ignore[attr-defined]


def test_a_full_disk_stops_the_pass_and_what_came_in_before_is_a_take(
    browser: Browser, monkeypatch: pytest.MonkeyPatch
) -> None:
    session = browser.session()
    keep = recording.keep_frames

    def full(*given: Any) -> int:
        if given[2] >= 40000:
            raise OSError(errno.ENOSPC, "No space left on device")
        return keep(*given)

    monkeypatch.setattr(recording, "keep_frames", full)
    with connected(browser, session) as socket:
        socket.send_json(asked())
        socket.receive_json()
        sent(socket, PLAYED[:40000], size=8000)
        socket.send_bytes(lot(40000, PLAYED[40000:50000]))
        said = socket.receive_json()
        assert said["problem"] == "The disk is full; the recording stopped."
        assert "kept as a take" in said["kept_so"] and "Make room" in said["todo"]
        assert socket.receive()["code"] == 1013
    assert browser.post(f"/api/sessions/{session}/recordings/cut-off").json()["names"]
    (source,) = sources(browser, session).values()
    assert source["clips"][0]["length_s"] == pytest.approx(40000 / RATE_HZ)


def test_several_channels_become_a_source_each_that_were_recorded_at_once(browser: Browser) -> None:
    session = browser.session()
    both = np.stack([PLAYED, 0.5 * PLAYED], axis=1)
    recorded(browser, session, both, channels=2, pieces=["kick", "snare"])
    found = sources(browser, session)
    assert [one["name"] for one in found.values()] == ["Kick pass 1", "Snare pass 1"]
    assert len({one["room"] for one in found.values()}) == 1
    desk = browser.app.state.desk  # type: ignore[attr-defined]
    for c, one in enumerate(found.values()):
        assert np.array_equal(np.asarray(desk.cache.decoded(one["clips"][0]["audio"])), both[:, c : c + 1])
    # One more pass is of another time: nothing of it can be in those.
    later = recorded(browser, session, PLAYED, piece="kick")
    assert {one["name"]: one["room"] for one in later.values()}["Kick pass 2"] not in {
        one["room"] for one in found.values()
    }


def test_two_windows_do_not_record_into_one_session_at_once(browser: Browser) -> None:
    session = browser.session()
    with connected(browser, session) as first:
        first.send_json(asked())
        first.receive_json()
        with connected(browser, session) as second:
            second.send_json(asked())
            assert "Another window" in second.receive_json()["problem"]
        assert sent(first, PLAYED) == len(PLAYED), "the first goes on"
        first.send_json({"finish": True})
        first.receive_json()
    assert len(sources(browser, session)) == 1


def test_a_recording_of_nothing_leaves_nothing(browser: Browser) -> None:
    session = browser.session()
    with connected(browser, session) as socket:
        socket.send_json(asked())
        socket.receive_json()
        socket.send_json({"finish": True})
        assert socket.receive_json()["finished"]
    assert not sources(browser, session)


@pytest.mark.parametrize(
    "first",
    [
        '{"asked": {"rate_hz": 1}}',
        '{"asked": {"rate_hz": 48000, "start_s": 0, "channels": 2, "pieces": ["kick"]}}',
        "nothing",
        "{}",
    ],
)
def test_what_is_no_recording_is_refused(browser: Browser, first: str) -> None:
    session = browser.session()
    with connected(browser, session) as socket:
        socket.send_text(first)
        assert socket.receive()["type"] in ("websocket.close", "websocket.send")
    assert not sources(browser, session)


def test_another_pass_is_heard_and_bars_are_taken_from_either(browser: Browser) -> None:
    session = browser.session()
    state = browser.get(f"/api/sessions/{session}").json()
    edit = {"kind": "set_tempo", "changes": {"bpm": 240.0}}  # bars of a second
    browser.post(f"/api/sessions/{session}/edits", json={"revision": state["revision"], "action": edit})
    one = decaying_strokes([0.1, 1.1, 2.1], [0.7] * 3, 3.0, hz=900)
    other = decaying_strokes([0.3, 1.3, 2.3], [0.7] * 3, 3.0, hz=900)
    (source_id,) = recorded(browser, session, one)
    after = recorded(browser, session, other, beside=source_id)
    assert list(after) == [source_id]
    assert len(after[source_id]["passes"]) == 2
    browser.work(session)

    def hits() -> list[float]:
        (part,) = browser.get(f"/api/sessions/{session}/overview").json()["parts"]
        return [round(time_s, 2) for time_s in part["time_s"]]

    assert hits() == [0.3, 1.3, 2.3]
    state = browser.get(f"/api/sessions/{session}").json()
    answer = browser.post(
        f"/api/sessions/{session}/sources/{source_id}/bars",
        json={"revision": state["revision"], "chosen": [0, 1, 0]},
    )
    assert answer.status_code == 200, answer.text
    browser.work(session)
    assert hits() == [0.1, 1.3, 2.1]
    # Bars are counted as on the staff, wherever bar 1 begins.
    address = f"/api/sessions/{session}/sources/{source_id}/bars"
    assert [one["number"] for one in browser.get(address).json()] == [1, 2, 3]
    edit = {"kind": "set_tempo", "changes": {"bar_one_s": 0.5}}
    state = browser.get(f"/api/sessions/{session}").json()
    body = {"revision": state["revision"], "action": edit}
    later = browser.post(f"/api/sessions/{session}/edits", json=body)
    assert later.status_code == 200, later.text
    bars = browser.get(address).json()
    assert [one["number"] for one in bars] == [0, 1, 2, 3]
    assert [one["start_s"] for one in bars] == pytest.approx([0.0, 0.5, 1.5, 2.5])
    browser.post(f"/api/sessions/{session}/undo", json={"revision": later.json()["revision"]})
    revision = browser.get(f"/api/sessions/{session}").json()["revision"]
    browser.post(f"/api/sessions/{session}/undo", json={"revision": revision})
    assert hits() == [0.3, 1.3, 2.3]


def test_the_round_trip_is_measured_to_the_sample(browser: Browser) -> None:
    rng = np.random.default_rng(5)
    clicks_s = [0.2, 0.7, 1.2, 1.7]
    late = 3217  # samples
    heard = 0.003 * rng.standard_normal(round(2.6 * RATE_HZ)).astype(np.float32)
    for at in clicks_s:
        begin = round(at * RATE_HZ) + late
        click = tick(RATE_HZ, True)
        heard[begin : begin + len(click)] += 0.2 * click
    query = {"rate_hz": RATE_HZ, "clicks_s": clicks_s}
    answer = browser.post("/api/round-trip", params=query, content=heard.astype("<f4").tobytes())
    assert answer.json()["round_trip_s"] == pytest.approx(late / RATE_HZ, abs=1.1 / RATE_HZ)
    silent = browser.post("/api/round-trip", params=query, content=(heard * 0).tobytes())
    assert silent.status_code == 422
    assert "did not hear the clicks" in silent.json()["what"]


def test_what_just_begins_is_not_taken_for_cut_off(browser: Browser, monkeypatch: pytest.MonkeyPatch) -> None:
    """A page asks for what was cut off soon after it was opened, perhaps just when a pass begins."""
    session = browser.session()
    desk, recordings = browser.app.state.desk, browser.app.state.recordings  # type: ignore[attr-defined]
    begin, listed, taken = recording.begin_stream, recording.streams_of, []

    def begun(*given: Any) -> None:
        begin(*given)
        taken.append(recording.take_up_what_was_cut_off(desk, recordings, session))

    monkeypatch.setattr(recording, "begin_stream", begun)
    (source,) = recorded(browser, session, PLAYED).values()
    assert taken == [[]] and source["clips"][0]["length_s"] == pytest.approx(len(PLAYED) / RATE_HZ)
    # Nor what begins while it is asked which there are.
    monkeypatch.setattr(recording, "begin_stream", begin)

    def listing(*given: Any) -> Any:
        out = recording.begin_pass(desk, recordings, session, recording.PassAsked(**asked()["asked"]))
        taken.append([out])
        return listed(*given)

    monkeypatch.setattr(recording, "streams_of", listing)
    assert recording.take_up_what_was_cut_off(desk, recordings, session) == []
    recordings.let_go(session, taken[1][0])
