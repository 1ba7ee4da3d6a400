"""The way through over HTTP, and everything that can be wrong with a request."""

from __future__ import annotations

import os
from io import BytesIO
from pathlib import Path
from typing import Any

import mido
import numpy as np
import pytest
import soundfile
from httpx import Response
from numpy.typing import NDArray

from tests.conftest import decaying_strokes, kit_files, write_wav
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
    state = browser.post(
        f"/api/sessions/{session}/edits",
        json={
            "revision": 1,
            "action": {"kind": "add_layer", "part_id": part, "layer_id": "l", "instrument": sample},
        },
    ).json()
    midi = mido.MidiFile(
        file=BytesIO(browser.get(f"/api/sessions/{session}/print/midi", params={"part": part}).content)
    )
    starts = [
        tick
        for tick, message in zip(np.cumsum([m.time for m in midi.tracks[1]]), midi.tracks[1], strict=True)
        if message.type == "note_on"
    ]
    assert np.allclose(
        np.array(starts) / 1920, overview["time_s"], atol=0.5 / 1920 + 1e-5
    )  # half a tick from the hits
    assert np.allclose(np.array(starts) / 1920, [0.25, 0.75, 1.25, 1.75], atol=0.001)

    answer = browser.get(
        f"/api/sessions/{session}/print/audio", params={"part": part, "bus": "layers", "depth": "float"}
    )
    printed, rate = soundfile.read(BytesIO(answer.content), dtype="float32")
    assert (
        rate == 44100
        and len(printed) == round(2.2 * 44100)
        and 'filename="T - Kick - layers.wav"' in answer.headers["content-disposition"]
    )
    windows = [
        browser.get(
            f"/api/sessions/{session}/sound/layers", params={"start": start, "frames": 10000, "part": part}
        ).content
        for start in (0, 10000, 20000)
    ]
    assert np.array_equal(np.frombuffer(b"".join(windows), "<f4").reshape(-1, 2), printed[:30000])
    assert (
        np.abs(printed[: round(0.24 * 44100)]).max()
        < np.abs(printed[round(0.25 * 44100) : round(0.26 * 44100)]).max()
    )


def test_a_moved_threshold_is_decided_without_an_edit(browser: Browser, kick: Path) -> None:
    session = browser.session()
    part = part_of(browser.drop(session, kick))
    decided = browser.post(
        f"/api/sessions/{session}/parts/{part}/decisions", json={"find": {"threshold_db": -12}}
    ).json()
    assert (
        decided["hits"] == 3
        and decided["lost_s"] == [pytest.approx(1.25, abs=0.001)]
        and decided["let_in_s"] == []
    )
    assert browser.get(f"/api/sessions/{session}").json()["revision"] == 1
    index = int(np.abs(np.array(decided["time_s"]) - 1.25).argmin())
    said = browser.post(
        f"/api/sessions/{session}/parts/{part}/reason", json={"index": index, "find": {"threshold_db": -12}}
    ).json()["text"]
    assert said.startswith("Does not count") and "under the threshold" in said


def test_add_snaps_drop_removes_undo_restores(browser: Browser, kick: Path) -> None:
    session = browser.session()
    part = part_of(browser.drop(session, kick))
    address = f"/api/sessions/{session}"
    browser.post(
        f"{address}/edits",
        json={
            "revision": 1,
            "action": {"kind": "set_find", "part_id": part, "changes": {"threshold_db": -12}},
        },
    )
    state = browser.post(f"{address}/parts/{part}/add", json={"revision": 2, "time_s": 1.262}).json()
    (mark,) = state["document"]["parts"][part]["marks"].values()
    assert mark["kind"] == "add" and mark["time_s"] == pytest.approx(1.25, abs=0.001)
    times = lambda: browser.get(f"{address}/overview").json()["parts"][0]["time_s"]  # noqa: E731
    assert len(times()) == 4
    browser.post(
        f"{address}/edits",
        json={
            "revision": 3,
            "action": {"kind": "mark", "part_id": part, "marks": {"m": {"kind": "drop", "time_s": 0.25}}},
        },
    )
    assert len(times()) == 3
    browser.post(f"{address}/undo", json={"revision": 4})
    browser.post(f"{address}/undo", json={"revision": 5})
    assert len(times()) == 3 and times()[0] == pytest.approx(0.25, abs=0.001)
    assert browser.get(address).json()["redo"].startswith("Kick: add at")
    refused = browser.post(f"{address}/parts/{part}/add", json={"revision": 6, "time_s": 99})
    assert refused.status_code == 422 and "no recording at this place" in refused.json()["what"]


