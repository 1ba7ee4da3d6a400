"""Several sounds by mouth in one pass: each kind of syllable is a group, given to a piece by one key."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from numpy.typing import NDArray
from playwright.sync_api import Browser, Page, expect
from scipy.signal import butter, sosfilt

from tests.browser.conftest import Product, wait_until
from tests.browser.microphone import browser_hearing, document, new_session, page_with_microphone
from tests.conftest import write_wav

RATE_HZ = 48000
SAID = "btkt"  # over and over, four in a second


def syllable(kind: str, rng: np.random.Generator) -> NDArray[np.float64]:
    """A lip's thump, a palate's crack or a tongue's hiss, each with a soft beginning."""
    t = np.arange(round(0.14 * RATE_HZ)) / RATE_HZ
    noise = rng.standard_normal(len(t))
    if kind == "b":
        lips = sosfilt(butter(2, 600, fs=RATE_HZ, output="sos"), noise) * np.exp(-t / 0.01)
        out = np.sin(2 * np.pi * (60 * t + 1.2 * (1 - np.exp(-t / 0.02)))) * np.exp(-t / 0.06) + 0.2 * lips
    elif kind == "k":
        out = sosfilt(butter(2, [900, 3500], "band", fs=RATE_HZ, output="sos"), noise) * np.exp(-t / 0.035)
    else:
        out = 0.5 * sosfilt(butter(4, 6500, "high", fs=RATE_HZ, output="sos"), noise) * np.exp(-t / 0.02)
    return np.asarray(out * np.minimum(t / 0.006, 1.0))


@pytest.fixture
def page(tmp_path: Path) -> Iterator[Page]:
    rng = np.random.default_rng(3)
    take = np.zeros(10 * RATE_HZ)
    for k in range(38):
        one, at = syllable(SAID[k % 4], rng) * rng.uniform(0.5, 0.6), round((0.25 + 0.25 * k) * RATE_HZ)
        take[at : at + len(one)] += one
    path = write_wav(tmp_path / "mouth.wav", take.astype(np.float32), RATE_HZ, "PCM_16")
    browser: Browser
    with browser_hearing(path) as browser, page_with_microphone(browser, steady=path) as page:
        yield page


def test_syllables_become_groups_and_one_key_gives_a_group_to_a_piece(product: Product, page: Page) -> None:
    api = new_session(product, page, "Record")
    page.keyboard.press("Alt+r")
    page.keyboard.press("Shift+U")
    head = page.locator(".record-head")
    expect(head.get_by_role("button")).to_have_text(re.compile("Record by mouth"))
    page.keyboard.press("Alt+r")
    page.get_by_test_id("needs-tempo").get_by_role("button", name="Record without click").click()
    expect(head.get_by_role("status")).to_contain_text(re.compile(r"([6-9]|\d\d)\.\d s kept"), timeout=60000)
    page.keyboard.press("Alt+r")
    page.get_by_role("link", name="Tell the sounds apart").click()
    sounds = page.get_by_role("complementary", name="Sounds")
    told = re.compile("^(Kick|Clap|Snare|Hat, closed|Hat, open|Hat, half) ?[0-9]+")
    expect(sounds.get_by_role("button", name=re.compile("^Kick ?[0-9]+"))).to_be_visible(timeout=60000)

    def pieces() -> set[str]:
        parts = document(api)["parts"].values()
        return {one["piece"] for one in parts if one["sorted_from"]}

    wait_until(page, lambda: len(pieces()) >= 3, 60)
    assert sounds.get_by_role("button", name=told).count() >= 3
    assert "rack-tom" not in pieces()
    lips = sounds.get_by_role("button", name=re.compile("^Kick ?[0-9]+"))
    count = re.search("[0-9]+", lips.inner_text())
    assert count is not None
    lips.click()
    page.keyboard.press("Shift+T")
    expect(sounds.get_by_role("button", name=re.compile(f"^Rack tom ?{count[0]}"))).to_be_visible()
    expect(lips).to_have_count(0)
    page.keyboard.press("Control+z")
    expect(lips).to_be_visible()
