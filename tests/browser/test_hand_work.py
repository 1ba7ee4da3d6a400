"""Find by hand in the real interface: hits dragged in time, drags taken back with Escape, the note at the
pointer, the keyboard's zoom.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

import httpx
import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import Product, wait_until
from tests.conftest import decaying_strokes, write_wav

TIMES = [0.5, 1.0, 1.5, 2.0, 2.5, 3.0]
LENGTH_S = 4.0


def found_in_snare(product: Product, page: Page, path: Path, hits: int) -> str:
    """A session of one snare of so many strokes, opened in Find; its address."""
    page.goto(product.address)
    page.get_by_role("button", name="New session").click()
    page.wait_for_url("**/gather")
    page.get_by_test_id("files").set_input_files(str(path))
    said = f"{hits} hits"
    expect(page.get_by_role("button", name=re.compile("snare.wav"))).to_contain_text(said, timeout=40000)
    page.get_by_role("link", name=re.compile("^Find")).click()
    # The sums stand under every bench; keys reach Find once it is there.
    expect(page.locator("main.bench-find").get_by_test_id("stage")).to_be_visible()
    expect(page.get_by_test_id("sums")).to_contain_text(said)
    return page.url.removesuffix("/find")


@pytest.fixture
def session(product: Product, page: Page, tmp_path: Path) -> str:
    """A session with a snare of six strokes, opened in Find."""
    strokes = decaying_strokes(TIMES, [0.6, 0.5, 0.6, 0.5, 0.6, 0.5], LENGTH_S)
    return found_in_snare(product, page, write_wav(tmp_path / "snare.wav", strokes), 6)


def decided(session: str) -> dict[str, Any]:
    """The candidates of the only part as the server has them."""
    base, _, session_id = session.partition("/session/")
    address = f"{base}/api/sessions/{session_id}"
    (part,) = httpx.get(address, timeout=60).json()["document"]["parts"]
    answer: dict[str, Any] = httpx.post(f"{address}/parts/{part}/decisions", json={}, timeout=60).json()
    return answer


def standing(session: str) -> list[float]:
    now = decided(session)
    return [at for at, state in zip(now["time_s"], now["state"], strict=True) if state in (1, 6, 7)]


def place_of(page: Page, session: str) -> Callable[[float], tuple[float, float]]:
    """Where the hit at a moment lies on screen while the whole recording is in view."""
    stage = page.get_by_test_id("stage").bounding_box()
    assert stage is not None
    now = decided(session)
    wave = 22 + round((stage["height"] - 22) * 0.27)
    top, height = wave + 16, stage["height"] - wave - 26

    def place(at_s: float) -> tuple[float, float]:
        row = min(range(len(now["time_s"])), key=lambda i: abs(now["time_s"][i] - at_s))
        x = stage["x"] + 40 + (stage["width"] - 40 - 112) * at_s / LENGTH_S
        return x, stage["y"] + top - now["level_db"][row] / 60 * height

    return place


def test_a_hit_is_dragged_in_time_and_escape_takes_a_drag_back(session: str, page: Page) -> None:
    place = place_of(page, session)
    x, y = place(1.0)
    away = place(1.2)[0]

    # with Alt it stays where it is let go
    page.mouse.move(x, y)
    page.keyboard.down("Alt")
    page.mouse.down()
    page.mouse.move(away, y, steps=4)
    page.mouse.up()
    page.keyboard.up("Alt")
    expect(page.get_by_test_id("sums")).to_contain_text("1 by hand")
    expect(page.get_by_test_id("chosen")).to_contain_text(re.compile(r"0:01\.(19|20)"))
    assert standing(session)[1] == pytest.approx(1.2, abs=0.006)

    # without, it snaps: let go a little after its own attack, it stands on it again
    page.mouse.move(away, y)
    page.mouse.down()
    page.mouse.move(place(1.012)[0], y, steps=4)
    page.mouse.up()
    wait_until(page, lambda: abs(standing(session)[1] - 1.0) < 0.002)
    page.keyboard.press("Control+z")
    wait_until(page, lambda: abs(standing(session)[1] - 1.2) < 0.006)

    # Escape takes back a drag of a hit, and of the threshold's line
    before = standing(session)
    page.mouse.move(*place(2.0))
    page.mouse.down()
    page.mouse.move(place(2.3)[0], y, steps=4)
    page.keyboard.press("Escape")
    page.mouse.up()
    threshold = page.get_by_label("Threshold in dB")
    level = threshold.input_value()
    stage = page.get_by_test_id("stage").bounding_box()
    assert stage is not None
    top = 22 + round((stage["height"] - 22) * 0.27) + 16
    line = stage["y"] + top - float(level.replace("−", "-")) / 60 * (stage["height"] - top - 10)
    page.mouse.move(x + 60, line)
    page.mouse.down()
    page.mouse.move(x + 60, stage["y"] + top + 4, steps=4)
    expect(threshold).not_to_have_value(level)
    page.keyboard.press("Escape")
    expect(threshold).to_have_value(level)
    page.mouse.up()
    expect(threshold).to_have_value(level)
    expect(page.get_by_test_id("sums")).to_contain_text("6 hits")
    assert standing(session) == before


def test_the_line_is_bent_by_clicks_and_the_hits_under_it_are_lost(session: str, page: Page) -> None:
    place = place_of(page, session)
    stage = page.get_by_test_id("stage").bounding_box()
    assert stage is not None
    top = 22 + round((stage["height"] - 22) * 0.27) + 16
    height = stage["height"] - top - 10
    page.keyboard.press("c")
    for at_s, level_db in ((1.2, -50.0), (2.8, -2.0)):
        page.mouse.click(place(at_s)[0] + 4, stage["y"] + top - level_db / 60 * height)
    line = lambda: [(corner["time_s"], corner["level_db"]) for corner in decided(session)["line"]]  # noqa: E731
    wait_until(page, lambda: len(line()) == 2)
    corners = line()
    assert corners[0][1] == pytest.approx(-50, abs=0.5) and corners[1][1] == pytest.approx(-2, abs=0.5)
    assert corners[0][0] < corners[1][0]
    # the line rises over the hits from about half-way on, and no note at the pointer covers it meanwhile
    wait_until(page, lambda: 1 <= len(standing(session)) < 6)
    assert max(standing(session)) < 2.6 and page.get_by_role("tooltip").count() == 0
    page.keyboard.press("c")
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    wait_until(page, lambda: len(standing(session)) == 6)


def test_the_note_at_the_pointer_goes_when_its_hit_is_elsewhere(session: str, page: Page) -> None:
    x, y = place_of(page, session)(1.5)
    page.mouse.move(x, y)
    expect(page.get_by_role("tooltip")).to_be_visible()
    page.mouse.wheel(0, -400)
    expect(page.get_by_role("tooltip")).to_be_hidden()


def test_the_keyboard_zooms_to_the_hit_that_was_stepped_to(session: str, page: Page) -> None:
    page.mouse.move(*place_of(page, session)(3.0))
    page.keyboard.press("Home")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("ArrowRight")
    for _ in range(6):
        page.keyboard.press("+")
    label = page.get_by_test_id("stage").get_by_role("img").get_attribute("aria-label")
    assert label is not None
    begins, ends = (60 * int(m) + float(s) for m, s in re.findall(r"(\d+):([\d.]+)", label))
    assert ends - begins < 0.4 and begins < 1.0 < ends


def test_a_recording_is_dragged_along_the_time_line_and_its_hits_go_along(session: str, page: Page) -> None:
    page.get_by_role("link", name=re.compile("^Gather")).click()
    lane = page.get_by_test_id("lane")
    box = lane.bounding_box()
    assert box is not None
    begins = standing(session)[0]
    x, y = box["x"] + box["width"] * 0.5, box["y"] + box["height"] / 2

    def drag(by: float) -> None:
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + box["width"] * by / LENGTH_S, y, steps=5)

    drag(1.0)
    page.keyboard.press("Escape")
    page.mouse.up()
    drag(0.5)
    page.mouse.up()
    wait_until(page, lambda: abs(standing(session)[0] - begins - 0.5) < 0.01)
    expect(page.get_by_label("starts at")).to_have_value(re.compile(r"^0\.(49|50)"))
    page.keyboard.press("Control+z")
    expect(page.get_by_label("starts at")).to_have_value("0.000")
    wait_until(page, lambda: abs(standing(session)[0] - begins) < 1e-4)


def test_ghosts_are_divided_from_their_drum_by_keyboard_and_joined_again(
    product: Product, page: Page, tmp_path: Path
) -> None:
    at_s = [0.25 + 0.25 * n for n in range(16)]
    audio = decaying_strokes(at_s, [0.06 if n % 2 else 0.8 for n in range(16)], 4.5)
    found_in_snare(product, page, write_wav(tmp_path / "snare.wav", audio), 16)
    chosen = page.get_by_test_id("chosen")
    expect(chosen).to_contain_text("Point at a candidate")
    page.keyboard.press("Alt+h")
    expect(chosen).to_contain_text("8 chosen")
    page.keyboard.press("Alt+d")
    parts = page.locator(".parts .list-group-item")
    expect(parts).to_have_count(2)
    expect(parts.nth(0)).to_contain_text(re.compile("Snare ?8"))
    expect(parts.nth(1)).to_contain_text(re.compile("ghosts ?8"))
    expect(parts.nth(1)).to_have_class(re.compile("active"))
    # nothing was told from moments, so there is nothing to sort; the recording is one source as before
    expect(page.get_by_role("link", name=re.compile("^Sort"))).to_have_count(0)
    expect(page.get_by_role("link", name=re.compile("^Gather"))).to_contain_text("1 source")
    expect(chosen).to_contain_text("given to it by hand")
    page.keyboard.press("Alt+g")
    expect(parts).to_have_count(1)
    expect(parts.nth(0)).to_contain_text(re.compile("Snare ?16"))
    page.keyboard.press("Control+z")
    expect(parts).to_have_count(2)
    page.keyboard.press("Control+z")
    expect(parts).to_have_count(1)
    expect(parts.nth(0)).to_contain_text(re.compile("Snare ?16"))


def test_gaps_are_turned_down_by_key_and_their_line_is_dragged_and_keyed(session: str, page: Page) -> None:
    base, _, session_id = session.partition("/session/")
    address = f"{base}/api/sessions/{session_id}"

    def cleaning() -> dict[str, Any]:
        (source,) = httpx.get(address, timeout=60).json()["document"]["sources"].values()
        said: dict[str, Any] = source["cleaning"]
        return said

    def marks() -> list[dict[str, Any]]:
        return sorted(cleaning()["marks"].values(), key=lambda one: float(one["time_s"]))

    page.keyboard.press("Alt+c")
    expect(page.get_by_test_id("gaps-said")).to_contain_text("6 stretches stay open")
    assert cleaning()["on"] and not marks()

    # The line is dragged: the gap behind the second stroke begins later, and lies deeper.
    (source_id,) = httpx.get(address, timeout=60).json()["document"]["sources"]
    drawn = httpx.post(f"{address}/sources/{source_id}/gaps", json={}, timeout=60).json()
    stage = page.get_by_test_id("stage").bounding_box()
    assert stage is not None
    wave = round((stage["height"] - 22) * 0.27)

    def at(time_s: float, down_db: float) -> tuple[float, float]:
        x = stage["x"] + 40 + (stage["width"] - 40 - 112) * time_s / LENGTH_S
        return x, stage["y"] + 23 + (wave - 2) * down_db / 60

    def drag(begin: tuple[float, float], end: tuple[float, float]) -> None:
        page.mouse.move(*begin)
        page.mouse.down()
        page.mouse.move(*end, steps=4)
        page.mouse.up()

    drag(at(drawn["closes_s"][1], 30), at(drawn["closes_s"][1] + 0.06, 30))
    wait_until(page, lambda: len(marks()) == 1)
    (mark,) = marks()
    assert abs(mark["time_s"] - 1.0) < 0.003
    assert abs(mark["closes_s"] - (drawn["closes_s"][1] - drawn["last_s"][1]) - 0.06) < 0.012
    middle = (drawn["down_s"][1] + 0.06 + drawn["rises_s"][2]) / 2
    drag(at(middle, 16), at(middle, 40))
    wait_until(page, lambda: bool(marks()[0]["down_db"]))
    assert abs(marks()[0]["down_db"] - 40) <= 2

    # By keys it is the gap behind the chosen stroke; what was dragged stands.
    page.keyboard.press("Home")
    page.keyboard.press("ArrowRight")
    for key in ("Alt+Shift+ArrowRight", "Shift+ArrowDown", "]"):
        page.keyboard.press(key)
        page.wait_for_timeout(700)
    wait_until(page, lambda: len(marks()) == 2 and marks()[0]["opens_s"] is not None)
    first = marks()[0]
    assert abs(first["closes_s"] - (drawn["closes_s"][0] - drawn["last_s"][0]) - 0.01) < 0.002
    assert first["down_db"] == 17 and abs(first["opens_s"] - 0.002) < 0.0005

    # As told again, and all of it back by undoing.
    page.keyboard.press("Alt+u")
    wait_until(page, lambda: len(marks()) == 1)
    page.keyboard.press("Alt+c")
    wait_until(page, lambda: not cleaning()["on"])
    for _ in range(2):
        page.keyboard.press("Control+z")
        page.wait_for_timeout(600)
    wait_until(page, lambda: cleaning()["on"] and len(marks()) == 2)
