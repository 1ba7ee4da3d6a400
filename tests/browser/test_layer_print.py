"""A layer locked with one key and looked at, and everything printed as one zip that is what was heard."""

from __future__ import annotations

import re
import zipfile
from pathlib import Path

import httpx
import numpy as np
import pytest
import soundfile
from playwright.sync_api import Page, expect

from tests.browser.conftest import Product
from tests.conftest import RATE_HZ, decaying_strokes, write_wav

LENGTH_S = 3.0


@pytest.fixture
def session(product: Product, page: Page, tmp_path: Path) -> str:
    """A kick, and the same kick turned round as its layer, on the Layer bench."""
    page.goto(product.address)
    page.get_by_role("button", name="New session").click()
    strokes = decaying_strokes([0.4, 0.9, 1.4, 1.9, 2.4], [0.6, 0.5, 0.6, 0.4, 0.6], LENGTH_S, hz=60)
    page.get_by_test_id("files").set_input_files(str(write_wav(tmp_path / "kick.wav", strokes)))
    expect(page.get_by_role("button", name=re.compile("kick.wav"))).to_contain_text("5 hits", timeout=40000)
    address = page.url.removesuffix("/gather")
    page.goto(f"{address}/layer")
    page.get_by_test_id("sample-file").set_input_files(
        str(write_wav(tmp_path / "turned.wav", -decaying_strokes([0.05], [0.8], 0.5, hz=60)))
    )
    expect(page.get_by_test_id("lock")).to_contain_text("flip polarity")
    expect(page.get_by_test_id("lock")).to_contain_text("In place")  # a sound comes in locked and at level
    return address


def test_one_key_locks_and_the_overlay_shows_it(session: str, page: Page) -> None:
    lock = page.get_by_test_id("lock")
    page.keyboard.press("z")
    expect(lock.get_by_role("button", name="Lock to recording")).to_be_visible()
    page.keyboard.press("j")
    expect(lock.get_by_role("button", name="Locked")).to_be_visible()
    expect(lock).to_contain_text("In place")
    page.keyboard.press("v")
    expect(page.get_by_test_id("overlay").get_by_role("img")).to_have_attribute(
        "aria-label", re.compile("All 5 hits at their attack, and turned over them")
    )
    for _ in range(2):
        page.keyboard.press("Alt+ArrowRight")
        page.wait_for_timeout(300)
    expect(lock.get_by_role("button", name="Lock to recording")).to_be_visible()
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    expect(lock.get_by_role("button", name="Locked")).to_be_visible()
    page.keyboard.press("Control+z")
    expect(lock).to_contain_text(re.compile(r"\+\d+\.\d dB low end"))


def test_everything_is_printed_in_one_zip_as_it_was_heard(session: str, page: Page, tmp_path: Path) -> None:
    level = page.get_by_label("turned level in dB")
    level.fill("6")
    level.press("Enter")
    expect(level).to_have_value("6.0")
    page.get_by_role("link", name=re.compile("^Print")).click()
    page.get_by_label("File format").select_option("flac")
    page.get_by_label("every part blended").check()
    expect(page.get_by_test_id("stem-report")).to_contain_text("Kick - blend")
    expect(page.locator(".stems")).to_contain_text("over full scale")
    # What would be cut off is said before it is written, with the level that would fit.
    # One key turns the master down by it; it stays, and undo takes it back.
    clips = page.get_by_test_id("clips")
    expect(clips).to_contain_text(re.compile(r"Turn the master down by \d+\.\d dB"))
    page.keyboard.press("Alt+f")
    expect(clips).to_have_count(0)
    assert document_of(session)["master_db"] < 0
    expect(page.get_by_role("button", name="Print them", exact=True)).to_be_enabled()
    page.keyboard.press("Control+z")
    expect(clips).to_be_visible()
    assert document_of(session)["master_db"] == 0
    page.get_by_role("button", name="Print them").click()
    with page.expect_download() as download:
        page.get_by_role("button", name="Print them all the same").click()
    path = tmp_path / "prints.zip"
    download.value.save_as(str(path))
    with zipfile.ZipFile(path) as bundle:
        bundle.extractall(tmp_path / "out")
    read, rate = soundfile.read(str(tmp_path / "out" / f"{document_of(session)['name']} - Everything.flac"))
    base, _, session_id = session.partition("/session/")
    heard = httpx.get(
        f"{base}/api/sessions/{session_id}/sound/both",
        params={"start": 0, "frames": round(LENGTH_S * RATE_HZ)},
        timeout=60,
    ).content
    sound = np.frombuffer(heard, "<f4").reshape(-1, 2)
    assert np.abs(sound).max() > 1, (
        "two locked kicks are louder than a file of whole numbers holds: it was said, and is cut off there"
    )
    assert rate == RATE_HZ and np.abs(np.clip(sound, -1, 1) - read).max() < 3e-7
    page.reload()
    expect(page.get_by_label("every part blended")).to_be_checked()


def document_of(session: str) -> dict:
    base, _, session_id = session.partition("/session/")
    return dict(httpx.get(f"{base}/api/sessions/{session_id}", timeout=60).json()["document"])


def heard(session: str, bus: str, **more: object) -> np.ndarray:
    base, _, session_id = session.partition("/session/")
    answer = httpx.get(
        f"{base}/api/sessions/{session_id}/sound/{bus}",
        params={"start": 0, "frames": round(LENGTH_S * RATE_HZ)} | more,
        timeout=60,
    )
    return np.frombuffer(answer.content, "<f4").reshape(-1, 2)


