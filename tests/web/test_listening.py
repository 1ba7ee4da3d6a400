"""What is heard while choosing: sounds tried in place, matched loudness, meters, one edit back; nothing of it
changes the session.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pyloudnorm
import pytest

from nubrak.desk import listening
from nubrak.desk.desk import Desk
from tests.conftest import RATE_HZ, decaying_strokes, write_wav
from tests.web.conftest import Browser
from tests.web.test_shape_routes import edit

FRAMES = round(2.2 * RATE_HZ)


@pytest.fixture
def kit(browser: Browser, tmp_path: Path) -> tuple[str, dict[str, str]]:
    """A deep sound turned round and late, and a high one, far louder."""
    made = {}
    for name, audio in (
        ("deep", -decaying_strokes([0.05], [0.2], 0.6, hz=60)),
        ("high", decaying_strokes([0.02], [0.9], 0.2, hz=2000)),
    ):
        path = write_wav(tmp_path / f"{name}.wav", audio)
        made[name] = browser.post(
            "/api/samples", params={"name": path.name}, content=path.read_bytes()
        ).json()
    kept = browser.post("/api/kits", json={"instruments": list(made.values())}).json()
    return kept["kit_id"], {one["name"]: key for key, one in kept["kit"]["instruments"].items()}


def heard(browser: Browser, session: str, bus: str, **more: object) -> np.ndarray:
    answer = browser.get(f"/api/sessions/{session}/sound/{bus}", params={"start": 0, "frames": FRAMES} | more)
    assert answer.status_code == 200, answer.text
    return np.frombuffer(answer.content, "<f4").reshape(-1, 2)


def test_sounds_are_tried_locked_and_at_level_without_a_change(
    browser: Browser, played: tuple[str, str], kit: tuple[str, dict[str, str]]
) -> None:
    session, part = played
    kit_id, ids = kit
    before = browser.get(f"/api/sessions/{session}").json()
    asked = {"part": part, "trying": part, "kit": kit_id}
    deep, high = (
        heard(browser, session, "layers", **asked, instrument=ids[name]) for name in ("deep", "high")
    )
    recording = heard(browser, session, "recording", part=part)
    low = slice(44, 550)  # 20 to 250 Hz of 2.2 s

    def power(sound: np.ndarray) -> float:
        return float(np.sum(np.abs(np.fft.rfft(sound[:, 0])[low]) ** 2))

    assert power(recording + deep) > 1.5 * power(recording) and power(recording - deep) < power(recording), (
        "locked: turned round and in place"
    )
    meter = pyloudnorm.Meter(RATE_HZ, block_size=0.2)
    loud = {
        name: meter.integrated_loudness(sound.astype(float))
        for name, sound in (("recording", recording), ("deep", deep), ("high", high))
    }
    for name in ("deep", "high"):
        assert loud["recording"] - loud[name] == pytest.approx(6.0, abs=2.0), (
            "about 6 dB under the recording, whatever the file's level"
        )
    assert browser.get(f"/api/sessions/{session}").json() == before
    changed = browser.get("/api/library").json()["kits"][kit_id]["instruments"][ids["high"]]
    changed["samples"][0]["tune_semitones"] = 12.0
    assert browser.put(f"/api/kits/{kit_id}/instruments/{ids['high']}", json=changed).status_code == 200
    assert not np.allclose(heard(browser, session, "layers", **asked, instrument=ids["high"]), high), (
        "a kit that was changed sounds changed"
    )
    changed["samples"][0]["tune_semitones"] = 0.0
    browser.put(f"/api/kits/{kit_id}/instruments/{ids['high']}", json=changed)
    state = browser.post(
        f"/api/sessions/{session}/parts/{part}/layers",
        json={
            "revision": before["revision"],
            "layer_id": "l",
            "kit_id": kit_id,
            "instrument_id": ids["deep"],
        },
    ).json()
    layer = state["document"]["parts"][part]["layers"]["l"]
    assert layer["polarity"] == -1
    assert np.abs(heard(browser, session, "layers") - deep).max() < 0.02 * np.abs(deep).max(), (
        "taken, it sounds as it was tried"
    )
    # In place of it: as loud as it was, even where that was turned down by hand.
    edit(
        browser,
        session,
        {
            "kind": "set_layer",
            "part_id": part,
            "layer_id": "l",
            "changes": {"level_db": layer["level_db"] - 9},
        },
    )
    softer = heard(browser, session, "layers", **asked, layer="l", instrument=ids["high"])
    assert meter.integrated_loudness(softer.astype(float)) == pytest.approx(loud["high"] - 9, abs=1.5)
    assert (
        browser.get(
            f"/api/sessions/{session}/sound/layers",
            params={"start": 0, "frames": 10, "trying": part, "kit": kit_id, "instrument": "none"},
        ).status_code
        == 404
    )


def test_one_edit_back_is_heard_and_backing_is_left_out(
    browser: Browser, played: tuple[str, str], tmp_path: Path
) -> None:
    session, part = played
    plain = heard(browser, session, "both")
    edit(browser, session, {"kind": "set_blend", "part_id": part, "changes": {"recording_db": -12.0}})
    assert np.abs(heard(browser, session, "both")).max() < 0.3 * np.abs(plain).max()
    assert np.array_equal(heard(browser, session, "both", back="true"), plain)
    browser.drop(
        session,
        write_wav(tmp_path / "backing.wav", decaying_strokes([0.1], [0.5], 2.2, hz=900)),
        "backing.wav",
    )
    with_it, without = heard(browser, session, "both"), heard(browser, session, "both", backing="false")
    assert np.abs(with_it - without).max() > 0.1 and np.allclose(without, plain * 10 ** (-12 / 20), atol=1e-6)


def test_matched_loudness_brings_the_three_to_the_softest(
    browser: Browser, played: tuple[str, str], kit: tuple[str, dict[str, str]]
) -> None:
    session, part = played
    kit_id, ids = kit
    revision = browser.get(f"/api/sessions/{session}").json()["revision"]
    browser.post(
        f"/api/sessions/{session}/parts/{part}/layers",
        json={"revision": revision, "layer_id": "l", "kit_id": kit_id, "instrument_id": ids["high"]},
    )
    found = browser.get(
        f"/api/sessions/{session}/loudness", params={"start": 0, "end": FRAMES, "part": part}
    ).json()
    meter = pyloudnorm.Meter(RATE_HZ)
    gained = {
        bus: heard(browser, session, bus, part=part).astype(float) * 10 ** (found[f"{bus}_db"] / 20)
        for bus in ("recording", "layers", "both")
    }
    loud = [meter.integrated_loudness(sound) for sound in gained.values()]
    assert max(loud) - min(loud) < 0.3 and max(found[f"{bus}_db"] for bus in gained) == 0.0
    silent = browser.get(f"/api/sessions/{session}/loudness", params={"start": 0, "end": 10}).json()
    assert silent["layers_lkfs"] <= -119 and silent["layers_db"] == 0.0


def test_meters_of_parts_and_of_the_whole(browser: Browser, played: tuple[str, str]) -> None:
    session, part = played
    found = browser.get(
        f"/api/sessions/{session}/meters", params={"start": RATE_HZ // 2, "frames": RATE_HZ}
    ).json()
    [line] = found["parts"]
    recording = heard(browser, session, "recording")[RATE_HZ // 2 : RATE_HZ // 2 + RATE_HZ]
    blocks = recording.reshape(10, -1)
    assert line["part_id"] == part and np.allclose(
        line["recording"]["peak_db"], 20 * np.log10(np.maximum(np.abs(blocks).max(axis=1), 1e-6)), atol=0.06
    )
    assert found["whole"] == line["recording"] and max(line["layers"]["peak_db"]) <= -119
    assert (
        browser.get(f"/api/sessions/{session}/meters", params={"start": 0, "frames": 10**9}).status_code
        == 422
    )


def test_what_suits_is_ordered_and_said(
    browser: Browser, played: tuple[str, str], kit: tuple[str, dict[str, str]]
) -> None:
    session, part = played
    kit_id, ids = kit
    base = f"/api/sessions/{session}/parts/{part}/suits"
    like, adds = (
        [one for one in browser.get(base, params={"by": by}).json()["sounds"] if one["kit_id"] == kit_id]
        for by in ("likeness", "adds")
    )
    assert [one["instrument_id"] for one in like] == [ids["deep"], ids["high"]] and [
        one["instrument_id"] for one in adds
    ] == [ids["high"], ids["deep"]]
    assert "less" in like[1]["said"]


def test_where_nothing_was_recorded_it_says_so_and_nothing_breaks(browser: Browser, tmp_path: Path) -> None:
    session = browser.session("Empty")
    base = f"/api/sessions/{session}"
    assert browser.get(f"{base}/loudness", params={"start": 0, "end": 0}).json()["both_lkfs"] <= -119
    assert browser.get(f"{base}/meters", params={"start": 0, "frames": 4410}).json()["parts"] == []
    assert not heard(browser, session, "both").any()
    packed = browser.done(browser.post(f"{base}/archive/jobs"))
    archive = browser.get(f"/api/jobs/{packed['job_id']}/file")
    assert browser.done(browser.post("/api/archives", content=archive.content))["done"]
    # A part that came in as notes alone has nothing to be compared or locked with, and sounds all the same.
    path = write_wav(tmp_path / "s.wav", decaying_strokes([0.02], [0.5], 0.3))
    instrument = browser.post("/api/samples", params={"name": "s.wav"}, content=path.read_bytes()).json()
    revision = browser.get(base).json()["revision"]
    listed = (
        b"part,piece,time_s,note_time_s,velocity,note,strength_db,doubt\r\nSnare,snare,0.5,0.5,100,38,,\r\n"
    )
    state = browser.post(f"{base}/hits", params={"revision": revision}, content=listed).json()
    part = next(iter(state["document"]["parts"]))
    assert browser.get(f"{base}/parts/{part}/suits").status_code == 422
    put = browser.post(
        f"{base}/parts/{part}/layers",
        json={"revision": state["revision"], "layer_id": "l", "instrument": instrument},
    )
    assert put.status_code == 200 and put.json()["document"]["parts"][part]["layers"]["l"]["level_db"] == -6.0
    assert np.abs(heard(browser, session, "layers")).max() > 0.01
    assert (
        browser.post(f"{base}/parts/{part}/layers", json={"revision": 0, "layer_id": "m"}).status_code == 422
    )


def test_an_open_hat_sounds_on_its_notes_and_is_silenced_by_the_closed(
    browser: Browser, tmp_path: Path
) -> None:
    session = browser.session("Hats")
    base = f"/api/sessions/{session}"
    ring = (0.3 * np.sin(2 * np.pi * 5000 * np.arange(RATE_HZ) / RATE_HZ)).astype(np.float32)
    path = write_wav(tmp_path / "open.wav", ring)
    instrument = browser.post(
        "/api/samples", params={"name": "open.wav"}, content=path.read_bytes()
    ).json() | {"key": 46, "silenced_by": [42, 44]}
    lines = [
        "part,piece,time_s,note_time_s,velocity,note,strength_db,doubt",
        *(f"Hat,hi-hat,{t},{t},100,{n},," for t, n in ((0.1, 42), (0.5, 46), (0.8, 42))),
    ]
    state = browser.post(f"{base}/hits", params={"revision": 0}, content="\r\n".join(lines).encode()).json()
    part = next(iter(state["document"]["parts"]))
    put = browser.post(
        f"{base}/parts/{part}/layers",
        json={"revision": state["revision"], "layer_id": "o", "instrument": instrument},
    ).json()
    layer = put["document"]["parts"][part]["layers"]["o"]
    assert layer["notes"] == [46] and layer["silenced_by"] == [42], (
        "of the notes that silence it, those the part has"
    )
    sound = np.abs(heard(browser, session, "layers")[:, 0])
    at = [round(t * RATE_HZ) for t in (0.1, 0.5, 0.8, 0.83)]
    assert (
        sound[: at[1] - 50].max() < 1e-3
        and sound[at[1] + 500 : at[2]].max() > 0.05
        and sound[at[3] :].max() < 1e-6
    )


def test_the_loudness_of_a_very_long_stretch_is_measured_on_windows_spread_over_it(
    browser: Browser, played: tuple[str, str], monkeypatch: pytest.MonkeyPatch
) -> None:
    session, _ = played
    asked: list[int] = []
    whole = Desk.window

    def counted(desk: Desk, *given: object, **named: object) -> np.ndarray:
        asked.append(int(given[3]))  # type: ignore[call-overload]
        return whole(desk, *given, **named)  # type: ignore[arg-type]

    monkeypatch.setattr(Desk, "window", counted)
    monkeypatch.setattr(listening, "_WINDOW_FRAMES", RATE_HZ // 10)
    every = browser.get(f"/api/sessions/{session}/loudness", params={"start": 0, "end": FRAMES}).json()
    assert len(asked) == 3 * 22, "a tenth of a second each, of three buses"
    asked.clear()
    monkeypatch.setattr(listening, "_MOST_MEASURED_S", 1.1)
    spread = browser.get(f"/api/sessions/{session}/loudness", params={"start": 0, "end": FRAMES}).json()
    assert len(asked) == 3 * 11
    assert max(asked) > FRAMES * 0.8 and min(asked) == 0
    assert spread["recording_lkfs"] == pytest.approx(every["recording_lkfs"], abs=3.5)