def test_a_hit_that_is_put_elsewhere_snaps_to_the_attack_there_and_counts_on(
    browser: Browser, kick: Path
) -> None:
    session = browser.session()
    part = part_of(browser.drop(session, kick))
    address = f"/api/sessions/{session}/parts/{part}"
    change = {"kind": "set_find", "part_id": part, "changes": {"threshold_db": -12}}
    browser.post(f"/api/sessions/{session}/edits", json={"revision": 1, "action": change})
    put = {"revision": 2, "found_s": 0.25, "near_s": 1.262}
    state = browser.post(f"{address}/put", json=put).json()
    (mark,) = state["document"]["parts"][part]["marks"].values()
    assert mark["time_s"] == pytest.approx(0.25, abs=0.004)
    assert mark["to_s"] == pytest.approx(1.25, abs=0.001)
    decided = browser.post(f"{address}/decisions", json={}).json()
    standing = [at for at, row in zip(decided["time_s"], decided["state"], strict=True) if row in (1, 6, 7)]
    assert any(at == pytest.approx(1.25, abs=0.001) for at in standing)
    assert not any(at == pytest.approx(0.25, abs=0.1) for at in standing)
    refused = browser.post(f"{address}/put", json={"revision": 3, "found_s": 0.25, "near_s": 99})
    assert refused.status_code == 422 and "no recording at this place" in refused.json()["what"]


def test_a_stale_window_gets_409_and_the_session_as_it_stands(browser: Browser) -> None:
    session = browser.session()

    def rename(revision: int, name: str) -> Response:
        return browser.post(
            f"/api/sessions/{session}/edits",
            json={"revision": revision, "action": {"kind": "rename", "name": name}},
        )

    assert rename(0, "Two").status_code == 200
    stale = rename(0, "Three")
    assert (
        stale.status_code == 409
        and stale.json()["state"]["document"]["name"] == "Two"
        and stale.json()["kept"]
    )


@pytest.mark.parametrize(
    ("content", "said"),
    [
        (b"", "is empty"),
        (b"not audio at all", "could not be read as audio"),
        (b"RIFF\x00\x00\x00\x00WAVE", "could not be read"),
    ],
)
def test_files_that_are_not_audio_change_nothing(browser: Browser, content: bytes, said: str) -> None:
    session = browser.session()
    answer = browser.post(f"/api/sessions/{session}/sources", params={"name": "x.wav"}, content=content)
    assert (
        answer.status_code == 422
        and said in answer.json()["what"]
        and answer.json()["kept"] == "Nothing was changed."
        and answer.json()["todo"]
    )
    assert browser.get(f"/api/sessions/{session}").json()["revision"] == 0


def test_an_upload_cut_off_half_way_leaves_nothing(browser: Browser, kick: Path) -> None:
    session = browser.session()
    answer = browser.post(
        f"/api/sessions/{session}/sources",
        params={"name": "x.wav"},
        content=kick.read_bytes()[:1000],
        headers={"content-length": "5000"},
    )
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
    assert [
        part["progress"] for part in browser.get(f"/api/sessions/{session}/overview").json()["parts"]
    ] == [1, 1, 1]


