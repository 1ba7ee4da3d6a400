"""Live playing over a web socket: the simulated stage and a page's microphone."""

from __future__ import annotations

import json
import struct
import time
from io import BytesIO
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from mido import MidiFile

from tests.conftest import decaying_strokes, write_wav
from tests.web.conftest import Browser

HEADERS = {"host": "127.0.0.1:8137"}
RATE_HZ = 44100


def asked(parts: list[str], **more: Any) -> str:
    return json.dumps({"origin": "stage", "part_ids": parts, "rate_hz": RATE_HZ, **more})


def until(socket: Any, so: Any) -> tuple[dict[str, Any], list[dict[str, Any]]]:
    """What the server says until something is so, and the strokes that counted on the way."""
    hits: list[dict[str, Any]] = []
    while True:
        said = socket.receive_json()
        assert "problem" not in said, said
        hits += [one for one in said.get("strokes", []) if one["state"] == 1]
        if so(said):
            return said, hits


def test_the_stage_is_listened_to_as_it_plays_and_kept(browser: Browser, played: tuple[str, str]) -> None:
    session, part = played
    with browser.websocket_connect(f"/api/sessions/{session}/live", headers=HEADERS) as socket:
        socket.send_text(asked([part]))
        said, hits = until(socket, lambda one: one.get("ended"))
    offline = browser.get(f"/api/sessions/{session}/overview").json()["parts"][0]["time_s"]
    assert np.allclose([one["time_s"] for one in hits], offline, atol=0.005)
    assert said["against"] == {"same": 4, "false": 0, "missed": 0}
    latency = said["latency"]
    assert [one["name"] for one in latency["parts"]] == [
        "rise and look-ahead",
        "input block",
        "network",
        "decision",
        "output",
    ]
    assert 5.0 <= latency["median_ms"] <= latency["most_ms"]
    (line,) = browser.get(f"/api/sessions/{session}/live").json()
    assert (line["id"], line["strokes"]) == (said["take_id"], 4)
    assert browser.get(f"/api/sessions/{session}/live/{line['id']}/differences").json() == []
    midi = browser.get(f"/api/sessions/{session}/live/{line['id']}/midi")
    notes = [m for track in MidiFile(file=BytesIO(midi.content)).tracks for m in track]
    assert sum(m.type == "note_on" and m.velocity > 0 for m in notes) == 4
    browser.delete(f"/api/sessions/{session}/live/{line['id']}")
    assert browser.get(f"/api/sessions/{session}/live").json() == []


def blocks(samples: np.ndarray, size: int = 128, first: int = 0) -> list[bytes]:
    """What a page sends of samples (frames,) or (frames, c) from the ``first`` that is played on."""
    return [
        struct.pack("<dQ", 1000.0 * at / RATE_HZ, first + at)
        + samples[at : at + size].astype("<f4").tobytes()
        for at in range(0, len(samples), size)
    ]


def test_a_microphone_is_decided_block_by_block_and_settings_change_meanwhile(
    browser: Browser, played: tuple[str, str]
) -> None:
    session, part = played
    sound = decaying_strokes([0.25, 0.75, 1.25, 1.75], [0.8, 0.7, 0.2, 0.75], 2.2, hz=60)
    with browser.websocket_connect(f"/api/sessions/{session}/live", headers=HEADERS) as socket:
        socket.send_text(asked([part], origin="microphone"))
        (known,) = socket.receive_json()["parts"]
        assert known["learnt_from"] == 4
        for block in blocks(sound):
            socket.send_bytes(block)
        # From here on nothing so soft counts.
        socket.send_text(json.dumps({"find": {part: {"threshold_db": 0.0}}}))
        for block in blocks(sound):
            socket.send_bytes(block)
        socket.send_text(json.dumps({"stop": True}))
        said, hits = until(socket, lambda one: one.get("ended"))
    assert len(hits) == 4
    assert said["heard_s"] == pytest.approx(2 * len(sound) / RATE_HZ)


