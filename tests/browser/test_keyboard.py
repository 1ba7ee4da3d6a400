"""Everything within reach of a keyboard and a screen reader: axe finds nothing on any view by day and night,
Tab goes through every view and comes out again, Space and Enter work what has the focus.
"""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.browser.axe import faults
from tests.browser.conftest import Product
from tests.conftest import decaying_strokes, write_wav

BENCHES = ("gather", "find", "shape", "layer", "mix", "print")
VIEWS = {"gather": 5, "find": 4, "shape": 5, "layer": 4}


@pytest.fixture
def session(product: Product, page: Page, tmp_path: Path) -> str:
    page.goto(product.address)
    page.get_by_role("button", name="New session").click()
    page.wait_for_url("**/gather")
    for seed, (name, hz) in enumerate((("Kick", 60), ("Snare", 190))):
        strokes = decaying_strokes([0.3 + 0.5 * n for n in range(10)], [0.6] * 10, 5.8, hz=hz, seed=seed)
        page.get_by_test_id("files").set_input_files(str(write_wav(tmp_path / f"{name}.wav", strokes)))
        row = page.get_by_role("button", name=re.compile(f"{name}.wav"))
        expect(row).to_contain_text("10 hits", timeout=40000)
    return page.url.removesuffix("/gather")


@pytest.mark.parametrize("night", [False, True], ids=["day", "night"])
def test_axe_finds_nothing_on_any_view(session: str, page: Page, night: bool) -> None:
    found: dict[str, list[str]] = {}

    def look(where: str) -> None:
        if page_faults := faults(page):
            found[where] = page_faults

    page.goto(f"{session}/layer")
    page.get_by_role("group", name="Sounds").get_by_role("button").first.click()
    for bench in BENCHES:
        page.goto(f"{session}/{bench}")
        expect(page.get_by_role("heading", level=1)).to_be_visible()
        if night and page.get_by_role("button", name="Night", exact=True).count():
            page.keyboard.press("n")
        expect(page.get_by_role("button", name="Day" if night else "Night", exact=True)).to_be_visible()
        page.wait_for_timeout(300)
        look(bench)
        for number in range(1, VIEWS.get(bench, 1)):
            page.keyboard.press("v")
            page.wait_for_timeout(300)
            look(f"{bench}, view {number + 1}")
    page.goto(f"{session}/shape")
    expect(page.get_by_test_id("curve")).to_be_visible()
    page.keyboard.press("c")
    page.keyboard.press("a")
    expect(page.get_by_test_id("line-by-keys")).to_contain_text("Point 1 of 1")
    look("shape, a line drawn")
    page.keyboard.press("Escape")
    page.get_by_test_id("add-step").click()
    expect(page.get_by_role("button", name=re.compile("^Scale:"))).to_be_visible()
    look("shape, a menu")
    page.keyboard.press("Escape")
    page.keyboard.press("?")
    expect(page.get_by_role("dialog", name="Keys")).to_be_visible()
    look("keys")
    page.keyboard.press("Escape")
    page.goto(session.partition("/session")[0])
    expect(page.get_by_role("button", name="New session")).to_be_visible()
    look("sessions")
    assert not found, "\n".join(f"{where}: {one}" for where, all_of in found.items() for one in all_of)


@pytest.mark.parametrize("bench", BENCHES)
def test_tab_goes_through_a_view_and_comes_out_again(session: str, page: Page, bench: str) -> None:
    page.goto(f"{session}/{bench}")
    expect(page.get_by_role("link", name=re.compile("^Print"))).to_be_visible()
    page.wait_for_timeout(300)
    # A walk of as many steps as there are stops comes back to the first.
    page.locator("body").press("Tab")
    focused = "() => document.activeElement.outerHTML.slice(0, 120)"
    first, seen = page.evaluate(focused), set[str]()
    for _ in range(250):
        page.keyboard.press("Tab")
        now = page.evaluate(focused)
        if now == first or now.startswith("<body"):
            break
        seen.add(now)
    else:
        raise AssertionError("the focus never came out again")
    assert len(seen) > 12


def test_space_and_enter_work_what_has_the_focus_and_play_where_nothing_has(session: str, page: Page) -> None:
    page.goto(f"{session}/find")
    expect(page.get_by_test_id("stage")).to_be_visible()
    night = page.get_by_role("button", name="Night", exact=True)
    night.focus()
    page.keyboard.press("Space")
    expect(page.get_by_role("button", name="Day", exact=True)).to_be_visible()
    expect(page.get_by_test_id("sums")).not_to_contain_text("playing")
    page.keyboard.press("Enter")
    expect(night).to_be_visible()
    # What a mouse clicked is let go of: Space plays.
    night.click()
    page.keyboard.press("Space")
    expect(page.get_by_test_id("sums")).to_contain_text("playing")
    page.keyboard.press("Space")
    expect(page.get_by_test_id("sums")).not_to_contain_text("playing")


def test_the_threshold_is_bent_by_keys_and_the_key_line_stops_teaching_what_is_known(
    session: str, page: Page
) -> None:
    page.goto(f"{session}/find")
    expect(page.get_by_test_id("stage")).to_be_visible()
    lesson = page.get_by_test_id("lesson")
    expect(lesson).to_contain_text("from hit to hit")
    for _ in range(2):
        page.keyboard.press("ArrowRight")
    expect(lesson).to_contain_text("drops one")
    page.reload()
    expect(page.get_by_test_id("lesson")).to_contain_text("drops one")
    page.keyboard.press("c")
    bent = page.get_by_test_id("line-by-keys")
    expect(bent).to_contain_text("The line is straight")
    page.keyboard.press("Home")
    page.keyboard.press("a")
    for _ in range(2):
        page.keyboard.press("ArrowUp")
    expect(bent).to_contain_text("Point 1 of 1 at 0:00.00: +1.0 dB")
    expect(page.get_by_role("button", name="Undo")).to_be_enabled()
    page.keyboard.press("d")
    expect(bent).to_contain_text("The line is straight")
    page.keyboard.press("Escape")
    expect(bent).to_have_count(0)