def test_samples_come_in_are_tried_taken_and_printed(session: str, page: Page, tmp_path: Path) -> None:
    files = [
        str(
            write_wav(
                tmp_path / f"lantern_v{v}_rr{r}.wav", decaying_strokes([0.03], [0.25 * v], 0.5, hz=75 + r)
            )
        )
        for v in (1, 2, 3)
        for r in (1, 2)
    ]
    page.get_by_test_id("sample-file").set_input_files(
        [*files, str(write_wav(tmp_path / "silent.wav", np.zeros(9000, np.float32)))]
    )
    came = page.get_by_test_id("came")
    expect(came).to_contain_text("1 sound came in")
    expect(came).to_contain_text("3 strengths, 6 samples")
    expect(page.get_by_test_id("left-out")).to_contain_text("“silent.wav” is silent")
    first = page.get_by_label("Up to velocity, lantern_v1_rr1.wav")
    expect(first).not_to_have_value("127")
    first.fill("33")
    first.press("Enter")
    came.get_by_label("Piece of Lantern").select_option("kick")
    came.get_by_label("Name of the sound").fill("Big lantern")
    came.get_by_label("Name of the sound").blur()
    page.get_by_role("button", name="Keep them").click()
    expect(page.locator(".kit-line", has_text="Big lantern")).to_contain_text("6 samples")
    page.get_by_role("button", name="kits").click()
    # Searched, stepped to while it plays, heard at once, and nothing is changed by it.
    page.keyboard.press("/")
    page.get_by_label("Search sounds").fill("lantern kick")
    expect(page.locator(".sound-row")).to_have_count(1)
    before = document_of(session)
    page.get_by_label("Search sounds").blur()
    page.keyboard.press("2")
    page.keyboard.press("Space")
    with page.expect_response(lambda response: "/sound/layers" in response.url and "trying=" in response.url):
        page.keyboard.press("ArrowDown")
    expect(page.get_by_test_id("trying")).to_contain_text("Trying Big lantern")
    assert document_of(session) == before
    page.keyboard.press("Escape")
    expect(page.get_by_test_id("trying")).to_have_count(0)
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Shift+Enter")
    expect(page.get_by_label("Big lantern level in dB")).to_be_visible()
    page.keyboard.press("Space")
    [part] = document_of(session)["parts"].values()
    layers = {one["instrument"]["name"]: one for one in part["layers"].values()}
    assert (
        set(layers) == {"turned", "Big lantern"}
        and layers["Big lantern"]["instrument"]["samples"][0]["high_velocity"] == 33
    )
    page.get_by_label("Favourite: Big lantern").click()
    expect(page.get_by_label("Favourite: Big lantern")).to_have_attribute("aria-pressed", "true")
    # The recording gives way, and what is printed is what is heard.
    page.get_by_text("down at hits").click()
    expect(page.locator("#recording-room")).to_be_checked()
    page.get_by_role("link", name=re.compile("^Print")).click()
    page.get_by_label("File format").select_option("wav")
    page.locator("label", has_text="float").click()
    with page.expect_download() as download:
        page.get_by_role("button", name="Print them").click()
    download.value.save_as(str(tmp_path / "prints.zip"))
    with zipfile.ZipFile(tmp_path / "prints.zip") as bundle:
        bundle.extractall(tmp_path / "out")
    for name, bus in (("Everything", "both"), ("All layers", "layers")):
        read, _ = soundfile.read(
            str(tmp_path / "out" / f"{document_of(session)['name']} - {name}.wav"), dtype="float32"
        )
        assert np.array_equal(read, heard(session, bus)), "bit for bit"
    expect(page.get_by_test_id("stem-report")).to_contain_text("Everything")


def test_balance_one_loudness_and_what_was_before(session: str, page: Page) -> None:
    plain = heard(session, "both")
    page.get_by_role("button", name="balance").click()
    balance = page.get_by_test_id("balance")
    balance.get_by_label("Mute Kick, layers").click()
    expect(balance.get_by_label("Mute Kick, layers")).to_have_attribute("aria-pressed", "true")
    assert np.array_equal(heard(session, "both"), heard(session, "recording")) and np.array_equal(
        heard(session, "both", back="true"), plain
    )
    page.keyboard.press("Home")
    page.keyboard.press("Space")
    expect(page.get_by_test_id("whole-reading")).to_contain_text("LUFS")
    with page.expect_response(lambda response: "/sound/" in response.url and "back=true" in response.url):
        page.keyboard.down("x")
    expect(page.locator(".held")).to_contain_text("as it was before")
    page.keyboard.up("x")
    expect(page.locator(".held")).to_contain_text("hold")
    with page.expect_response(lambda response: "/loudness" in response.url):
        page.keyboard.press("4")
    expect(page.locator(".hear")).to_contain_text("at one loudness")
    page.keyboard.press("Control+z")
    expect(balance.get_by_label("Mute Kick, layers")).to_have_attribute("aria-pressed", "false")


def test_an_archive_is_taken_along_and_opened_again(session: str, page: Page, tmp_path: Path) -> None:
    page.get_by_role("link", name=re.compile("^Print")).click()
    with page.expect_download() as download:
        page.get_by_role("button", name="The session itself, as one archive").click()
    path = tmp_path / "session.zip"
    download.value.save_as(str(path))
    page.get_by_role("link", name="Nubrak: all sessions").click()
    broken = tmp_path / "broken.zip"
    broken.write_bytes(path.read_bytes()[:-500])
    page.get_by_test_id("archive-file").set_input_files(str(broken))
    expect(page.get_by_role("alert")).to_contain_text("damaged")
    page.get_by_test_id("archive-file").set_input_files(str(path))
    expect(page).to_have_url(re.compile("/find$"))
    expect(page.locator(".parts .number").first).to_have_text(
        "5", timeout=40000
    )  # its recordings are looked through once more
    other = page.url.removesuffix("/find")
    assert other != session and np.array_equal(heard(session, "both"), heard(other, "both"))