def test_what_was_played_is_kept_when_the_page_goes_away(browser: Browser, played: tuple[str, str]) -> None:
    session, part = played
    sound = decaying_strokes([0.25, 0.75], [0.8, 0.7], 1.2, hz=60)
    with browser.websocket_connect(f"/api/sessions/{session}/live", headers=HEADERS) as socket:
        socket.send_text(asked([part], origin="microphone"))
        for block in blocks(sound):
            socket.send_bytes(block)
        until(socket, lambda one: any(s["time_s"] > 0.7 for s in one.get("strokes", [])))
    # It is kept once the server knows that the page is gone.
    deadline = time.monotonic() + 30
    while not (kept := browser.get(f"/api/sessions/{session}/live").json()):
        assert time.monotonic() < deadline
        time.sleep(0.05)
    assert kept[0]["strokes"] == 2
    # It was not recorded: what the part holds already is no other opinion of it.
    answer = browser.get(f"/api/sessions/{session}/live/{kept[0]['id']}/differences")
    assert answer.status_code == 422 and "was not recorded" in answer.json()["what"]


def test_what_a_microphone_played_is_looked_at_again_where_it_was_recorded(
    browser: Browser, played: tuple[str, str]
) -> None:
    session, part = played
    times = [0.25, 0.75, 1.25, 1.75]
    sound = decaying_strokes(times, [0.8, 0.7, 0.6, 0.75], 2.2, hz=60)
    with (
        browser.websocket_connect(f"/api/sessions/{session}/live", headers=HEADERS) as live,
        browser.websocket_connect(f"/api/sessions/{session}/record", headers=HEADERS) as record,
    ):
        live.send_text(asked([part], origin="microphone", start_s=4.0))
        record.send_json({"asked": {"rate_hz": RATE_HZ, "start_s": 4.0, "piece": "kick"}})
        pass_id = record.receive_json()["stream_id"]
        record.send_bytes(struct.pack("<Q", 0) + sound.astype("<f4").tobytes())
        record.receive_json()
        live.send_text(json.dumps({"pass_id": pass_id}))
        # The last stroke is heard when it is recorded, and not live.
        for block in blocks(sound[: round(1.6 * RATE_HZ)]):
            live.send_bytes(block)
        live.send_text(json.dumps({"stop": True}))
        record.send_json({"finish": True})
        record.receive_json()
        said, hits = until(live, lambda one: one.get("ended"))
    assert len(hits) == 3
    browser.work(session)
    take = f"/api/sessions/{session}/live/{said['take_id']}"
    # What was played until it stopped is the same in both: Find looks at the recording, not at the old part.
    assert browser.get(f"{take}/differences").json() == []
    document = browser.get(f"/api/sessions/{session}").json()["document"]
    assert document["parts"][f"of-{pass_id}"]["piece"] == "kick"


def test_what_is_left_out_on_the_way_moves_nothing_that_comes_after(
    browser: Browser, played: tuple[str, str]
) -> None:
    session, part = played
    sound = decaying_strokes([0.25, 0.75, 1.25, 1.75], [0.8, 0.7, 0.6, 0.75], 2.2, hz=60)
    # The page played for a tenth of a second before it was connected, and half a second is lost on the way.
    parts = [(round(a * RATE_HZ), round(b * RATE_HZ)) for a, b in ((0.1, 1.0), (1.5, 2.2))]
    with browser.websocket_connect(f"/api/sessions/{session}/live", headers=HEADERS) as socket:
        socket.send_text(asked([part], origin="microphone", start_s=4.0))
        for begin, end in parts:
            for block in blocks(sound[begin:end], first=begin):
                socket.send_bytes(block)
        socket.send_text(json.dumps({"stop": True}))
        _, hits = until(socket, lambda one: one.get("ended"))
    assert np.allclose([one["time_s"] + 0.1 for one in hits], [0.25, 0.75, 1.75], atol=0.005)
    (line,) = browser.get(f"/api/sessions/{session}/live").json()
    assert line["start_s"] == pytest.approx(4.1, abs=1 / RATE_HZ)
    assert line["length_s"] == pytest.approx(2.1, abs=0.01)


