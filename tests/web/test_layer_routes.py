"""A layer laid over its recording: lock, overlay, and what the layer then sounds like."""

from __future__ import annotations

import threading
import zipfile
from io import BytesIO
from pathlib import Path

import httpx
import numpy as np
import pytest
import soundfile

from nubrak.desk import jobs, printing
from nubrak.desk.jobs import run_job
from nubrak.desk.printing import bundle
from tests.conftest import RATE_HZ, decaying_strokes, write_wav
from tests.web.conftest import Browser
from tests.web.test_shape_routes import edit


def layered(browser: Browser, session: str, part: str, folder: Path, late_samples: int = 0) -> str:
    """A layer of the same drum, turned round, with its attack where the file says it is; moved by so many
    samples.
    """
    stroke = -decaying_strokes([0.05], [0.8], 0.6, hz=60)
    path = write_wav(folder / "own kick.wav", stroke)
    instrument = browser.post("/api/samples", params={"name": path.name}, content=path.read_bytes()).json()
    instrument["samples"][0]["attack_s"] -= late_samples / RATE_HZ
    edit(
        browser, session, {"kind": "add_layer", "part_id": part, "layer_id": "own", "instrument": instrument}
    )
    return "own"


def test_a_layer_turned_round_and_late_is_locked_and_the_sum_grows(
    browser: Browser, played: tuple[str, str], tmp_path: Path
) -> None:
    session, part = played
    layer = layered(browser, session, part, tmp_path, late_samples=40)
    base = f"/api/sessions/{session}/parts/{part}/layers/{layer}"
    found = browser.get(f"{base}/lock").json()
    # Each stroke has noise of its own, so it is not one sound: the attack stays on the hit, within 0.3 ms.
    assert found["polarity"] == -1 and abs(found["offset_samples"]) <= 0.0003 * RATE_HZ
    assert found["gain_db"] > 3 and found["over_wrong_db"] > 3 and "flip polarity" in found["said"]
    assert not found["same_sound"] and not found["in_place"]

    def low_end() -> float:
        answer = browser.get(
            f"/api/sessions/{session}/sound/both", params={"start": 0, "frames": round(2.2 * RATE_HZ)}
        )
        sound = np.frombuffer(answer.content, "<f4").reshape(-1, 2)[:, 0]
        return float(np.sum(np.abs(np.fft.rfft(sound)[44:550]) ** 2))  # 20 to 250 Hz of 2.2 s

    before = low_end()
    changes = {name: found[name] for name in ("polarity", "offset_samples")}
    state = edit(
        browser, session, {"kind": "set_layer", "part_id": part, "layer_id": layer, "changes": changes}
    )
    assert "polarity −1" in str(state["undo"])
    assert 10 * np.log10(low_end() / before) > 2.5
    again = browser.get(f"{base}/lock").json()
    assert again["in_place"] and "In place" in again["said"]
    revision = browser.get(f"/api/sessions/{session}").json()["revision"]
    locked = browser.post(f"{base}/lock", json={"revision": revision, "each": True}).json()
    single = locked["document"]["parts"][part]["layers"][layer]["each"]
    assert len(single) == 4
    edit(
        browser,
        session,
        {
            "kind": "set_layer",
            "part_id": part,
            "layer_id": layer,
            "changes": {"each": single, "tune_semitones": -2.0, "low_cut_hz": 40, "strokes": "full"},
        },
    )
    stored = browser.get(f"/api/sessions/{session}").json()["document"]["parts"][part]["layers"][layer]
    assert stored["tune_semitones"] == -2.0 and len(stored["each"]) == 4 and stored["strokes"] == "full"
    wrong = browser.get(f"/api/sessions/{session}").json()["revision"]
    refused = browser.post(
        f"/api/sessions/{session}/edits",
        json={
            "revision": wrong,
            "action": {
                "kind": "set_layer",
                "part_id": part,
                "layer_id": layer,
                "changes": {"tune_semitones": 99},
            },
        },
    )
    assert refused.status_code == 422 and "tune semitones" in refused.json()["what"]


