"""What the Shape bench asks for: columns, feel, tempo, MIDI back, parts without a source, the sound
module.
"""

from __future__ import annotations

from io import BytesIO
from pathlib import Path

import mido
import numpy as np
import pytest
from sqlalchemy import delete
from sqlalchemy.orm import Session as Db

from nubrak.demo.load import starter_kit
from nubrak.store.kits import put_kit
from nubrak.store.tables import KitRow
from tests.conftest import write_wav
from tests.web.conftest import Browser
from tests.web.test_shape_routes import TIMES, edit, midi


def shaped(browser: Browser, session: str, part: str, **body: object) -> dict:
    answer = browser.post(f"/api/sessions/{session}/parts/{part}/shape", json=body)
    assert answer.status_code == 200, answer.text
    return dict(answer.json())


def revision(browser: Browser, session: str) -> int:
    return int(browser.get(f"/api/sessions/{session}").json()["revision"])


def test_columns_say_where_every_note_comes_from_and_how_it_lies(
    browser: Browser, played: tuple[str, str]
) -> None:
    session, part = played
    edit(browser, session, {"kind": "set_tempo", "changes": {"bpm": 120}})
    edit(
        browser,
        session,
        {
            "kind": "set_shape",
            "part_id": part,
            "changes": {"steps": [{"kind": "raise", "by": -5}], "timing": {"shift_ms": 10}},
        },
    )
    edit(
        browser,
        session,
        {
            "kind": "set_pattern",
            "part_id": part,
            "notes": {"beside": {"time_s": 2.0, "velocity": 77, "fixed": True}},
        },
    )
    edit(
        browser,
        session,
        {"kind": "set_notes", "part_id": part, "notes": {"h": {"time_s": TIMES[1], "velocity": 9}}},
    )
    columns = shaped(browser, session, part, grid={"step": 16})
    assert np.allclose(columns["time_s"], [*(t + 0.01 for t in TIMES), 2.0], atol=0.0005)
    assert columns["found_s"][-1] is None and columns["pattern_id"] == ["", "", "", "", "beside"]
    assert columns["by_hand"] == [False, True, False, False, True] and columns["velocity"][1] == 9
    assert columns["velocity"][0] == pytest.approx(columns["played"][0] - 5, abs=0.6)
    # 120 bpm: a sixteenth is 125 ms; 0.25 s is the third step of bar 1, 10 ms late
    assert columns["step"] == [2, 6, 10, 14, 0] and columns["bar"] == [1, 1, 1, 1, 2]
    assert np.allclose(columns["late_ms"], [10, 10, 10, 10, 0], atol=0.5)
    assert columns["step_labels"][:5] == ["1", "e", "+", "a", "2"] and columns["touched"] == [5]
    before = shaped(browser, session, part, before=True)
    assert np.allclose(before["time_s"][:4], TIMES, atol=0.0005)
    draft = shaped(browser, session, part, shape={"steps": [{"kind": "set", "velocity": 50}]})
    assert draft["velocity"] == [50, 9, 50, 50, 77]


def test_a_feel_is_taken_kept_and_laid_on_another_part(browser: Browser, played: tuple[str, str]) -> None:
    session, part = played
    edit(browser, session, {"kind": "set_tempo", "changes": {"bpm": 120}})
    edit(
        browser,
        session,
        {
            "kind": "add_parts",
            "parts": {
                "flat": {
                    "piece": "snare",
                    "notes": {f"n{i}": {"time_s": t - 0.02} for i, t in enumerate(TIMES)},
                }
            },
        },
    )
    state = browser.post(
        f"/api/sessions/{session}/parts/{part}/feel",
        json={"revision": revision(browser, session), "name": "lamplighter", "grid": {"step": 16}},
    ).json()
    assert state["undo"] == "Keep the feel “lamplighter”"
    (feel,) = state["document"]["feels"].values()
    assert [one["count"] for one in feel["steps"]] == [0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1, 0]
    few = browser.post(
        f"/api/sessions/{session}/parts/{part}/feel", json={"revision": 0, "name": "", "grid": {}}
    )
    assert few.status_code == 422


