"""Writing and cutting over the wire: what the interface asks and is answered."""

from __future__ import annotations

import numpy as np

from nubrak.core.midi.read import read_midi
from tests.web.conftest import Browser
from tests.web.test_shape_routes import edit, midi


def revision(browser: Browser, session: str) -> int:
    return int(browser.get(f"/api/sessions/{session}").json()["revision"])


def in_tempo(browser: Browser, session: str) -> None:
    edit(browser, session, {"kind": "set_tempo", "changes": {"bpm": 120.0, "bar_one_s": 0.25}})


def sound_of(content: bytes) -> np.ndarray:
    return np.frombuffer(content, "<f4").reshape(-1, 2)


def test_a_bar_is_written_copied_felt_emptied_and_reaches_the_midi(
    browser: Browser, played: tuple[str, str]
) -> None:
    session, part = played
    without = browser.get(f"/api/sessions/{session}/bars/1")
    assert without.status_code == 422 and "tempo" in without.json()["what"].lower()
    in_tempo(browser, session)

    def post(what: str, **body: object) -> dict:
        answer = browser.post(
            f"/api/sessions/{session}/bars/{what}", json={"revision": revision(browser, session), **body}
        )
        assert answer.status_code == 200, answer.text
        return dict(answer.json())

    wrote = post("write", bar=2, step=3, piece="kick")
    assert (
        wrote["part_id"] == part and wrote["velocity"] > 0 and wrote["state"]["undo"].startswith("Write kick")
    )
    post("write", bar=2, step=8, piece="crash", do="accent")
    post("copy", bar=2, to_bar=3, times=2)
    post("feel", bar=3, to_bar=4, of_part=part, strength_percent=0)
    post("played", strokes=[{"piece": "snare", "time_s": 3.1, "velocity": 70}], drawn_percent=100)
    bar = browser.get(f"/api/sessions/{session}/bars/3", params={"step": "8", "kind": "triplet"}).json()
    assert len(bar["steps_s"]) == 13 and bar["start_s"] == 4.25
    assert {line["piece"] for line in bar["lines"]} == {"kick", "crash", "snare"}
    assert [run["kind"] for run in bar["bars"]] == ["recorded", "written", "empty"]
    state = post("empty", bar=4, to_bar=4)
    assert state["undo"] == "Empty bar 4"
    tracks = read_midi(midi(browser, session)).tracks
    assert sorted(len(track.time_s) for track in tracks) == [1, 2, 6]
    stale = browser.post(
        f"/api/sessions/{session}/bars/write", json={"revision": 1, "bar": 2, "step": 1, "piece": "kick"}
    )
    assert stale.status_code == 409 and stale.json()["state"]["revision"] > 1


def test_single_strokes_and_a_click_are_heard(browser: Browser, played: tuple[str, str]) -> None:
    session, part = played
    in_tempo(browser, session)
    stroke = browser.get(f"/api/sessions/{session}/parts/{part}/stroke", params={"velocity": 90})
    assert stroke.status_code == 200 and np.abs(sound_of(stroke.content)).max() > 0.01
    window = {"start": 0, "frames": 44100}
    plain = browser.get(f"/api/sessions/{session}/sound/layers", params=window).content
    clicked = browser.get(f"/api/sessions/{session}/sound/layers", params=window | {"click": "true"}).content
    assert not sound_of(plain).any() and np.abs(sound_of(clicked)).max() > 0.1


def test_cuts_are_put_heard_and_ranked(browser: Browser, played: tuple[str, str]) -> None:
    session, part = played
    state = browser.get(f"/api/sessions/{session}").json()
    source = next(iter(state["document"]["sources"]))
    path = f"/api/sessions/{session}/sources/{source}"
    lines = browser.get(f"{path}/slices").json()["lines"]
    # What lies before the first stroke is a slice of its own.
    assert [line["piece"] for line in lines] == ["else", *["kick"] * 4]
    body = {"revision": state["revision"], "found_s": lines[1]["found_s"], "by_ms": -5.0}
    assert browser.post(f"{path}/cuts", json=body).status_code == 200
    moved = browser.get(f"{path}/slices").json()["lines"]
    assert abs(moved[1]["start_s"] - lines[1]["start_s"] + 0.005) < 1e-4 and moved[1]["by_hand"]
    heard = sound_of(browser.get(f"{path}/slices/1/sound").content)
    assert abs(len(heard) / state["document"]["rate_hz"] - (moved[1]["end_s"] - moved[1]["start_s"])) < 0.01
    assert browser.get(f"{path}/slices/99/sound").status_code == 404
    ranked = browser.get(
        f"/api/sessions/{session}/clearest", params={"part": part, "source": source, "most": 2}
    ).json()["parts"]
    assert [len(one["strokes"]) for one in ranked] == [2]
    made = browser.done(browser.post(f"/api/sessions/{session}/kit/jobs", json={"of": "slices"}))
    kit = browser.get("/api/library").json()["kits"][made["kit"]["kit_id"]]
    assert [one["key"] for one in kit["instruments"].values()] == [36, 37, 38, 39, 40]
    used = browser.post(
        f"/api/sessions/{session}/bars/kit",
        json={"revision": revision(browser, session), "kit_id": made["kit"]["kit_id"]},
    )
    assert used.status_code == 200 and used.json()["undo"].startswith("What is written sounds with")


def test_a_stroke_is_mended_over_the_wire(browser: Browser, played: tuple[str, str]) -> None:
    session, part = played
    found = browser.get(f"/api/sessions/{session}/parts/{part}/donors", params={"found_s": 0.75}).json()
    assert len(found["donors"]) == 3 and found["mend_id"] is None
    body = {"revision": revision(browser, session), "found_s": 0.75}
    state = browser.post(f"/api/sessions/{session}/parts/{part}/mend", json=body).json()
    (mend,) = state["document"]["parts"][part]["mends"].values()
    assert mend["from_s"] == min(mend["from_s"], 2.0) and state["undo"].startswith("Kick: mend")
    nowhere = browser.get(f"/api/sessions/{session}/parts/{part}/donors", params={"found_s": 0.1})
    assert nowhere.status_code == 422 and nowhere.json()["todo"]
