"""A kit of microphones in the real interface: pairs and parts, the spill map, choosing many at once, marks,
Second look to its end.
"""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import Product
from tests.conftest import decaying_strokes, kit_files, write_wav


@pytest.fixture
def session(product: Product, page: Page, tmp_path: Path) -> str:
    """A new session with the kit's files dropped, all of them listened to."""
    page.goto(product.address)
    page.get_by_role("button", name="New session").click()
    page.get_by_test_id("files").set_input_files([str(path) for path in kit_files(tmp_path)])
    expect(page.get_by_role("button", name=re.compile("Snare Top.wav"))).to_contain_text(
        "10 hits", timeout=40000
    )
    expect(page.get_by_role("button", name=re.compile("OH L\\+R.wav"))).to_contain_text("hit", timeout=40000)
    return page.url.removesuffix("/gather")


def test_microphones_become_parts_and_the_map_shows_who_leaks(session: str, page: Page) -> None:
    lanes = page.locator("button.source")
    expect(lanes).to_have_count(4)
    expect(page.get_by_role("button", name=re.compile("Kick Out.wav"))).to_contain_text("same part")
    page.get_by_role("button", name=re.compile("Kick Out.wav")).click()
    page.get_by_role("button", name="Make it a part of its own").click()
    expect(page.get_by_role("button", name=re.compile("Kick Out.wav"))).to_contain_text("hits")
    page.keyboard.press("Control+z")
    expect(page.get_by_role("button", name=re.compile("Kick Out.wav"))).to_contain_text("same part")
    page.get_by_role("button", name=re.compile("Snare Top.wav")).click()
    page.keyboard.press("Shift+Delete")
    expect(page.get_by_role("button", name=re.compile("Snare Top.wav"))).to_contain_text("set aside")
    page.keyboard.press("Shift+Delete")
    page.keyboard.press("v")
    page.keyboard.press("v")
    row = page.get_by_test_id("spill-map").get_by_role("row", name=re.compile("^Snare"))
    expect(row).to_contain_text("dB")
    expect(row).to_contain_text(re.compile(r"\+\d\.\d ms"))


def test_many_at_once_by_hand_and_taken_back_one_by_one(session: str, page: Page) -> None:
    page.goto(f"{session}/find")
    snare = page.locator(".parts .list-group-item", has_text="Snare")
    snare.click()
    expect(page.get_by_test_id("sums")).to_contain_text("10 hits")
    page.keyboard.press("0")
    page.keyboard.press("Home")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("e")
    chosen = page.get_by_test_id("chosen")
    expect(chosen).to_contain_text("chosen:")
    many = int(re.match(r"(\d+) chosen", chosen.inner_text()).group(1))  # type: ignore[union-attr]
    assert many >= 2
    page.keyboard.press("d")
    expect(page.get_by_test_id("sums")).to_contain_text(f"{10 - many} hit")
    page.keyboard.press("v")
    marks = page.get_by_test_id("marks").locator("li")
    expect(marks).to_have_count(many)
    marks.first.get_by_role("button", name=re.compile("Take back")).click()
    expect(marks).to_have_count(many - 1)
    page.keyboard.press("Control+z")
    expect(page.get_by_text(re.compile("Undone: Snare: take back 1 mark"))).to_be_visible()
    page.keyboard.press("Control+z")
    expect(page.get_by_test_id("sums")).to_contain_text("10 hits")

    # a box drawn over the field chooses what lies in it
    stage = page.get_by_test_id("stage").bounding_box()
    assert stage is not None
    top = stage["y"] + 22 + (stage["height"] - 22) * 0.27 + 20
    page.mouse.move(stage["x"] + 60, top)
    page.mouse.down()
    page.mouse.move(stage["x"] + stage["width"] - 150, stage["y"] + stage["height"] - 14, steps=5)
    page.mouse.up()
    expect(chosen).to_contain_text("chosen:")
    page.keyboard.press("Escape")

    # a hit nudged stays where it was put
    page.keyboard.press("Home")
    page.keyboard.press("ArrowRight")
    expect(chosen).to_contain_text("0:00.80")
    page.keyboard.press("Alt+ArrowRight")
    page.keyboard.press("Alt+ArrowRight")
    expect(chosen).to_contain_text("0:00.801")
    expect(page.get_by_test_id("sums")).to_contain_text("1 by hand")

    # the line bent: a point above the strokes of the beginning loses them, and only them
    page.get_by_role("button", name=re.compile("Found$")).click()
    page.keyboard.press("c")
    page.mouse.click(stage["x"] + 70, top + 4)
    page.mouse.click(stage["x"] + stage["width"] * 0.5, stage["y"] + stage["height"] - 120)
    page.keyboard.press("c")
    expect(page.get_by_role("button", name=re.compile("Bent at 2"))).to_be_visible()
    page.get_by_role("button", name="straighten").click()
    expect(page.get_by_role("button", name=re.compile("Bend the line"))).to_be_visible()


