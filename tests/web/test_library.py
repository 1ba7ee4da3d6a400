"""The library over the wire: samples that come in, kits that are kept, SFZ in and out, and what bad files are
told.
"""

from __future__ import annotations

import zipfile
from io import BytesIO
from pathlib import Path

import numpy as np
import pytest
import soundfile

from tests.conftest import RATE_HZ, decaying_strokes, write_wav
from tests.web.conftest import Browser
from tests.web.test_shape_routes import edit


def sent(browser: Browser, folder: Path, name: str, audio: np.ndarray) -> dict:
    path = write_wav(folder / "one.wav", audio)
    answer = browser.post("/api/samples/files", params={"name": name}, content=path.read_bytes())
    assert answer.status_code == 201, answer.text
    return dict(answer.json())


def some_files(browser: Browser, folder: Path) -> list[dict]:
    return [
        sent(
            browser,
            folder,
            f"Lantern/snare_v{v}_rr{r}.wav",
            decaying_strokes([0.03], [0.2 * v], 0.5, hz=180 + r),
        )
        for v in (1, 2, 3)
        for r in (1, 2)
    ]


def test_a_folder_becomes_an_instrument_that_is_shown_changed_kept_and_used(
    browser: Browser, played: tuple[str, str], tmp_path: Path
) -> None:
    session, part = played
    files = some_files(browser, tmp_path)
    assert all(
        abs(one["attack_s"] - 0.03) < 0.002 and one["measured"]["fundamental_hz"] == pytest.approx(181, abs=4)
        for one in files
    )
    [made] = browser.post("/api/samples/arrange", json={"files": files}).json()["instruments"]
    assert made["piece"] == "snare" and len(made["samples"]) == 6 and "layered" in made["words"]
    kept = browser.post("/api/kits", json={"name": "Lantern kit", "instruments": [made]}).json()
    [instrument_id] = kept["kit"]["instruments"]
    made["name"] = "Lantern snare"
    made["samples"][0]["high_velocity"] = 40
    base = f"/api/kits/{kept['kit_id']}"
    changed = browser.put(f"{base}/instruments/{instrument_id}", json=made).json()["kit"]
    assert changed["instruments"][instrument_id]["name"] == "Lantern snare"
    assert browser.patch(base, json={"favourites": [instrument_id], "name": "Lanterns"}).json()["kit"][
        "favourites"
    ] == [instrument_id]
    copy = browser.post("/api/kits", json={"name": "Copy", "copy_of": kept["kit_id"]}).json()
    assert copy["kit"]["instruments"] == changed["instruments"] and copy["kit_id"] != kept["kit_id"]
    revision = browser.get(f"/api/sessions/{session}").json()["revision"]
    state = browser.post(
        f"/api/sessions/{session}/parts/{part}/layers",
        json={
            "revision": revision,
            "layer_id": "l",
            "kit_id": kept["kit_id"],
            "instrument_id": instrument_id,
        },
    )
    assert state.status_code == 200, state.text

    def sound() -> bytes:
        return browser.get(
            f"/api/sessions/{session}/sound/layers", params={"start": 0, "frames": 2 * RATE_HZ}
        ).content

    before = sound()
    assert np.abs(np.frombuffer(before, "<f4")).max() > 0.01
    # The kit goes; what the session uses of it stays with the session.
    assert browser.delete(base).status_code == 204
    kits = browser.get("/api/library").json()["kits"]
    assert copy["kit_id"] in kits and kept["kit_id"] not in kits
    assert sound() == before
    assert (
        browser.put(f"{base}/instruments/x", json=made).status_code == 404
        and browser.delete(base).status_code == 404
    )
    assert browser.delete("/api/kits/workshop").status_code == 422, "the starter kit stays"
    empty = browser.post("/api/kits", json={}).json()
    assert empty["kit"]["instruments"] == {}
    gone = browser.delete(f"/api/kits/{copy['kit_id']}/instruments/{instrument_id}").json()["kit"]
    assert gone["instruments"] == {} and gone["favourites"] == []
    made["samples"][0]["audio"] = "0" * 64
    assert browser.put(f"/api/kits/{empty['kit_id']}/instruments/x", json=made).status_code == 404, (
        "audio the store does not have"
    )
    made["samples"][0].update(low_velocity=90, high_velocity=40)
    assert browser.put(f"/api/kits/{empty['kit_id']}/instruments/x", json=made).status_code == 422