@pytest.mark.parametrize(
    ("method", "path", "body", "status"),
    [
        ("GET", "/api/sessions/nowhere", None, 404),
        ("GET", "/api/sessions/nowhere/overview", None, 404),
        ("POST", "/api/sessions/nowhere/sources", None, 404),
        ("POST", "/api/sessions/{s}/parts/none/decisions", {}, 404),
        ("POST", "/api/sessions/{s}/parts/none/add", {"revision": 0, "time_s": 1}, 404),
        ("POST", "/api/sessions/{s}/parts/none/decisions", {"find": {"threshold_db": 7}}, 422),
        ("POST", "/api/sessions/{s}/parts/none/reason", {"index": -1}, 422),
        ("POST", "/api/sessions/{s}/edits", {"revision": 0, "action": {"kind": "fly"}}, 422),
        (
            "POST",
            "/api/sessions/{s}/edits",
            {"revision": "x", "action": {"kind": "rename", "name": "y"}},
            422,
        ),
        (
            "POST",
            "/api/sessions/{s}/edits",
            {"revision": 0, "action": {"kind": "set_piece", "part_id": "p", "piece": "zither"}},
            422,
        ),
        (
            "POST",
            "/api/sessions/{s}/edits",
            {"revision": 0, "action": {"kind": "set_tempo", "changes": {"bpm": 9999}}},
            422,
        ),
        ("POST", "/api/sessions/{s}/undo", {"revision": 0}, 422),
        (
            "POST",
            "/api/sessions/{s}/edits",
            {"revision": 0, "action": {"kind": "move_clip", "source_id": "s", "index": 0, "start_s": -1}},
            422,
        ),
        (
            "POST",
            "/api/sessions/{s}/edits",
            {"revision": 0, "action": {"kind": "combine_microphones", "part_id": "a", "other_id": "b"}},
            404,
        ),
        (
            "POST",
            "/api/sessions/{s}/edits",
            {"revision": 0, "action": {"kind": "set_span", "span": {"start_s": 5, "end_s": 1}}},
            422,
        ),
        ("POST", "/api/sessions/{s}/parts/none/give", {"revision": 0, "to_part_id": "x", "time_s": [1]}, 404),
        ("POST", "/api/sessions/{s}/parts/none/similar", {"index": 0}, 404),
        ("GET", "/api/sessions/{s}/second-look?part=none", None, 404),
        ("GET", "/api/sessions/nowhere/spill", None, 404),
        ("POST", "/api/sessions/{s}/sources?source=none", None, 404),
        ("GET", "/api/sessions/{s}/sound/everything?start=0&frames=10", None, 422),
        ("GET", "/api/sessions/{s}/sound/both?start=-5&frames=10", None, 422),
        ("GET", "/api/sessions/{s}/sound/both?start=0&frames=999999999", None, 422),
        ("GET", "/api/sessions/{s}/print/midi?part=none", None, 404),
        ("GET", "/api/audio/" + "0" * 64 + "/peaks/3/0", None, 404),
        ("GET", "/api/nothing", None, 404),
    ],
)
def test_wrong_requests_get_a_sentence_and_the_right_status(
    browser: Browser, method: str, path: str, body: dict | None, status: int
) -> None:
    session = browser.session()
    answer = browser.request(method, path.replace("{s}", session), json=body)
    assert answer.status_code == status
    said = answer.json()
    assert said["what"].endswith((".", "…")) and said["kept"]
    assert browser.get(f"/api/sessions/{session}").json()["revision"] == 0


@pytest.mark.parametrize(
    "headers",
    [
        {"host": "evil.example"},
        {"host": "evil.example:8137"},
        {"origin": "http://evil.example"},
        {"origin": "null"},
        {"origin": "http://127.0.0.1:9999"},
        {"host": ""},
        {"host": "127.0.0.1.evil.example"},
    ],
)
def test_other_origins_and_host_names_are_refused(browser: Browser, headers: dict[str, str]) -> None:
    answer = browser.post("/api/sessions", json={"name": "x"}, headers=headers)
    assert answer.status_code == 403 and answer.json()["what"]
    assert (
        browser.get(
            "/api/sessions", headers={"host": "localhost:8137", "origin": "http://localhost:8137"}
        ).status_code
        == 200
    )


def test_pictures_come_as_pairs_of_samples(browser: Browser, kick: Path) -> None:
    session = browser.session()
    state = browser.drop(session, kick)
    audio = next(iter(state["document"]["sources"].values()))["clips"][0]["audio"]
    mono, _ = soundfile.read(str(kick), dtype="float32")
    for exponent in (0, 3, 8):
        pairs = np.frombuffer(browser.get(f"/api/audio/{audio}/peaks/{exponent}/0").content, "<i2").reshape(
            -1, 2
        )
        stretch = mono[: len(pairs) << exponent]
        assert pairs[:, 1].max() == pytest.approx(stretch.max() * 32767, abs=2) and pairs[
            :, 0
        ].min() == pytest.approx(stretch.min() * 32767, abs=2)


def test_the_front_ends_types_are_those_of_the_server() -> None:
    from nubrak.command.interface import environment, generated
    from nubrak.command.places import INTERFACE

    for name, text in generated(environment()).items():
        assert (INTERFACE / "src" / "api" / name).read_text() == text, name