def test_tempo_is_told_tapped_and_taken_from_a_file(browser: Browser, played: tuple[str, str]) -> None:
    session, _ = played
    assert browser.post("/api/tempo/tapped", json={"time_s": [1.0, 1.6, 2.2, 2.8]}).json()[
        "bpm"
    ] == pytest.approx(100)
    assert browser.post("/api/tempo/tapped", json={"time_s": [1.0]}).json()["bpm"] is None
    few = browser.post(f"/api/sessions/{session}/tempo/guesses", json={}).json()
    assert few == {"told": None, "hits": 4}
    file = mido.MidiFile()
    track = mido.MidiTrack(
        [
            mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(90)),
            mido.MetaMessage("time_signature", numerator=3, denominator=4),
            mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(120), time=480),
        ]
    )
    file.tracks.append(track)
    buffer = BytesIO()
    file.save(file=buffer)
    before = midi(browser, session)
    state = browser.post(
        f"/api/sessions/{session}/tempo/midi",
        params={"revision": revision(browser, session)},
        content=buffer.getvalue(),
    ).json()
    tempo = state["document"]["tempo"]
    assert (tempo["bpm"], tempo["beats_per_bar"], len(tempo["changes"])) == (
        pytest.approx(90, abs=0.001),
        3,
        1,
    )
    assert mido.MidiFile(file=BytesIO(before)).length == pytest.approx(
        mido.MidiFile(file=BytesIO(midi(browser, session))).length, abs=0.4
    )


def test_a_file_edited_elsewhere_is_listed_and_taken(browser: Browser, played: tuple[str, str]) -> None:
    session, part = played
    file = mido.MidiFile(file=BytesIO(midi(browser, session)))
    first = next(message for message in file.tracks[1] if message.type == "note_on" and message.velocity)
    first.velocity = 12
    buffer = BytesIO()
    file.save(file=buffer)
    found = browser.post(f"/api/sessions/{session}/midi/changes", content=buffer.getvalue()).json()
    assert found["same"] == 3 and [one["kind"] for one in found["proposals"]] == ["changed"]
    mark = found["proposals"][0]["mark"]
    state = edit(browser, session, {"kind": "take_changes", "marks": {part: {"m": mark}}})
    assert state["undo"] == "Take 1 change made elsewhere"
    assert shaped(browser, session, part)["velocity"][0] == 12
    for damaged in (b"", b"MThd", b"RIFF....", buffer.getvalue()[:40]):
        answer = browser.post(f"/api/sessions/{session}/midi/changes", content=damaged)
        assert answer.status_code == 422 and answer.json()["what"] and answer.json()["kept"]


def test_midi_and_lists_come_in_as_parts_and_go_again(browser: Browser, played: tuple[str, str]) -> None:
    session, part = played
    whole = midi(browser, session)
    listed = browser.get(f"/api/sessions/{session}/print/hits", params={"form": "csv"}).content
    state = browser.post(
        f"/api/sessions/{session}/midi/parts", params={"revision": revision(browser, session)}, content=whole
    ).json()
    assert len(state["document"]["parts"]) == 2
    state = browser.post(
        f"/api/sessions/{session}/hits", params={"revision": state["revision"]}, content=listed
    ).json()
    beside = [key for key, one in state["document"]["parts"].items() if not one["sources"]]
    assert len(beside) == 2
    for key in beside:
        columns = shaped(browser, session, key)
        assert np.allclose(columns["time_s"], TIMES, atol=0.001) and len(set(columns["pattern_id"])) == 4
    names = {one["name"] for one in browser.get(f"/api/sessions/{session}/overview").json()["parts"]}
    assert names == {"Kick 1", "Kick 2", "Kick 3"}
    refused = browser.post(
        f"/api/sessions/{session}/edits",
        json={"revision": revision(browser, session), "action": {"kind": "remove_part", "part_id": part}},
    )
    assert refused.status_code == 422 and "fed by a recording" in refused.json()["what"]
    edit(browser, session, {"kind": "remove_part", "part_id": beside[0]})
    source = next(iter(state["document"]["sources"]))
    left = edit(browser, session, {"kind": "remove_source", "source_id": source})
    assert list(left["document"]["parts"]) == [beside[1]], (
        "a part without a recording stays when a recording goes"
    )
    stretch = {"revision": left["revision"], "start_s": 0.0, "end_s": 2.0, "times": 2}
    browser.post(f"/api/sessions/{session}/parts/{beside[1]}/repeat", json=stretch)
    assert len(shaped(browser, session, beside[1])["time_s"]) == 12
    again = stretch | {"revision": revision(browser, session)}
    assert browser.post(f"/api/sessions/{session}/parts/{beside[1]}/repeat", json=again).status_code == 422, (
        "twice doubles nothing"
    )
    assert browser.get(f"/api/sessions/{session}/overview").json()["length_s"] == pytest.approx(
        5.75 + 1.0, abs=0.01
    )