def test_several_channels_are_several_parts_and_recorded_as_such(browser: Browser, tmp_path: Path) -> None:
    session = browser.session()
    struck = {"kick": [0.25, 1.25], "snare": [0.75, 1.75]}
    hz = {"kick": 60.0, "snare": 330.0}
    sound = {piece: decaying_strokes(at, [0.8, 0.5], 2.2, hz=hz[piece]) for piece, at in struck.items()}
    for piece, one in sound.items():
        browser.drop(session, write_wav(tmp_path / f"{piece}.wav", one))
    browser.work(session)
    parts = browser.get(f"/api/sessions/{session}").json()["document"]["parts"]
    ids = {one["piece"]: key for key, one in parts.items()}
    both = np.stack([sound["kick"], sound["snare"]], axis=1)
    with (
        browser.websocket_connect(f"/api/sessions/{session}/live", headers=HEADERS) as live,
        browser.websocket_connect(f"/api/sessions/{session}/record", headers=HEADERS) as record,
    ):
        live.send_text(asked([ids["kick"], ids["snare"]], origin="microphone", start_s=4.0))
        record.send_json(
            {"asked": {"rate_hz": RATE_HZ, "start_s": 4.0, "channels": 2, "pieces": ["kick", "snare"]}}
        )
        pass_id = record.receive_json()["stream_id"]
        record.send_bytes(struct.pack("<Q", 0) + both.astype("<f4").tobytes())
        record.receive_json()
        for block in blocks(both):
            live.send_bytes(block)
        live.send_text(json.dumps({"stop": True, "pass_id": pass_id}))
        record.send_json({"finish": True})
        record.receive_json()
        said, hits = until(live, lambda one: one.get("ended"))
    for piece, at in struck.items():
        assert np.allclose([h["time_s"] for h in hits if h["part_id"] == ids[piece]], at, atol=0.005)
    document = browser.get(f"/api/sessions/{session}").json()["document"]
    made = {key: one["piece"] for key, one in document["parts"].items() if key.startswith(f"of-{pass_id}")}
    assert list(made.values()) == ["kick", "snare"]
    rooms = {document["sources"][document["parts"][key]["sources"][0]]["room"] for key in made}
    assert rooms == {pass_id}, "both were recorded at once, and none of the files with them"
    browser.work(session)
    assert browser.get(f"/api/sessions/{session}/live/{said['take_id']}/differences").json() == []


def test_a_kit_is_learnt_in_ten_seconds(browser: Browser, tmp_path: Path) -> None:
    session = browser.session()
    path = write_wav(tmp_path / "kick.wav", decaying_strokes([0.5], [0.5], 1.0, hz=60))
    state = browser.drop(session, path)
    (part,) = state["document"]["parts"]
    played = decaying_strokes(np.arange(0.5, 9.0, 0.5).tolist(), ([0.1, 0.8, 0.4] * 6)[:17], 10.4, hz=60)
    with browser.websocket_connect(f"/api/sessions/{session}/live", headers=HEADERS) as socket:
        socket.send_text(asked([part], origin="microphone", calibrates=True))
        (window,) = socket.receive_json()["parts"]
        assert 0 <= window["asked_from_s"] < window["asked_to_s"] <= 10.0
        for block in blocks(played, 4096):
            socket.send_bytes(block)
        until(socket, lambda one: one.get("learnt"))
        socket.send_text(json.dumps({"stop": True}))
        said, _ = until(socket, lambda one: one.get("ended"))
    assert said["heard_s"] > 10.0
    # It stays with the session: the next time it is known from the start, and for these parts only.
    for origin, learnt in (("microphone", range(10, 18)), ("stage", range(2))):
        with browser.websocket_connect(f"/api/sessions/{session}/live", headers=HEADERS) as socket:
            socket.send_text(asked([part], origin=origin))
            (known,) = socket.receive_json()["parts"]
            socket.send_text(json.dumps({"stop": True}))
            until(socket, lambda one: one.get("ended"))
        assert known["learnt_from"] in learnt


@pytest.mark.parametrize("word", ["nothing", "{}", '{"origin": "stage", "part_ids": []}'])
def test_what_cannot_be_listened_to_is_refused(browser: Browser, word: str) -> None:
    session = browser.session()
    with browser.websocket_connect(f"/api/sessions/{session}/live", headers=HEADERS) as socket:
        socket.send_text(word)
        assert socket.receive()["type"] == "websocket.close"


def test_a_part_that_is_gone_is_said_so(browser: Browser) -> None:
    session = browser.session()
    with browser.websocket_connect(f"/api/sessions/{session}/live", headers=HEADERS) as socket:
        socket.send_text(asked(["gone"]))
        assert "not in the session" in socket.receive_json()["problem"]
