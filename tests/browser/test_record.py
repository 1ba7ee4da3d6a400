"""Passes recorded with the browser's own stand-in for a microphone, in the real interface."""

from __future__ import annotations

import io
import re
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path

import httpx
import mido
import numpy as np
import pytest
from playwright.sync_api import Browser, Page, expect

from tests.browser.conftest import Product, wait_until
from tests.browser.microphone import browser_hearing, document, hits, new_session, page_with_microphone
from tests.conftest import decaying_strokes, write_wav

CLAPS_S = np.arange(0.25, 9.5, 0.5)


@pytest.fixture(scope="module")
def with_microphone(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Browser]:
    """A browser whose microphone hears claps, one every half second."""
    claps = decaying_strokes(CLAPS_S.tolist(), [0.6] * len(CLAPS_S), 10.0, 48000, hz=900)
    path = write_wav(tmp_path_factory.mktemp("microphone") / "claps.wav", claps, 48000, "PCM_16")
    with browser_hearing(path) as browser:
        yield browser


@pytest.fixture
def page(with_microphone: Browser) -> Iterator[Page]:
    with page_with_microphone(with_microphone) as page:
        yield page


def layers(api: str) -> int:
    return sum(len(one["layers"]) for one in document(api)["parts"].values())


def notes(api: str) -> int:
    """How many notes the session's MIDI has."""
    file = mido.MidiFile(file=io.BytesIO(httpx.get(f"{api}/print/midi", timeout=60).content))
    return sum(m.type == "note_on" and m.velocity > 0 for track in file.tracks for m in track)


def recorded(page: Page, seconds: int) -> None:
    """A pass of so many seconds at least, from the line."""
    head = page.locator(".record-head")
    expect(head.get_by_role("button")).to_have_text(re.compile("Record "))
    page.keyboard.press("Alt+r")
    kept = re.compile(rf"recording: ([{seconds}-9]|\d\d)\.\d s kept")
    expect(head.get_by_role("status")).to_contain_text(kept, timeout=60000)
    page.keyboard.press("Alt+r")
    expect(head.get_by_role("button")).to_have_text(re.compile("Record "))


def test_three_pieces_are_clapped_one_after_the_other_and_sound_with_drums(
    product: Product, page: Page, tmp_path: Path
) -> None:
    api = new_session(product, page, "Record")
    page.get_by_label("Tempo, bpm").fill("120")
    page.get_by_label("Tempo, bpm").press("Enter")
    wait_until(page, lambda: document(api)["tempo"]["known"] == "set")
    page.keyboard.press("Escape")
    page.locator(".record-head").click()
    page.keyboard.press("Alt+r")
    expect(page.get_by_role("img", name=re.compile("How loud the microphone"))).to_be_visible()
    for letter, piece in (("K", "kick"), ("S", "snare"), ("H", "hi-hat")):
        page.keyboard.press(f"Shift+{letter}")
        recorded(page, 3)
        wait_until(page, lambda of=piece: of in {part["piece"] for part in document(api)["parts"].values()})
    wait_until(page, lambda: len(hits(api)) == 3 and all(hits(api).values()), 60)
    # Two claps a second for three seconds and more, each pass on a source of its own, from the line on.
    assert all(count >= 4 for count in hits(api).values()), hits(api)
    sources = document(api)["sources"].values()
    assert all(one["clips"][0]["start_s"] == 0.0 for one in sources)
    # Real drums under them.
    page.get_by_role("link", name=re.compile("^Layer")).click()
    for k, hz in enumerate((60, 190, 900), start=1):
        drum = write_wav(tmp_path / f"drum {k}.wav", decaying_strokes([0.05], [0.8], 0.5, hz=hz))
        page.get_by_test_id("sample-file").set_input_files(str(drum))
        wait_until(page, lambda many=k: layers(api) == many)
        page.keyboard.press(".")
    # What was clapped goes on: the best bar once more, as often as is typed, and the grid is one step away.
    page.get_by_role("link", name=re.compile("^Gather")).click()
    page.get_by_role("button", name="Record", exact=True).click()
    before = notes(api)
    page.get_by_label("How many times").fill("3")
    page.get_by_role("button", name="Repeat the best bar").click()
    wait_until(page, lambda: notes(api) > before)
    added = notes(api) - before
    assert added % 3 == 0 and added >= 3 * 3 * 2, "three bars of three parts, some strokes in each"
    page.get_by_role("link", name=re.compile("^To the grid, part of the way")).click()
    expect(page.get_by_label("Name of the feel")).to_be_visible()