def test_a_folder_of_microphones_becomes_parts_and_pairs(browser: Browser, tmp_path: Path) -> None:
    session = browser.session()
    for path in kit_files(tmp_path):
        browser.drop(session, path)
    browser.work()
    state = browser.get(f"/api/sessions/{session}").json()
    document = state["document"]
    names = {source["name"]: source for source in document["sources"].values()}
    assert (
        set(names) == {"Kick In.wav", "Kick Out.wav", "Snare Top.wav", "OH L+R.wav"}
        and names["OH L+R.wav"]["clips"][0]["channels"] == 2
    )
    pieces = {part["piece"]: part for part in document["parts"].values()}
    assert set(pieces) == {"kick", "snare", "crash"} and len(pieces["kick"]["sources"]) == 2
    overview = {
        part["name"]: part for part in browser.get(f"/api/sessions/{session}/overview").json()["parts"]
    }
    assert np.allclose(
        overview["Kick"]["time_s"], [0.3 + n for n in range(10)], atol=0.001
    )  # once, on the earlier microphone
    assert np.allclose(overview["Snare"]["time_s"], [0.8 + n for n in range(10)], atol=0.001)
    spill = browser.get(f"/api/sessions/{session}/spill").json()
    parts = {part["piece"]: key for key, part in document["parts"].items()}
    leak = next(
        line
        for line in spill["leaks"]
        if (line["from_part"], line["to_part"]) == (parts["kick"], parts["snare"])
    )
    assert leak["delay_ms"] == pytest.approx(2.9, abs=0.4) and -30 < leak["level_db"] < -17
    assert state["undo"] == "Take OH L.wav and OH R.wav as a pair"


