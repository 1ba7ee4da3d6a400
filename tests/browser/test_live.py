"""Drums that trigger while they are played, from the simulated stage and from a microphone, in the real
interface.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from pathlib import Path

import httpx
import numpy as np
import pytest
from playwright.sync_api import Browser, Page, expect

from tests.browser.conftest import Product, wait_until
from tests.browser.microphone import browser_hearing, document, hits, new_session, page_with_microphone
from tests.conftest import decaying_strokes, write_wav

KICKS_S, SNARES_S = np.arange(0.25, 9.5, 1.0), np.arange(0.75, 9.5, 1.0)


@pytest.fixture(scope="module")
def kit(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """What the two inputs of the microphone hear: a kick and a snare, in turn every half second."""
    drums = [
        decaying_strokes(at.tolist(), [0.6] * len(at), 10.0, 48000, hz=hz)
        for at, hz in ((KICKS_S, 62), (SNARES_S, 330))
    ]
    path = tmp_path_factory.mktemp("microphone") / "kit.wav"
    return write_wav(path, np.stack(drums, axis=1), 48000, "PCM_16")


@pytest.fixture(scope="module")
def with_microphone(kit: Path) -> Iterator[Browser]:
    with browser_hearing(kit) as browser:
        yield browser


@pytest.fixture
def page(with_microphone: Browser) -> Iterator[Page]:
    with page_with_microphone(with_microphone) as page:
        yield page


@pytest.fixture
def steady_page(with_microphone: Browser, kit: Path) -> Iterator[Page]:
    with page_with_microphone(with_microphone, steady=kit) as page:
        yield page


def test_the_stage_triggers_while_it_plays_and_is_kept(product: Product, page: Page, tmp_path: Path) -> None:
    times = [0.5, 1.0, 1.5, 2.0, 2.5, 3.0]
    path = write_wav(tmp_path / "snare.wav", decaying_strokes(times, [0.6, 0.3] * 3, 3.5))
    api = new_session(product, page, "Sources")
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
    (take,) = json.loads(httpx.get(f"{api}/live", timeout=60).text)
    assert take["latency"]["median_ms"] < 60


def test_a_microphone_triggers_while_it_is_played_and_is_kept_with_its_sound(
    product: Product, page: Page, tmp_path: Path
) -> None:
    times = [0.5, 1.0, 1.5, 2.0]
    path = write_wav(tmp_path / "kick.wav", decaying_strokes(times, [0.6] * 4, 2.5, hz=62))
    api = new_session(product, page, "Sources")
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
    (take,) = httpx.get(f"{api}/live", timeout=60).json()
    assert take["strokes"] >= 3


def test_two_inputs_of_a_microphone_trigger_two_parts_and_are_recorded_as_such(
    product: Product, steady_page: Page, tmp_path: Path
) -> None:
    page = steady_page
    api = new_session(product, page, "Sources")
    for name, hz, at in (("kick", 62, [0.5, 1.5, 2.5]), ("snare", 330, [1.0, 2.0, 3.0])):
        page.get_by_test_id("files").set_input_files(
            str(write_wav(tmp_path / f"{name}.wav", decaying_strokes(at, [0.6] * 3, 3.5, hz=hz)))
        )
        wait_until(page, lambda of=name: hits(api).get(of) == 3, 60)
    page.get_by_role("button", name="Live", exact=True).click()
    page.get_by_role("radio", name=re.compile("^A microphone")).click()
    page.get_by_label("Kick", exact=True).select_option("input 1")
    page.get_by_label("Snare", exact=True).select_option("input 7")
    page.keyboard.press("Alt+l")
    expect(page.locator(".notice")).to_contain_text("Snare listens to input 7")
    page.get_by_label("Snare", exact=True).select_option("input 2")
    page.keyboard.press("Alt+l")
    status = page.locator(".record-head").get_by_role("status")
    expect(status).to_contain_text(re.compile(r"([5-9]|\d\d)\.\d s heard"), timeout=120000)
    page.keyboard.press("Alt+l")
    wait_until(page, lambda: len(document(api)["sources"]) == 4)
    made = [one for key, one in document(api)["parts"].items() if key.startswith("of-")]
    assert [one["piece"] for one in made] == ["kick", "snare"]
    (take,) = httpx.get(f"{api}/live", timeout=60).json()
    assert take["strokes"] >= 8

    def differ() -> int:
        """How often live playing and Find say differently what was struck in the two recordings."""
        found = httpx.get(f"{api}/live/{take['id']}/differences", timeout=60).json()
        return len(found)

    # The first and the last stroke may be cut off; to the stroke it is shown in tests/web/test_live.py.
    wait_until(page, lambda: differ() <= 2, 60)