def test_another_pass_lies_beside_the_first_and_bars_are_taken_from_either(
    product: Product, page: Page
) -> None:
    api = new_session(product, page, "Record")
    page.get_by_label("Tempo, bpm").fill("240")
    page.get_by_label("Tempo, bpm").press("Enter")
    page.locator(".record-head").click()
    page.keyboard.press("Alt+r")
    recorded(page, 2)
    wait_until(page, lambda: len(document(api)["sources"]) == 1)
    page.get_by_role("button", name="Another pass of this").click()
    page.locator(".record-head").click()
    recorded(page, 2)
    (source,) = document(api)["sources"].values()
    assert len(source["passes"]) == 2
    table = page.get_by_role("table", name=re.compile("^Bars of"))
    table.get_by_role("button", name="Bar 1 from pass 1").click()
    wait_until(page, lambda: next(iter(document(api)["sources"].values()))["chosen"][:2] == [0, 1])
    expect(table.get_by_role("button", name="Bar 1 from pass 1")).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("Control+z")
    wait_until(page, lambda: next(iter(document(api)["sources"].values()))["chosen"] == [])


def test_a_click_without_a_tempo_is_asked_for_and_not_left_silent(product: Product, page: Page) -> None:
    api = new_session(product, page, "Record")
    page.keyboard.press("Alt+r")
    head = page.locator(".record-head")
    expect(head.get_by_role("button")).to_have_text(re.compile("Record "))
    page.keyboard.press("Alt+r")
    asked = page.get_by_test_id("needs-tempo")
    expect(asked.get_by_label("Tempo of the click, bpm")).to_be_focused()
    page.keyboard.press("Escape")
    expect(asked).to_have_count(0)
    expect(head.get_by_role("button")).to_have_text(re.compile("Record "))
    page.keyboard.press("Alt+r")
    page.keyboard.type("200")
    page.keyboard.press("Enter")
    expect(head.get_by_role("status")).to_contain_text(re.compile(r"[1-9]\.\d s kept"), timeout=60000)
    assert document(api)["tempo"]["bpm"] == 200
    page.keyboard.press("Alt+r")
    expect(head.get_by_role("button")).to_have_text(re.compile("Record "))


def test_a_page_that_is_loaded_anew_in_the_middle_loses_nothing(product: Product, page: Page) -> None:
    api = new_session(product, page, "Record")
    being_recorded(page, 2)
    page.reload()
    expect(page.locator(".notice", has_text="A recording was cut off")).to_be_visible(timeout=30000)
    (source,) = document(api)["sources"].values()
    assert source["clips"][0]["length_s"] > 1.8, "all that was said to be kept, from the line on"
    wait_until(page, lambda: sum(hits(api).values()) >= 3, 60)


REFUSING = "navigator.mediaDevices.getUserMedia = async () => {{ throw new DOMException('', '{}') }}"


@pytest.mark.parametrize(
    ("so", "said"),
    [
        (REFUSING.format("NotAllowedError"), "not allowed to use the microphone"),
        (REFUSING.format("NotFoundError"), "There is no microphone"),
        (REFUSING.format("NotReadableError"), "no other program holds it"),
        ("delete window.AudioWorkletNode", "has no audio worklets"),
        ("Object.defineProperty(navigator, 'mediaDevices', { value: undefined })", "may not use microphones"),
    ],
)
def test_a_microphone_that_cannot_be_heard_is_said_so(
    product: Product, page: Page, so: str, said: str
) -> None:
    page.add_init_script(so)
    new_session(product, page, "Record")
    page.keyboard.press("Alt+r")
    expect(page.locator(".notice", has_text=said)).to_be_visible()
    expect(page.locator(".record-head").get_by_role("button")).to_have_text(re.compile("Open the microphone"))


HELD = """const ask = navigator.mediaDevices.getUserMedia.bind(navigator.mediaDevices);
navigator.mediaDevices.getUserMedia = async (what) => (window.heldStream = await ask(what));
const Usual = window.AudioContext;
window.AudioContext = class extends Usual {
  constructor(options) { super(options); window.heldContext = this; }
};"""
TRACK = "window.heldStream.getAudioTracks()[0]"


def being_recorded(page: Page, seconds: int = 1) -> None:
    """A pass of which so many seconds are kept, and that goes on."""
    page.keyboard.press("Alt+r")
    head = page.locator(".record-head")
    expect(head.get_by_role("button")).to_have_text(re.compile("Record "))
    page.keyboard.press("Alt+r")
    # The session has no tempo, so nothing can click.
    page.get_by_test_id("needs-tempo").get_by_role("button", name="Record without click").click()
    expect(head).to_contain_text("recording")
    kept = re.compile(rf"([{seconds}-9]|\d\d)\.\d s kept")
    expect(head.get_by_role("status")).to_contain_text(kept, timeout=60000)