def test_the_overlay_shows_all_hits_at_their_attack(
    browser: Browser, played: tuple[str, str], tmp_path: Path
) -> None:
    session, part = played
    layer = layered(browser, session, part, tmp_path)
    found = browser.get(f"/api/sessions/{session}/parts/{part}/layers/{layer}/overlay").json()
    time_ms, median, aligned = (np.array(found[name]) for name in ("time_ms", "median", "layer"))
    assert found["hits"] == 4 and len(time_ms) == len(median) == len(aligned)
    assert np.abs(median[time_ms < -0.1]).max() < 0.02 and np.abs(aligned[time_ms < -0.1]).max() < 0.02
    body = time_ms > 1
    assert np.corrcoef(median[body], aligned[body])[0, 1] < -0.85, "the same drum, turned round"
    assert np.all(np.array(found["low"]) <= median + 1e-6) and np.all(
        median <= np.array(found["high"]) + 1e-6
    )


def test_without_a_recording_or_a_layer_it_says_so(browser: Browser, played: tuple[str, str]) -> None:
    session, part = played
    for what in ("lock", "overlay"):
        gone = browser.get(f"/api/sessions/{session}/parts/{part}/layers/none/{what}")
        assert (gone.status_code, gone.json()) == (200, None), "it may have been taken away just now"


def test_what_nobody_waits_for_is_not_measured_beforehand(
    browser: Browser, played: tuple[str, str], tmp_path: Path
) -> None:
    session, part = played
    layered(browser, session, part, tmp_path)
    far = {"kind": "set_pattern", "part_id": part, "notes": {"far": {"time_s": 80000.0}}}
    edit(browser, session, far)
    answer = browser.post(f"/api/sessions/{session}/print/report", json={})
    assert answer.status_code == 422 and "hours" in answer.json()["what"]


def test_stems_come_in_one_zip_and_say_what_they_are(
    browser: Browser, played: tuple[str, str], tmp_path: Path
) -> None:
    session, part = played
    layered(browser, session, part, tmp_path)
    choice = {
        "settings": {"form": "flac", "depth": "24"},
        "recordings": True,
        "each_layer": True,
        "blends": True,
    }
    said = browser.post(f"/api/sessions/{session}/print/report", json=choice).json()["lines"]
    names = [
        "Kick - recording",
        "Kick - layers",
        "Kick - layer 1 own kick",
        "Kick - blend",
        "All layers",
        "Everything",
    ]
    assert [line["name"] for line in said] == names and all(
        line["over"] == 0 and line["loudness_lkfs"] < 0 for line in said
    )
    answer, done = print_out(browser, session, choice)
    assert done["share"] == 1.0 and done["report"]["lines"] == said, (
        "what it says after is what it said before"
    )
    with zipfile.ZipFile(BytesIO(answer.content)) as bundle:
        files = {name: bundle.read(name) for name in bundle.namelist()}
    assert list(files) == [*(f"T - {name}.flac" for name in names), "T.mid", "report.csv"]
    sounds = {name: soundfile.read(BytesIO(files[f"T - {name}.flac"]))[0] for name in names}
    assert {len(sound) for sound in sounds.values()} == {round(2.2 * RATE_HZ)}, "all as long as the recording"
    assert np.abs(sounds["Kick - recording"] + sounds["Kick - layers"] - sounds["Kick - blend"]).max() < 1e-5
    assert np.abs(sounds["Kick - layers"] - sounds["Kick - layer 1 own kick"]).max() < 1e-6
    heard = np.frombuffer(
        browser.get(
            f"/api/sessions/{session}/sound/both", params={"start": 0, "frames": round(2.2 * RATE_HZ)}
        ).content,
        "<f4",
    ).reshape(-1, 2)
    assert np.abs(heard - sounds["Everything"]).max() < 3e-7, (
        "a print is what was heard, to a step of 24 bits"
    )
    assert (
        files["report.csv"].decode().splitlines()[0] == "name,peak_dbfs,samples_over_full_scale,loudness_lkfs"
    )
    nothing = {"recordings": False, "layers": False, "sums": False}
    refused = browser.post(f"/api/sessions/{session}/print/jobs", json=nothing)
    assert refused.status_code == 422 and "Nothing is chosen" in refused.json()["what"]
    float_flac = browser.post(
        f"/api/sessions/{session}/print/jobs", json={"settings": {"form": "flac", "depth": "float"}}
    )
    assert float_flac.status_code == 422
    browser.delete(f"/api/jobs/{done['job_id']}")
    assert not browser.left_behind()
    assert browser.get(f"/api/jobs/{done['job_id']}/file").status_code == 404


