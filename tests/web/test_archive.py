"""Session archives: what was packed opens alike elsewhere; what is damaged or hostile is refused, and nothing
of it is kept.
"""

from __future__ import annotations

import hashlib
import json
import zipfile
from collections.abc import Callable
from io import BytesIO
from pathlib import Path

import numpy as np
import pytest
import soundfile
from sqlalchemy import func, select
from sqlalchemy.orm import Session as Db

from nubrak.desk import jobs
from nubrak.store.tables import AudioRow
from tests.conftest import RATE_HZ, decaying_strokes, write_wav
from tests.web.conftest import Browser
from tests.web.test_record import recorded
from tests.web.test_shape_routes import edit


@pytest.fixture
def packed(browser: Browser, played: tuple[str, str], tmp_path: Path) -> tuple[str, bytes]:
    """A session with a layer, a mark and a float recording beside it, and its archive."""
    session, part = played
    path = write_wav(tmp_path / "own.wav", decaying_strokes([0.02], [0.5], 0.4, hz=90))
    instrument = browser.post("/api/samples", params={"name": path.name}, content=path.read_bytes()).json()
    edit(
        browser,
        session,
        {
            "kind": "add_layer",
            "part_id": part,
            "layer_id": "l",
            "instrument": instrument,
            "changes": {"tune_semitones": 2.5, "polarity": -1},
        },
    )
    edit(
        browser, session, {"kind": "mark", "part_id": part, "marks": {"m": {"kind": "drop", "time_s": 0.75}}}
    )
    loud = tmp_path / "snare.wav"
    soundfile.write(str(loud), 1.7 * decaying_strokes([0.3], [0.9], 1.0), RATE_HZ, subtype="FLOAT")
    browser.drop(session, loud)
    return session, archive_of(browser, session)


def archive_of(browser: Browser, session: str) -> bytes:
    said = browser.done(browser.post(f"/api/sessions/{session}/archive/jobs"))
    assert said["done"], said
    answer = browser.get(f"/api/jobs/{said['job_id']}/file")
    assert "filename" in answer.headers["content-disposition"]
    return answer.content


def opening(browser: Browser, data: bytes) -> dict:
    return browser.done(browser.post("/api/archives", params={"name": "a.zip"}, content=data))


def opened(browser: Browser, data: bytes) -> dict:
    said = opening(browser, data)
    assert said["done"], said
    browser.work()
    return dict(browser.get(f"/api/sessions/{said['opened']['session_id']}").json())


def sound(browser: Browser, session: str, bus: str) -> np.ndarray:
    return np.frombuffer(
        browser.get(
            f"/api/sessions/{session}/sound/{bus}", params={"start": 0, "frames": 2 * RATE_HZ}
        ).content,
        "<f4",
    )


def test_an_archive_opens_alike_and_holds_open_files(browser: Browser, packed: tuple[str, bytes]) -> None:
    session, data = packed
    with zipfile.ZipFile(BytesIO(data)) as files:
        manifest = json.loads(files.read("session.json"))
        names = files.namelist()
        assert files.read("session.mid")[:4] == b"MThd"
        for name in names:
            if "/" in name:
                assert name.split("/")[1].split(".")[0] == hashlib.sha256(files.read(name)).hexdigest()
        kinds = {one["name"]: one["path"].rsplit(".")[-1] for one in manifest["audio"].values()}
    assert manifest["format"] == "nubrak-session" and manifest["version"] == 1
    assert kinds == {"kick.wav": "flac", "snare.wav": "wav", "own.wav": "flac"}, (
        "float stays as it came, for FLAC could not hold it"
    )
    other = opened(browser, data)
    assert other["id"] != session
    first = browser.get(f"/api/sessions/{session}").json()["document"]
    for bus in ("recording", "layers", "both"):
        assert np.array_equal(sound(browser, session, bus), sound(browser, other["id"], bus)), bus
    one, two = (browser.get(f"/api/sessions/{key}/print/midi").content for key in (session, other["id"]))
    assert one == two

    def plain(document: dict) -> str:
        return "".join("" if len(word) == 64 else word for word in json.dumps(document).split('"'))

    assert plain(first) == plain(other["document"]), "all but the names of the audio is the same"
    again = archive_of(browser, other["id"])
    with zipfile.ZipFile(BytesIO(again)) as files:
        assert set(files.namelist()) == set(names), "packed once more it is the same audio"


