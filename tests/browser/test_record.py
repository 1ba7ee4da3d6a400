"""Passes recorded with the browser's own stand-in for a microphone, and drums that trigger while they are
played, in the real interface.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx
import numpy as np
import pytest
from playwright.sync_api import Browser, Page, expect, sync_playwright

from tests.browser.conftest import FLAGS, Product, wait_until
from tests.conftest import decaying_strokes, write_wav

CLAPS_S = np.arange(0.25, 9.5, 0.5)


@pytest.fixture(scope="module")
def with_microphone(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Browser]:
    """A browser whose microphone hears claps, one every half second, over and over."""
    path = tmp_path_factory.mktemp("microphone") / "claps.wav"
    claps = decaying_strokes(CLAPS_S.tolist(), [0.6] * len(CLAPS_S), 10.0, 48000, hz=900)
    write_wav(path, claps, 48000, "PCM_16")
    flags = [
        *FLAGS,
        "--use-fake-ui-for-media-stream",
        "--use-fake-device-for-media-stream",
        f"--use-file-for-fake-audio-capture={path}",
        "--autoplay-policy=no-user-gesture-required",
    ]
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=flags)
        yield browser
        browser.close()


@pytest.fixture
def page(with_microphone: Browser) -> Iterator[Page]:
    context = with_microphone.new_context(viewport={"width": 1280, "height": 800})
    context.grant_permissions(["microphone"])
    page = context.new_page()
    wrong: list[str] = []
    page.on("pageerror", lambda error: wrong.append(str(error)))
    page.on("console", lambda one: wrong.append(one.text) if "Content Security Policy" in one.text else None)
    yield page
    context.close()
    assert not wrong


def opened(product: Product, page: Page) -> str:
    """A new session in Record; its address in the API."""
    page.goto(product.address)
    page.get_by_role("button", name="New session").click()
    page.wait_for_url("**/gather")
    page.get_by_role("button", name="Record", exact=True).click()
    return f"{product.address}/api/sessions/{page.url.split('/session/')[1].split('/')[0]}"


def document(api: str) -> dict[str, Any]:
    found: dict[str, Any] = httpx.get(api).json()["document"]
    return found


def hits(api: str) -> dict[str, int]:
    lines, parts = httpx.get(f"{api}/overview", timeout=60).json()["parts"], document(api)["parts"]
    return {
        parts[one["part_id"]]["piece"]: len(one["time_s"])
        for one in lines
        if one["progress"] >= 1 and one["part_id"] in parts
    }


def layers(api: str) -> int:
    return sum(len(one["layers"]) for one in document(api)["parts"].values())


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
    api = opened(product, page)
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


def test_another_pass_lies_beside_the_first_and_bars_are_taken_from_either(
    product: Product, page: Page
) -> None:
    api = opened(product, page)
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


def test_a_page_that_is_loaded_anew_in_the_middle_loses_nothing(product: Product, page: Page) -> None:
    api = opened(product, page)
    page.keyboard.press("Alt+r")
    head = page.locator(".record-head")
    expect(head.get_by_role("button")).to_have_text(re.compile("Record "))
    page.keyboard.press("Alt+r")
    expect(head).to_contain_text("recording")
    expect(head.get_by_role("status")).to_contain_text(re.compile(r"[2-9]\.\d s kept"), timeout=60000)
    page.reload()
    expect(page.locator(".notice")).to_contain_text("A recording was cut off", timeout=30000)
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
    opened(product, page)
    page.keyboard.press("Alt+r")
    expect(page.locator(".notice")).to_contain_text(said)
    expect(page.locator(".record-head").get_by_role("button")).to_have_text(re.compile("Open the microphone"))


def test_a_microphone_that_is_taken_away_leaves_what_was_played(product: Product, page: Page) -> None:
    page.add_init_script(
        """const ask = navigator.mediaDevices.getUserMedia.bind(navigator.mediaDevices);
        navigator.mediaDevices.getUserMedia = async (what) => (window.heldStream = await ask(what));"""
    )
    api = opened(product, page)
    page.keyboard.press("Alt+r")
    head = page.locator(".record-head")
    expect(head.get_by_role("button")).to_have_text(re.compile("Record "))
    page.keyboard.press("Alt+r")
    expect(head).to_contain_text("recording")
    expect(head.get_by_role("status")).to_contain_text(re.compile(r"[1-9]\.\d s kept"), timeout=60000)
    page.evaluate("window.heldStream.getAudioTracks()[0].dispatchEvent(new Event('ended'))")
    expect(page.locator(".notice")).to_contain_text("The microphone was taken away")
    wait_until(page, lambda: len(document(api)["sources"]) == 1)
    (source,) = document(api)["sources"].values()
    assert source["clips"][0]["length_s"] > 0.8


def test_the_stage_triggers_while_it_plays_and_is_kept(product: Product, page: Page, tmp_path: Path) -> None:
    times = [0.5, 1.0, 1.5, 2.0, 2.5, 3.0]
    path = write_wav(tmp_path / "snare.wav", decaying_strokes(times, [0.6, 0.3] * 3, 3.5))
    api = opened(product, page)
    page.get_by_role("button", name="Sources", exact=True).click()
    page.get_by_test_id("files").set_input_files(str(path))
    wait_until(page, lambda: sum(hits(api).values()) == 6, 60)
    page.get_by_role("button", name="Live", exact=True).click()
    page.keyboard.press("Alt+l")
    expect(page.get_by_text("6 the same")).to_be_visible(timeout=120000)
    expect(page.get_by_text("0 false, 0 missed")).to_be_visible()
    expect(page.locator(".live-take")).to_contain_text("6 strokes", timeout=30000)
    expect(page.locator(".live-take")).to_contain_text("ms from stroke to note")
    expect(page.locator(".live-take")).not_to_contain_text("missed live")
    expect(page.get_by_role("link", name="Take it as MIDI")).to_be_visible()
    (take,) = json.loads(httpx.get(f"{api}/live").text)
    assert take["latency"]["median_ms"] < 60


def test_a_microphone_triggers_while_it_is_played_and_is_kept_with_its_sound(
    product: Product, page: Page, tmp_path: Path
) -> None:
    times = [0.5, 1.0, 1.5, 2.0]
    path = write_wav(tmp_path / "clap.wav", decaying_strokes(times, [0.6] * 4, 2.5, hz=900))
    api = opened(product, page)
    page.get_by_role("button", name="Sources", exact=True).click()
    page.get_by_test_id("files").set_input_files(str(path))
    wait_until(page, lambda: sum(hits(api).values()) == 4, 60)
    page.get_by_role("button", name="Live", exact=True).click()
    page.get_by_role("radio", name=re.compile("^A microphone")).click()
    page.keyboard.press("Alt+l")
    status = page.locator(".record-head").get_by_role("status")
    expect(status).to_contain_text(re.compile(r"[3-9]\.\d s heard"), timeout=120000)
    page.keyboard.press("Alt+l")
    expect(page.locator(".live-take")).to_contain_text("microphone")
    wait_until(page, lambda: len(document(api)["sources"]) == 2)
    (take,) = httpx.get(f"{api}/live").json()
    assert take["strokes"] >= 3