def test_second_look_lists_doubt_shrinks_by_marks_and_gives_strokes_away(
    browser: Browser, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    session = browser.session()
    for path in kit_files(tmp_path)[:3]:
        browser.drop(session, path)
    browser.work()
    document = browser.get(f"/api/sessions/{session}").json()["document"]
    snare = next(key for key, part in document["parts"].items() if part["piece"] == "snare")
    kick = next(key for key, part in document["parts"].items() if part["piece"] == "kick")
    revision = browser.get(f"/api/sessions/{session}").json()["revision"]
    # a line through the strokes makes all of them doubtful
    decided = browser.post(f"/api/sessions/{session}/parts/{snare}/decisions", json={}).json()
    level = np.median([x for x, s in zip(decided["level_db"], decided["state"], strict=True) if s == 1])
    change = {"kind": "set_find", "part_id": snare, "changes": {"threshold_db": round(float(level), 1)}}
    revision = browser.post(
        f"/api/sessions/{session}/edits", json={"revision": revision, "action": change}
    ).json()["revision"]
    looks = browser.get(f"/api/sessions/{session}/second-look").json()["places"]
    assert len(looks) >= 8 and [p["doubt"] for p in looks] == sorted(
        (p["doubt"] for p in looks), reverse=True
    )
    # a long list comes cut, and says how many there are in all
    monkeypatch.setattr("nubrak.desk.finding.MOST_PLACES", 3)
    cut = browser.get(f"/api/sessions/{session}/second-look").json()
    assert cut["places"] == looks[:3] and cut["total"] == len(looks)
    monkeypatch.undo()
    place = next(p for p in looks if p["part_id"] == snare)
    assert place["text"] and place["source_id"] in document["sources"]
    mark = {"kind": "mark", "part_id": snare, "marks": {"m": {"kind": "keep", "time_s": place["time_s"]}}}
    revision = browser.post(
        f"/api/sessions/{session}/edits", json={"revision": revision, "action": mark}
    ).json()["revision"]
    after = browser.get(f"/api/sessions/{session}/second-look").json()["places"]
    assert len(after) < len(looks) and not any(
        p["part_id"] == snare and abs(p["time_s"] - place["time_s"]) < 0.001 for p in after
    )
    given = browser.post(
        f"/api/sessions/{session}/parts/{snare}/give",
        json={"revision": revision, "to_part_id": kick, "time_s": [place["time_s"]]},
    )
    marks = {part: list(given.json()["document"]["parts"][part]["marks"].values()) for part in (snare, kick)}
    assert [m["kind"] for m in marks[snare]] == ["drop"] and [m["kind"] for m in marks[kick]] == ["add"]
    assert given.json()["undo"].startswith("Snare: give the stroke")
    similarity = browser.post(f"/api/sessions/{session}/parts/{kick}/similar", json={"index": 0}).json()[
        "time_s"
    ]
    assert similarity


def test_marks_outlive_another_piece_a_moved_clip_and_a_range(browser: Browser, kick: Path) -> None:
    session = browser.session()
    state = browser.drop(session, kick)
    part, source = part_of(state), next(iter(state["document"]["sources"]))

    def act(revision: int, action: dict[str, object]) -> dict[str, Any]:
        return browser.post(
            f"/api/sessions/{session}/edits", json={"revision": revision, "action": action}
        ).json()

    times = lambda: browser.get(f"/api/sessions/{session}/overview").json()["parts"][0]["time_s"]  # noqa: E731
    act(
        1,
        {
            "kind": "mark",
            "part_id": part,
            "marks": {
                "a": {"kind": "drop", "time_s": 0.75},
                "b": {"kind": "keep", "time_s": 1.75, "to_s": 1.76},
            },
        },
    )
    act(2, {"kind": "set_piece", "part_id": part, "piece": "floor-tom"})
    assert np.allclose(times(), [0.25, 1.25, 1.76], atol=0.001)
    act(3, {"kind": "move_clip", "source_id": source, "index": 0, "start_s": 2.0})
    assert np.allclose(times(), [2.25, 3.25, 3.76], atol=0.001)
    act(4, {"kind": "set_span", "span": {"start_s": 0, "end_s": 3}})
    assert np.allclose(times(), [2.25, 3.76], atol=0.001)  # outside, only what was decided by hand
    act(5, {"kind": "set_aside", "source_id": source, "aside": True})
    assert np.allclose(times(), [3.76], atol=0.001) or times() == []
    act(6, {"kind": "set_aside", "source_id": source, "aside": False})
    act(7, {"kind": "set_span", "span": None})
    assert np.allclose(times(), [2.25, 3.25, 3.76], atol=0.001)


def test_ticks_and_the_detector_are_heard(browser: Browser, kick: Path) -> None:
    session = browser.session()
    part = part_of(browser.drop(session, kick))

    def asked(bus: str, **more: object) -> NDArray[np.float32]:
        return np.frombuffer(
            browser.get(
                f"/api/sessions/{session}/sound/{bus}",
                params={"start": 0, "frames": 88200, "part": part} | more,
            ).content,
            "<f4",
        )

    ticks = asked("trigger").reshape(-1, 2)[:, 0]
    begins = [round(t * 44100) for t in (0.25, 0.75, 1.25, 1.75)]
    assert all(
        np.abs(ticks[b - 2000 : b - 50]).max() == 0 and np.abs(ticks[b : b + 400]).max() > 0.05
        for b in begins
    )
    fewer = asked("trigger", find='{"threshold_db": -12}').reshape(-1, 2)[:, 0]
    assert (
        np.abs(fewer[begins[2] : begins[2] + 400]).max() == 0
        and np.abs(fewer[begins[0] : begins[0] + 400]).max() > 0.05
    )
    ringing = slice(begins[0] + 6000, begins[0] + 11000)  # 60 Hz alone
    whole = asked("detector").reshape(-1, 2)[ringing]
    high = asked("detector", find='{"low_hz": 5000, "high_hz": 15000}').reshape(-1, 2)[ringing]
    assert np.abs(whole).max() > 0.02 and np.sqrt(np.mean(high**2)) < 0.05 * np.sqrt(np.mean(whole**2))


def test_listening_can_be_cancelled_and_taken_up_again(browser: Browser, tmp_path: Path) -> None:
    session = browser.session()
    kick = write_wav(
        tmp_path / "kick.wav",
        decaying_strokes([0.31, 0.94], [0.8, 0.7], 1.5, hz=61, seed=int.from_bytes(os.urandom(4))),
    )
    browser.post(f"/api/sessions/{session}/sources", params={"name": kick.name}, content=kick.read_bytes())
    assert browser.post(f"/api/sessions/{session}/analysis", json={"on": False}).status_code == 204
    browser.work()
    line = browser.get(f"/api/sessions/{session}/overview").json()["parts"][0]
    assert line["progress"] < 1 and "cancelled" in line["problem"] and line["time_s"] == []
    browser.post(f"/api/sessions/{session}/analysis", json={"on": True})
    browser.work()
    assert browser.get(f"/api/sessions/{session}/overview").json()["parts"][0]["progress"] == 1


def test_a_file_whose_name_says_nothing_is_listened_to(browser: Browser, tmp_path: Path) -> None:
    session = browser.session()
    low = decaying_strokes([0.3 + 0.5 * n for n in range(10)], [0.7] * 10, 6.0, hz=55)
    state = browser.drop(session, write_wav(tmp_path / "track 7.wav", low))
    guess = next(iter(state["document"]["sources"].values()))["guess"]
    assert guess["piece"] in ("kick", "floor-tom") and "sound" in guess["why"] and 0 < guess["sure"] < 1