def test_a_print_that_is_cancelled_or_finds_the_disk_full_leaves_nothing(
    browser: Browser, played: tuple[str, str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    session, part = played
    layered(browser, session, part, tmp_path)
    held, go = threading.Event(), threading.Event()
    window = printing.render

    def slowly(*args: object, **more: object) -> np.ndarray:
        held.set()
        go.wait(20)
        return window(*args, **more)  # type: ignore[arg-type]

    monkeypatch.setattr(printing, "render", slowly)
    job = browser.post(f"/api/sessions/{session}/print/jobs", json={}).json()["job_id"]
    worker = threading.Thread(target=run_job, args=(browser.app.state.desk, job))  # type: ignore[attr-defined]
    worker.start()
    assert held.wait(20)
    assert browser.get(f"/api/jobs/{job}/file").status_code == 404, "not done yet"
    browser.delete(f"/api/jobs/{job}")
    go.set()
    worker.join(20)
    said = browser.get(f"/api/jobs/{job}").json()
    assert "cancelled" in said["problem"]["what"] and not browser.left_behind()

    def full(*_: object, **__: object) -> np.ndarray:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(printing, "render", full)
    said = browser.done(browser.post(f"/api/sessions/{session}/print/jobs", json={}))
    assert "disk is full" in said["problem"]["what"] and "no half file" in said["problem"]["kept"]
    assert not browser.left_behind()
    assert browser.get("/api/jobs/none").status_code == 404


def test_a_job_cancelled_as_it_finishes_keeps_nothing(browser: Browser, played: tuple[str, str]) -> None:
    """Between the last question whether it is wanted and the end, somebody cancels."""
    session, _ = played
    desk = browser.app.state.desk  # type: ignore[attr-defined]
    job = browser.post(f"/api/sessions/{session}/print/jobs", json={}).json()["job_id"]
    with pytest.MonkeyPatch.context() as patch:

        def bundled(*asked: object) -> object:
            made = bundle(*asked)  # type: ignore[arg-type]
            jobs.cancel_job(desk, job)
            return made

        patch.setattr(jobs, "bundle", bundled)
        run_job(desk, job)
    said = browser.get(f"/api/jobs/{job}").json()
    assert not said["done"] and "cancelled" in said["problem"]["what"]
    assert not list((desk.uploads.parent / "jobs").rglob("*.zip"))


def test_a_print_is_of_the_session_as_it_stood_when_it_was_asked_for(
    browser: Browser, played: tuple[str, str]
) -> None:
    session, _ = played
    answer = browser.post(f"/api/sessions/{session}/print/jobs", json={"midi": True})
    browser.delete(f"/api/sessions/{session}")
    assert browser.done(answer)["done"], "taking the session away takes no print away that was begun"


def test_stems_of_a_session_with_a_long_name_are_files_of_their_own(
    browser: Browser, played: tuple[str, str]
) -> None:
    session, _ = played
    long = (
        "The moth and the lamplighter, as it was recorded in the workshop on the last night of autumn, second"
    )
    action = {"kind": "rename", "name": long}
    revision = browser.get(f"/api/sessions/{session}").json()["revision"]
    browser.post(f"/api/sessions/{session}/edits", json={"revision": revision, "action": action})
    answer, done = print_out(browser, session, {"recordings": True, "blends": True})
    with zipfile.ZipFile(BytesIO(answer.content)) as bundle_of:
        names = [name for name in bundle_of.namelist() if name.endswith(".wav")]
    assert len(set(names)) == len(done["report"]["lines"]) == 3
    assert all(len(name) <= 120 for name in names) and any("Kick - blend" in name for name in names)


def test_a_print_that_would_clip_says_by_how_much_before_it_is_written(
    browser: Browser, played: tuple[str, str]
) -> None:
    session, part = played
    revision = browser.get(f"/api/sessions/{session}").json()["revision"]
    action = {"kind": "set_blend", "part_id": part, "changes": {"recording_db": 9.0}}
    browser.post(f"/api/sessions/{session}/edits", json={"revision": revision, "action": action})
    [line] = browser.post(f"/api/sessions/{session}/print/report", json={"layers": False}).json()["lines"]
    assert line["over"] > 0 and line["peak_db"] <= line["down_db"] < line["peak_db"] + 0.1


def print_out(browser: Browser, session: str, choice: dict) -> tuple[httpx.Response, dict]:
    said = browser.done(browser.post(f"/api/sessions/{session}/print/jobs", json=choice))
    return browser.get(f"/api/jobs/{said['job_id']}/file"), said