def test_copies_of_one_sound_are_told(browser: Browser, played: tuple[str, str], tmp_path: Path) -> None:
    session, part = played
    found = browser.get(f"/api/sessions/{session}/parts/{part}/same").json()
    assert not found["programmed"] and "a sound of its own" in found["said"]
    one = np.exp(-np.arange(4410) / 900) * np.random.default_rng(2).standard_normal(4410) * 0.2
    audio = np.zeros(44100 * 3)
    for time_s, gain in ((0.5, 1.0), (1.0, 0.6), (1.5, 1.0), (2.0, 0.8), (2.5, 1.0)):
        audio[round(time_s * 44100) :][: len(one)] += gain * one
    state = browser.drop(session, write_wav(tmp_path / "programmed snare.wav", audio.astype(np.float32)))
    snare = next(key for key, one in state["document"]["parts"].items() if key != part)
    found = browser.get(f"/api/sessions/{session}/parts/{snare}/same").json()
    assert (
        set(found["group"]) == {0}
        and found["programmed"]
        and "5 of 5 hits are copies of 1 sound" in found["said"]
    )


def test_note_maps_go_out_and_in(browser: Browser, played: tuple[str, str]) -> None:
    session, _ = played
    edit(browser, session, {"kind": "set_note_map", "note_map": {"name": "Theatre", "notes": {"kick": 24}}})
    text = browser.get(f"/api/sessions/{session}/print/note-map").content
    read = browser.post("/api/note-map", params={"name": "x.csv"}, content=text + b"nobody,12,\r\n").json()
    assert read["note_map"] == {"name": "Theatre", "notes": {"kick": 24}} and len(read["skipped"]) == 1
    lines = browser.get(f"/api/sessions/{session}/note-map").json()
    assert (
        lines["name"] == "Theatre" and {line["piece"]: line["note"] for line in lines["lines"]}["kick"] == 24
    )
    assert lines["called"]["36"] == "Bass drum 1"
    assert browser.post("/api/note-map", content=b"\xff\xfe").status_code == 422
    for notes in ({"kick": 24}, {"kick": 25}):
        assert browser.put("/api/note-maps", json={"name": "Theatre", "notes": notes}).status_code == 204
    assert browser.get("/api/note-maps").json() == [{"name": "Theatre", "notes": {"kick": 25}}]
    assert (
        browser.delete("/api/note-maps/Theatre").status_code == 204
        and browser.get("/api/note-maps").json() == []
    )
    assert browser.delete("/api/note-maps/Theatre").status_code == 404


def test_notes_to_send_are_every_part_in_order(browser: Browser, played: tuple[str, str]) -> None:
    session, part = played
    edit(
        browser,
        session,
        {
            "kind": "add_parts",
            "parts": {"claps": {"piece": "clap", "notes": {"c": {"time_s": 0.5, "velocity": 33}}}},
        },
    )
    edit(
        browser, session, {"kind": "set_shape", "part_id": part, "changes": {"channel": 3, "length_beats": 1}}
    )
    notes = browser.get(f"/api/sessions/{session}/notes").json()
    assert notes["note"] == [36, 39, 36, 36, 36] and notes["channel"] == [3, 10, 3, 3, 3]
    assert np.allclose(notes["length_s"], [0.5, 0.25, 0.5, 0.5, 0.5])
    assert browser.get(f"/api/sessions/{session}/notes", params={"part": "claps"}).json()["velocity"] == [33]


def test_the_sound_module_answers_note_ons_with_sound(browser: Browser) -> None:
    desk = browser.app.state.desk  # type: ignore[attr-defined]
    put_kit(desk.engine, "a-kit", starter_kit(desk.engine))
    try:
        _plays(browser)
    finally:
        # The database is shared; a kit that stays would look like a finished installation.
        with Db(desk.engine) as db, db.begin():
            db.execute(delete(KitRow).where(KitRow.id == "a-kit"))


def _plays(browser: Browser) -> None:
    with browser.websocket_connect("/api/module", headers={"host": "127.0.0.1:8137"}) as module:
        module.send_bytes(bytes([0x99, 36, 127]))
        loud = module.receive_bytes()
        module.send_bytes(bytes([0x99, 36]))
        module.send_bytes(bytes([40, 0x89, 36, 0, 0x99, 42, 100]))
        soft, hat = module.receive_bytes(), module.receive_bytes()
    assert tuple(loud[:3]) == (36, 127, 0) and tuple(hat[:3]) == (42, 100, 1)
    peaks = [np.abs(np.frombuffer(frame[4:], "<f4")).max() for frame in (loud, soft)]
    assert peaks[0] > 0.05 and peaks[1] < peaks[0] / 3