def test_second_look_is_worked_off_with_the_keyboard_to_its_end(session: str, page: Page) -> None:
    page.goto(f"{session}/find")
    page.locator(".parts .list-group-item", has_text="Snare").click()
    expect(page.get_by_test_id("sums")).to_contain_text("10 hits")
    # a threshold amid the strokes makes them doubtful
    level = page.get_by_label("Threshold in dB")
    level.fill("-14.5")
    level.press("Enter")
    expect(page.get_by_label("Threshold in dB")).to_have_value("−14.5")
    page.keyboard.press("Escape")
    level.blur()
    page.keyboard.press("q")
    look = page.get_by_test_id("second-look")
    expect(look).to_contain_text("wrong with")
    expect(page.get_by_test_id("look-reason")).to_contain_text(re.compile("Counts|Does not count"))
    total = int(page.get_by_test_id("look-count").inner_text().partition("of ")[2].split()[0])
    assert total >= 2
    first = page.get_by_test_id("look-reason").inner_text()
    page.keyboard.press("ArrowRight")
    expect(page.get_by_test_id("look-reason")).not_to_have_text(first)
    page.keyboard.press("ArrowLeft")
    expect(page.get_by_test_id("look-reason")).to_have_text(first)
    page.keyboard.press("p")
    expect(page.get_by_role("button", name="Stop")).to_be_visible()
    page.keyboard.press("Space")
    for done in range(1, total + 1):
        page.keyboard.press("k" if done % 2 else "d")
        if done < total:
            expect(page.get_by_test_id("look-count")).to_contain_text(re.compile(rf"^{done} of {total}"))
    expect(look).to_contain_text("Nothing is left to look at.")
    page.keyboard.press("q")
    expect(page.get_by_test_id("second-look-open")).to_contain_text("0")
    page.reload()
    expect(page.get_by_test_id("second-look-open")).to_contain_text("0")


def test_the_recorded_drums_become_a_kit_of_the_library(session: str, page: Page) -> None:
    page.goto(f"{session}/layer")
    page.get_by_role("button", name="kits").click()
    page.get_by_role("button", name="Make a kit of it").click()
    taken = page.get_by_test_id("taken")
    expect(taken).to_contain_text(re.compile(r"Snare.*of 10 strokes"), timeout=40000)
    for piece in ("Kick", "Snare"):
        expect(page.locator(".kit-line", has_text=piece)).to_contain_text("samples")
    taken.locator("summary", has_text="Snare").click()
    expect(taken).to_contain_text("alone for")
    # what was made is a kit like any other: it can be stepped to and sounds with a part
    page.keyboard.press("/")
    page.get_by_label("Search sounds").fill("snare")
    expect(page.locator(".sound-row", has_text="Snare").first).to_be_visible()


def test_what_may_belong_together_is_asked_and_done_with_one_key(
    product: Product, page: Page, tmp_path: Path
) -> None:
    beats = [0.3 + 0.5 * n for n in range(20)]
    kick = decaying_strokes(beats, [0.7] * 20, 11.0, hz=60)
    left = decaying_strokes(beats[::2], [0.7] * 10, 11.0, hz=150, seed=5)
    right = decaying_strokes(beats[1::2], [0.7] * 10, 11.0, hz=110, seed=6)
    named = {
        "Kick 1.wav": kick,
        "Kick 2.wav": 0.4 * np.roll(kick, 40),
        "Tom L.wav": left + 0.04 * right,
        "Tom R.wav": right + 0.04 * left,
    }
    page.goto(product.address)
    page.get_by_role("button", name="New session").click()
    files = [str(write_wav(tmp_path / name, audio.astype(np.float32))) for name, audio in named.items()]
    page.get_by_test_id("files").set_input_files(files)
    asked = page.get_by_test_id("together")
    drums = asked.locator("p", has_text="Kick 1 and Kick 2 hear the same strokes")
    sides = asked.locator("p", has_text="named like a pair, but each hears other strokes louder")
    expect(drums).to_be_visible()
    expect(sides).to_contain_text("Tom L")
    expect(page.locator("button.source")).to_have_count(4)
    drums.get_by_role("button", name="Combine them").press("Enter")
    expect(page.get_by_role("button", name=re.compile("Kick 2.wav"))).to_contain_text("same part")
    expect(drums).to_have_count(0)
    page.keyboard.press("Control+z")
    expect(drums).to_be_visible()
    sides.get_by_role("button", name="Make them a stereo pair").press("Enter")
    expect(page.locator("button.source")).to_have_count(3)
    expect(page.get_by_role("button", name=re.compile("Tom L\\+R.wav"))).to_be_visible()
    page.keyboard.press("Control+z")
    expect(page.locator("button.source")).to_have_count(4)
