"""Two microphones on one drum put to each other, and a sound font dropped on Layer, in the real interface."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import httpx
import numpy as np
from playwright.sync_api import Page, expect

from tests.browser.conftest import Product, wait_until
from tests.conftest import RATE_HZ, decaying_strokes, write_wav
from tests.core.samples.test_sound_font import a_kit

LATE = 70  # samples


def sources(page: Page) -> dict[str, Any]:
    address = re.sub(r"/session/([^/]+)/.*", r"/api/sessions/\1", page.url)
    found: dict[str, Any] = httpx.get(address, timeout=60).json()["document"]["sources"]
    return {one["name"]: one for one in found.values()}


def test_the_outer_microphone_is_put_to_the_inner_one_and_each_keeps_its_own(
    product: Product, page: Page, tmp_path: Path
) -> None:
    inside = decaying_strokes([0.4 + 0.5 * n for n in range(10)], [0.4] * 10, 6.0, hz=70)
    outside = (-0.5 * np.roll(inside, LATE)).astype(np.float32)
    page.goto(product.address)
    page.get_by_role("button", name="New session").click()
    page.wait_for_url("**/gather")
    for name, audio in (("Kick in", inside), ("Kick out", outside)):
        page.get_by_test_id("files").set_input_files(str(write_wav(tmp_path / f"{name}.wav", audio)))
        expect(page.get_by_role("button", name=re.compile(f"{name}.wav"))).to_be_visible()
    page.get_by_role("button", name=re.compile("Kick out.wav")).click()
    expect(page.get_by_text("2 microphones, one kick")).to_be_visible()
    fit = page.get_by_test_id("microphone-fit")
    expect(fit).to_contain_text(
        re.compile(r"Turned round, 1\.5\d ms earlier: \d\.\d dB more low end"), timeout=60000
    )
    fit.get_by_role("button", name="Put it so").click()
    expect(fit).to_contain_text("as it stands")
    one = sources(page)["Kick out.wav"]["microphone"]
    assert one["polarity"] == -1 and abs(one["delay_ms"] + 1000 * LATE / RATE_HZ) < 0.03
    level = page.get_by_label("Level in dB")
    level.fill("-4.5")
    level.press("Enter")
    wait_until(page, lambda: sources(page)["Kick out.wav"]["microphone"]["level_db"] == -4.5)
    page.get_by_label("This one is heard").click()
    wait_until(page, lambda: not sources(page)["Kick out.wav"]["microphone"]["on"])
    page.keyboard.press("Control+z")
    wait_until(page, lambda: sources(page)["Kick out.wav"]["microphone"]["on"])
    page.get_by_label("Find its strokes on").select_option(label="Kick in.wav alone")
    expect(page.get_by_label("Find its strokes on")).to_have_value(re.compile(".+"))
    assert sources(page)["Kick in.wav"]["microphone"]["level_db"] == 0.0


def test_a_sound_font_comes_in_as_kits_and_a_damaged_one_says_so(
    product: Product, page: Page, tmp_path: Path
) -> None:
    page.goto(product.address)
    page.get_by_role("button", name="New session").click()
    page.wait_for_url("**/gather")
    strokes = decaying_strokes([0.4, 0.9, 1.4], [0.5] * 3, 2.0, hz=190)
    page.get_by_test_id("files").set_input_files(str(write_wav(tmp_path / "snare.wav", strokes)))
    expect(page.get_by_role("button", name=re.compile("snare.wav"))).to_contain_text("3 hits", timeout=40000)
    page.get_by_role("link", name=re.compile("^Layer")).click()
    good, bad = tmp_path / "lanterns.sf2", tmp_path / "broken.sf2"
    good.write_bytes(a_kit().data)
    bad.write_bytes(a_kit().data[:-200])
    page.get_by_test_id("sample-file").set_input_files([str(good), str(bad)])
    came = page.get_by_test_id("came")
    expect(came).to_contain_text("1 kit is in the library now", timeout=60000)
    expect(page.get_by_test_id("kits-came")).to_contain_text("Paper kit, Lanterns")
    expect(page.get_by_test_id("left-out")).to_contain_text("broken.sf2: This sound font is damaged")
    page.keyboard.press("/")
    page.get_by_label("Search sounds").fill("paper")
    expect(page.locator(".sound-row")).to_have_count(1)
    paper = page.get_by_role("group", name="Sounds").get_by_role("button", name=re.compile("^Paper"))
    paper.click()
    expect(paper).to_have_attribute("aria-pressed", "true")