def test_sfz_in_and_out_again(browser: Browser, tmp_path: Path) -> None:
    named = (("soft", 150), ("hard", 160), ("open", 4000), ("closed", 5000))
    files = [
        sent(browser, tmp_path, f"Stage/samples/{name}.wav", decaying_strokes([0.02], [0.5], 0.4, hz=hz))
        for name, hz in named
    ]
    text = """<group> key=38
        <region> hivel=63 sample=samples/soft.wav
        <region> lovel=64 sample=samples/hard.wav volume=-2
        <group> key=46 off_by=1 <region> sample=samples/open.wav
        <group> key=42 group=1 <region> sample=samples/closed.wav
        <region> sample=../../secret.wav <region> sample=samples/none.wav"""
    answer = browser.post(
        "/api/samples/arrange", json={"files": files, "sfz": {"name": "Stage/stage.sfz", "text": text}}
    ).json()
    assert {one["key"]: len(one["samples"]) for one in answer["instruments"]} == {38: 2, 42: 1, 46: 1}
    assert any("secret" in line and "outside" in line for line in answer["skipped"]) and any(
        "none.wav" in line and "missing" in line for line in answer["skipped"]
    )
    kit = browser.post("/api/kits", json={"name": "Stage", "instruments": answer["instruments"]}).json()[
        "kit_id"
    ]
    out = browser.get(f"/api/kits/{kit}/sfz")
    with zipfile.ZipFile(BytesIO(out.content)) as bundle:
        [text_name] = [name for name in bundle.namelist() if name.endswith(".sfz")]
        again = bundle.read(text_name).decode()
        waves = {
            name: soundfile.read(BytesIO(bundle.read(name)))
            for name in bundle.namelist()
            if name.endswith(".wav")
        }
    assert len(waves) == 4 and all(rate == RATE_HZ for _, rate in waves.values())
    original, _ = soundfile.read(BytesIO((tmp_path / "one.wav").read_bytes()))
    assert np.abs(waves[next(name for name in waves if "closed" in name)][0] - original).max() < 2**-22
    assert again.count("<region>") == 4 and "off_by=1" in again and all(name in again for name in waves)
    refused = browser.post("/api/samples/arrange", json={"files": [], "sfz": {"name": "a.sfz", "text": text}})
    assert refused.status_code == 422 and "None of the samples" in refused.json()["what"]


@pytest.mark.parametrize(
    ("audio", "said"),
    [
        (np.zeros((RATE_HZ // 2, 1)), "is silent"),
        (np.zeros((0, 1)), "holds no samples"),
        (np.full((25 * RATE_HZ, 1), 0.1), "lasts 25 s"),
    ],
)
def test_what_is_no_sample_is_told_so_and_not_kept(
    browser: Browser, tmp_path: Path, audio: np.ndarray, said: str
) -> None:
    path = tmp_path / "bad.wav"
    soundfile.write(str(path), audio, RATE_HZ)
    answer = browser.post("/api/samples/files", params={"name": "bad.wav"}, content=path.read_bytes())
    assert answer.status_code == 422 and said in answer.json()["what"]
    broken = browser.post(
        "/api/samples/files", params={"name": "b.wav"}, content=path.read_bytes()[:20] + b"x" * 50
    )
    assert broken.status_code == 422 and "could not be read" in broken.json()["what"]


def test_a_sample_of_eight_channels_and_another_rate_plays(
    browser: Browser, played: tuple[str, str], tmp_path: Path
) -> None:
    session, part = played
    path = tmp_path / "wide.wav"
    soundfile.write(
        str(path),
        np.repeat(decaying_strokes([0.02], [0.5], 0.4)[:, None], 8, axis=1),
        96000,
        subtype="PCM_24",
        format="WAV",
    )
    instrument = browser.post("/api/samples", params={"name": "wide.wav"}, content=path.read_bytes()).json()
    edit(browser, session, {"kind": "add_layer", "part_id": part, "layer_id": "w", "instrument": instrument})
    heard = np.frombuffer(
        browser.get(f"/api/sessions/{session}/sound/layers", params={"start": 0, "frames": RATE_HZ}).content,
        "<f4",
    )
    assert np.abs(heard).max() > 0.05