@pytest.mark.parametrize(
    ("happens", "said"),
    [
        (f"{TRACK}.dispatchEvent(new Event('ended'))", "The microphone was taken away. What was played"),
        (f"{TRACK}.getSettings = () => ({{ sampleRate: 8000 }})", "The microphone went from"),
        ("window.heldContext.suspend()", "The browser put the sound of this page to sleep"),
    ],
)
def test_a_microphone_that_stops_leaves_what_was_played(
    product: Product, page: Page, happens: str, said: str
) -> None:
    page.add_init_script(HELD)
    api = new_session(product, page, "Record")
    being_recorded(page)
    page.evaluate(f"void ({happens})")
    expect(page.locator(".notice", has_text=said)).to_contain_text("is kept as a take")
    wait_until(page, lambda: len(document(api)["sources"]) == 1)
    (source,) = document(api)["sources"].values()
    assert source["clips"][0]["length_s"] > 0.8


def test_a_tab_that_goes_to_the_background_goes_on_recording_and_says_so(
    product: Product, page: Page
) -> None:
    api = new_session(product, page, "Record")
    being_recorded(page)
    page.evaluate(
        """Object.defineProperty(document, 'hidden', { value: true, configurable: true });
        document.dispatchEvent(new Event('visibilitychange'));"""
    )
    expect(page.locator(".notice", has_text="Recording goes on")).to_be_visible()
    status = page.locator(".record-head").get_by_role("status")
    expect(status).to_contain_text(re.compile(r"[2-9]\.\d s kept"), timeout=60000)
    page.keyboard.press("Alt+r")
    wait_until(page, lambda: len(document(api)["sources"]) == 1)


def test_the_key_pressed_while_it_is_busy_is_done_as_soon_as_it_can_be(product: Product, page: Page) -> None:
    api = new_session(product, page, "Record")
    page.keyboard.press("Alt+r")
    page.keyboard.press("Alt+r")
    # The microphone opened, and what was asked for next is what begins next.
    page.get_by_test_id("needs-tempo").get_by_role("button", name="Record without click").click()
    status = page.locator(".record-head").get_by_role("status")
    expect(status).to_contain_text(re.compile(r"[1-9]\.\d s kept"), timeout=60000)
    page.keyboard.press("Alt+r")
    page.keyboard.press("Alt+r")
    wait_until(page, lambda: len(document(api)["sources"]) == 1)
    expect(status).to_contain_text(re.compile(r"recording: [1-9]\.\d s kept"), timeout=60000)
    page.keyboard.press("Alt+r")
    wait_until(page, lambda: len(document(api)["sources"]) == 2)


# What the microphone handed over, as it goes on the way, and where the first of it lies.
COUNTED = """const send = WebSocket.prototype.send;
WebSocket.prototype.send = function (data) {
  if (data instanceof ArrayBuffer) {
    const end = Number(new DataView(data).getBigUint64(0, true)) + (data.byteLength - 8) / 4;
    window.heardFrames = Math.max(window.heardFrames ?? 0, end);
  } else if (data.includes('start_s')) window.startS = JSON.parse(data).asked.start_s;
  return send.call(this, data);
};"""


def test_a_server_that_is_killed_in_the_middle_of_a_pass_loses_nothing(page: Page, tmp_path: Path) -> None:
    tmp_path.chmod(0o755)
    page.add_init_script(COUNTED)
    own = Product(tmp_path / "data")
    own.start()
    try:
        api = new_session(own, page, "Record")
        being_recorded(page)
        before = page.evaluate("window.heardFrames")
        own.kill()
        lost = page.locator(".notice", has_text="The connection to Nubrak was lost")
        expect(lost).to_be_visible(timeout=60000)
        own.start()
        # What was played while nobody answered comes too, and is acknowledged.
        status = page.locator(".record-head").get_by_role("status")
        expect(status).to_contain_text(re.compile(r"([4-9]|\d\d)\.\d s kept"), timeout=60000)
        page.keyboard.press("Alt+r")
        wait_until(page, lambda: len(document(api)["sources"]) == 1)
        (source,) = document(api)["sources"].values()
        clip, (frames, start_s) = source["clips"][0], page.evaluate("[window.heardFrames, window.startS]")
        # To the last frame that the microphone handed over, but for what lay before the line; a busy machine
        # may hand over its first frames after the line.
        assert clip["start_s"] == pytest.approx(max(start_s, 0), abs=1 / clip["rate_hz"])
        from_line = frames + min(start_s, 0) * clip["rate_hz"]
        assert clip["length_s"] * clip["rate_hz"] == pytest.approx(from_line, abs=1)
        assert frames > before + clip["rate_hz"], "and what was played meanwhile with it"
    finally:
        with suppress(ProcessLookupError):
            own.interrupt()
