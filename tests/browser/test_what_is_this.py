"""What a recording is, where its name says nothing: told by its sound, and asked where that is not sure."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import httpx
import numpy as np
from playwright.sync_api import Page, expect

from tests.browser.conftest import Product, wait_until
from tests.conftest import RATE_HZ, write_wav
from tests.core.sort.made import beat, mixture


def document(page: Page) -> dict[str, Any]:
    address = re.sub(r"/session/([^/]+)/.*", r"/api/sessions/\1", page.url)
    found: dict[str, Any] = httpx.get(address, timeout=60).json()["document"]
    return found


def unclear(folder: Path) -> Path:
    """A few short thumps with a little noise, as many things sound."""
    rng = np.random.default_rng(8)
    t = np.arange(round(0.15 * RATE_HZ)) / RATE_HZ
    out = np.zeros(6 * RATE_HZ, np.float32)
    for k, at in enumerate(np.cumsum(rng.uniform(0.3, 0.7, 9))):
        hz = (140, 210, 150)[k % 3]
        stroke = np.sin(2 * np.pi * hz * t) + 0.4 * rng.standard_normal(len(t))
        begin = round(at * RATE_HZ)
        out[begin : begin + len(t)] += 0.3 * rng.uniform(0.5, 1.0) * stroke * np.exp(-t / 0.03)
    return write_wav(folder / "take 2.wav", out)


def test_a_nameless_loop_is_told_and_what_is_not_sure_is_asked_with_one_key_each(
    product: Product, page: Page, tmp_path: Path
) -> None:
    page.goto(product.address)
    page.get_by_role("button", name="New session").click()
    loop = write_wav(tmp_path / "take 1.wav", mixture(beat(), 4.0))
    page.get_by_test_id("files").set_input_files(str(loop))
    wait_until(page, lambda: len(document(page)["sources"]) == 1)
    (source,) = document(page)["sources"].values()
    assert source["guess"]["piece"] == "loop", source["guess"]
    assert document(page)["name"] == "take 1"
    page.get_by_test_id("files").set_input_files(str(unclear(tmp_path)))
    wait_until(page, lambda: len(document(page)["sources"]) == 2)
    guess = next(one for one in document(page)["sources"].values() if one["name"] == "take 2.wav")["guess"]
    assert guess["asks"] and guess["sure"] < 0.7 and guess["others"], guess
    row = page.get_by_role("button", name=re.compile("take 2.wav"))
    expect(row).to_contain_text("is it ")
    row.click()
    asked = page.get_by_role("group", name="What is take 2.wav?")
    expect(asked.get_by_role("button", name=re.compile(r"\d %"))).to_have_count(1 + len(guess["others"]))
    # Pointing at it plays it.
    with page.expect_response(lambda answer: "/sound/recording" in answer.url and "part=" in answer.url):
        asked.hover()
    # One key says it, whatever was thought likelier, and it is not asked again.
    page.mouse.move(5, 5)
    page.keyboard.press("Shift+L")
    expect(asked).to_have_count(0)
    pieces = {one["piece"] for one in document(page)["parts"].values() if not one["sorted_from"]}
    assert pieces == {"loop", "clap"}
    expect(row).not_to_contain_text("is it ")
