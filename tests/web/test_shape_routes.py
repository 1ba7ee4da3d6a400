"""Shape over the wire: curve, steps and timing as edits, MIDI in every layout, hits as open lists."""

from __future__ import annotations

import zipfile
from io import BytesIO

import mido
import numpy as np
import pytest

from nubrak.core.midi.read import read_midi
from nubrak.core.prints.hit_lists import read_hits
from tests.web.conftest import Browser

TIMES = [0.25, 0.75, 1.25, 1.75]


def edit(browser: Browser, session: str, action: dict[str, object]) -> dict[str, object]:
    revision = browser.get(f"/api/sessions/{session}").json()["revision"]
    answer = browser.post(f"/api/sessions/{session}/edits", json={"revision": revision, "action": action})
    assert answer.status_code == 200, answer.text
    return answer.json()


def midi(browser: Browser, session: str, **params: object) -> bytes:
    return browser.get(f"/api/sessions/{session}/print/midi", params=params).content


def test_steps_timing_and_map_reach_the_midi_and_can_be_undone(
    browser: Browser, played: tuple[str, str]
) -> None:
    session, part = played
    steps = [
        {"kind": "set", "velocity": 90},
        {"kind": "raise", "by": 5, "scope": {"start_s": 1.0}},
        {"kind": "raise", "by": 30, "on": False},
    ]
    state = edit(
        browser,
        session,
        {"kind": "set_shape", "part_id": part, "changes": {"steps": steps, "timing": {"shift_ms": 20}}},
    )
    assert state["undo"] == "Kick: 3 velocity steps, +20 ms"
    edit(browser, session, {"kind": "set_note_map", "note_map": {"name": "Own", "notes": {"kick": 24}}})
    track = read_midi(midi(browser, session)).tracks[0]
    assert track.velocity.tolist() == [90, 90, 95, 95] and track.number.tolist() == [24] * 4
    assert np.allclose(track.time_s, np.array(TIMES) + 0.02, atol=0.0015)
    for _ in range(2):
        revision = browser.get(f"/api/sessions/{session}").json()["revision"]
        browser.post(f"/api/sessions/{session}/undo", json={"revision": revision})
    back = read_midi(midi(browser, session)).tracks[0]
    assert back.number.tolist() == [36] * 4 and np.allclose(back.time_s, TIMES, atol=0.0015)


def test_every_layout_of_midi_says_the_same(browser: Browser, played: tuple[str, str]) -> None:
    session, _ = played
    tracks, one = (read_midi(midi(browser, session, layout=layout)).tracks[0] for layout in ("tracks", "one"))
    with zipfile.ZipFile(BytesIO(midi(browser, session, layout="each"))) as bundle:
        assert bundle.namelist() == ["Kick.mid"]
        each = read_midi(bundle.read("Kick.mid")).tracks[0]
    assert tracks.time_s.tolist() == one.time_s.tolist() == each.time_s.tolist()
    assert mido.MidiFile(file=BytesIO(midi(browser, session, per_quarter=480))).ticks_per_beat == 480
    region = read_midi(midi(browser, session, start_s=0.5, end_s=1.5)).tracks[0]
    assert np.allclose(region.time_s, [0.25, 0.75], atol=0.0015)


def test_a_tempo_map_moves_no_note(browser: Browser, played: tuple[str, str]) -> None:
    session, _ = played
    before = read_midi(midi(browser, session)).tracks[0].time_s
    edit(
        browser,
        session,
        {"kind": "set_tempo", "changes": {"bpm": 93, "changes": [{"time_s": 1.0, "bpm": 131}]}},
    )
    after = read_midi(midi(browser, session))
    assert np.allclose(after.tracks[0].time_s, before, atol=0.0007)
    assert after.tempo.bpm == pytest.approx(93, rel=1e-5) and after.tempo.changes[0].bpm == pytest.approx(
        131, rel=1e-5
    )


@pytest.mark.parametrize("form", ["csv", "json", "jams"])
def test_hits_leave_as_open_lists(browser: Browser, played: tuple[str, str], form: str) -> None:
    session, _ = played
    answer = browser.get(f"/api/sessions/{session}/print/hits", params={"form": form})
    lines = read_hits(answer.text)
    assert [round(line.time_s, 2) for line in lines] == TIMES and {line.note for line in lines} == {36}
    assert all(
        line.doubt is not None and line.strength_db is not None and line.part == "Kick" for line in lines
    )
    assert f".{form}" in answer.headers["content-disposition"]


def test_notes_beside_the_recorded_ones_and_parts_without_a_source(
    browser: Browser, played: tuple[str, str]
) -> None:
    session, part = played
    edit(
        browser,
        session,
        {
            "kind": "set_pattern",
            "part_id": part,
            "notes": {"a": {"time_s": 1.5, "velocity": 40}, "b": {"time_s": 2.0}},
        },
    )
    state = edit(browser, session, {"kind": "set_pattern", "part_id": part, "remove": ["b"]})
    assert state["undo"] == "Kick: take 1 note away"
    edit(
        browser,
        session,
        {"kind": "add_parts", "parts": {"claps": {"piece": "clap", "notes": {"c": {"time_s": 0.5}}}}},
    )
    overview = {one["name"]: one for one in browser.get(f"/api/sessions/{session}/overview").json()["parts"]}
    assert [round(t, 2) for t in overview["Kick"]["time_s"]] == [0.25, 0.75, 1.25, 1.5, 1.75]
    assert overview["Clap"]["time_s"] == [0.5] and overview["Clap"]["progress"] == 1
    read = {track.name: track for track in read_midi(midi(browser, session)).tracks}
    assert read["Clap"].number.tolist() == [39] and read["Kick"].velocity[3] == 40


def test_wrong_shapes_are_refused_and_change_nothing(browser: Browser, played: tuple[str, str]) -> None:
    session, part = played
    for changes in (
        {"steps": [{"kind": "louder"}]},
        {"timing": {"shift_ms": 9000}},
        {"channel": 17},
        {"curve": [{"strength_db": 3, "velocity": 400}]},
    ):
        answer = browser.post(
            f"/api/sessions/{session}/edits",
            json={"revision": 1, "action": {"kind": "set_shape", "part_id": part, "changes": changes}},
        )
        assert 400 <= answer.status_code < 500, changes
    assert browser.get(f"/api/sessions/{session}").json()["revision"] == 1