def changed(data: bytes, change: Callable[[dict[str, bytes]], None]) -> bytes:
    with zipfile.ZipFile(BytesIO(data)) as files:
        held = {name: files.read(name) for name in files.namelist()}
    change(held)
    out = BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as files:
        for name, body in held.items():
            files.writestr(name, body)
    return out.getvalue()


def manifest_with(**values: object) -> Callable[[dict[str, bytes]], None]:
    def change(held: dict[str, bytes]) -> None:
        held["session.json"] = json.dumps(json.loads(held["session.json"]) | values).encode()

    return change


def audio_name(held: dict[str, bytes]) -> str:
    return next(name for name in held if name.startswith("audio/"))


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (lambda held: held.update({"../../etc/evil": b"x"}), "has no place"),
        (lambda held: held.update({"audio/" + "a" * 64 + ".exe": b"x"}), "has no place"),
        (lambda held: held.update({"/etc/passwd": b"x"}), "has no place"),
        (lambda held: held.update({"session.mid": bytes(400 << 20)}), "unpacks to far more"),
        (lambda held: held.pop("session.json"), "has no session.json"),
        (lambda held: held.update({"session.json": b"{"}), "cannot be read"),
        (manifest_with(version=99), "newer Nubrak"),
        (manifest_with(format="else"), "something else"),
        (manifest_with(document={"name": ""}), "damaged at name"),
        (lambda held: held.pop(audio_name(held)), "audio files are missing"),
        (
            lambda held: held.update({audio_name(held): held[audio_name(held)][:-20] + bytes(20)}),
            "not what it was",
        ),
    ],
    ids=lambda value: value if isinstance(value, str) else "",
)
def test_what_is_hostile_damaged_or_not_whole_is_refused_with_a_reason(
    browser: Browser, packed: tuple[str, bytes], change: Callable[[dict[str, bytes]], None], said: str
) -> None:
    sessions, stored = browser.get("/api/sessions").json(), _stored(browser)
    problem = opening(browser, changed(packed[1], change))["problem"]
    assert problem and said in problem["what"], problem
    assert browser.get("/api/sessions").json() == sessions and _stored(browser) == stored, (
        "none of its audio is kept either"
    )
    assert not browser.left_behind()


def _stored(browser: Browser) -> int:
    with Db(browser.app.state.desk.engine) as db:  # type: ignore[attr-defined]
        return int(db.scalar(select(func.count()).select_from(AudioRow)) or 0)


def test_what_is_cut_off_or_no_archive_is_refused(browser: Browser, packed: tuple[str, bytes]) -> None:
    data = packed[1]
    flipped = bytearray(data)
    flipped[len(data) // 3] ^= 0xFF
    for body in (data[: len(data) // 2], b"", b"RIFF" + bytes(100), bytes(flipped)):
        assert opening(browser, body)["problem"]["what"]
    # Two entries of one name: readers differ in which of them they see.
    twice = BytesIO(data)
    with zipfile.ZipFile(twice, "a") as files, pytest.warns(UserWarning, match="Duplicate"):
        files.writestr("session.json", b"{}")
    assert "two files of one name" in opening(browser, twice.getvalue())["problem"]["what"]


def test_an_archive_opened_by_a_worker_that_was_killed_is_not_opened_twice(
    browser: Browser, packed: tuple[str, bytes]
) -> None:
    desk = browser.app.state.desk  # type: ignore[attr-defined]
    job_id = browser.post("/api/archives", content=packed[1]).json()["job_id"]
    count = len(desk.sessions.all())
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(jobs, "finish", lambda *_: (_ for _ in ()).throw(KeyboardInterrupt))
        with pytest.raises(KeyboardInterrupt):
            jobs.run_job(desk, job_id)
    jobs.run_job(desk, job_id)
    assert browser.get(f"/api/jobs/{job_id}").json()["done"]
    assert len(desk.sessions.all()) == count + 1


def test_all_passes_of_a_source_come_along(browser: Browser) -> None:
    session = browser.session()
    first, second = (decaying_strokes([at], [0.5], 1.0, seed=seed) for at, seed in ((0.2, 1), (0.5, 2)))
    (source_id,) = recorded(browser, session, first)
    recorded(browser, session, second, beside=source_id)
    other = opened(browser, archive_of(browser, session))
    (source,) = other["document"]["sources"].values()
    assert len(source["passes"]) == 2 and source["room"]
    desk = browser.app.state.desk  # type: ignore[attr-defined]
    for clip, played in zip(source["passes"], (first, second), strict=True):
        assert np.array_equal(np.asarray(desk.cache.decoded(clip["audio"]))[:, 0], played)
