"""Mix in the real interface: stages added, drawn, ordered and switched, and heads moved to their place, by
mouse and by keys.
"""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import httpx
import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import Product, wait_until
from tests.browser.test_hand_work import TIMES, found_in_snare
from tests.conftest import decaying_strokes, write_wav


@pytest.fixture
def session(product: Product, page: Page, tmp_path: Path) -> str:
    """A session with a snare, opened in Mix."""
    path = write_wav(tmp_path / "snare.wav", decaying_strokes(TIMES, [0.6] * len(TIMES), 4.0))
    session = found_in_snare(product, page, path, len(TIMES))
    page.get_by_role("link", name="Mix").click()
    expect(page.get_by_test_id("stages")).to_be_attached()
    return session


def part(session: str) -> dict[str, Any]:
    base, _, session_id = session.partition("/session/")
    (found,) = httpx.get(f"{base}/api/sessions/{session_id}", timeout=60).json()["document"]["parts"].values()
    said: dict[str, Any] = found
    return said


def kinds(session: str) -> list[str]:
    return [stage["kind"] for stage in part(session)["chain"]]


def test_stages_are_added_set_ordered_and_switched_by_keys(session: str, page: Page) -> None:
    assert not kinds(session), "nothing colours by itself"
    for word in ("Equaliser", "Dynamics"):
        page.keyboard.press("a")
        page.get_by_role("list", name="Stages to add").get_by_role("button", name=word).press("Enter")
        expect(page.get_by_test_id("stages")).to_contain_text(word)
    wait_until(page, lambda: kinds(session) == ["equaliser", "dynamics"])
    page.keyboard.press("Alt+ArrowLeft")
    wait_until(page, lambda: kinds(session) == ["dynamics", "equaliser"])
    page.keyboard.press("Alt+b")
    expect(page.get_by_role("status").filter(has_text="without dynamics")).to_be_visible()
    page.keyboard.press("b")
    expect(page.get_by_role("status").filter(has_text="without any stage")).to_be_visible()
    page.keyboard.press("b")
    expect(page.get_by_role("status").filter(has_text="without")).to_be_hidden()
    assert all(stage["on"] for stage in part(session)["chain"]), "hearing without them is no edit"
    page.get_by_label("Dynamics, 1: on").click()
    wait_until(page, lambda: not part(session)["chain"][0]["on"])
    page.keyboard.press("Control+z")
    wait_until(page, lambda: part(session)["chain"][0]["on"])
    page.keyboard.press("Delete")
    wait_until(page, lambda: kinds(session) == ["equaliser"])
    page.keyboard.press("Control+z")
    wait_until(page, lambda: kinds(session) == ["dynamics", "equaliser"])


def test_a_point_of_the_equaliser_is_dragged_over_the_spectrum_and_moved_by_arrows(
    session: str, page: Page
) -> None:
    page.keyboard.press("a")
    page.get_by_role("list", name="Stages to add").get_by_role("button", name="Equaliser").click()
    point = page.get_by_role("slider", name="Band 1")
    expect(point).to_be_visible()
    expect(page.get_by_role("group", name="Spectrum before and after")).to_have_accessible_name(
        re.compile("LUFS before")
    )
    box = point.locator("rect").bounding_box()
    assert box is not None
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 60, y - 30, steps=5)
    page.mouse.up()
    wait_until(page, lambda: part(session)["chain"][0]["bands"][0]["by_db"] > 2)
    band = part(session)["chain"][0]["bands"][0]
    assert band["at_hz"] > 700
    page.get_by_role("slider", name="Band 1").press("ArrowDown")
    wait_until(page, lambda: part(session)["chain"][0]["bands"][0]["by_db"] == band["by_db"] - 0.5)


def test_a_head_is_dragged_to_its_place_and_level_and_moved_by_arrows(session: str, page: Page) -> None:
    head = page.get_by_role("slider", name="Snare", exact=True)
    box = head.locator("ellipse").first.bounding_box()
    assert box is not None
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x - 120, y + 40, steps=5)
    page.mouse.up()
    wait_until(page, lambda: part(session)["blend"]["recording_pan"] < -0.1)
    blend = part(session)["blend"]
    assert blend["recording_db"] < -3
    head.press("ArrowUp")
    wait_until(page, lambda: part(session)["blend"]["recording_db"] == blend["recording_db"] + 0.5)
    head.press("ArrowRight")
    wait_until(page, lambda: part(session)["blend"]["recording_pan"] > blend["recording_pan"] + 0.01)


def buses(session: str) -> dict[str, Any]:
    base, _, session_id = session.partition("/session/")
    found: dict[str, Any] = httpx.get(f"{base}/api/sessions/{session_id}", timeout=60).json()["document"][
        "buses"
    ]
    return found


def test_a_room_is_made_set_heard_alone_and_taken_out(session: str, page: Page) -> None:
    page.get_by_role("button", name="a new room").click()
    wait_until(page, lambda: [one["kind"] for one in buses(session).values()] == ["room"])
    expect(page.get_by_label("Whose stages are looked at")).to_contain_text("Room")
    page.get_by_label("Size of the room").select_option("a hall")
    wait_until(page, lambda: next(iter(buses(session).values()))["room"]["size"] == "hall")
    amount = page.get_by_role("slider", name="Snare to Room")
    amount.focus()
    amount.press("ArrowRight")
    wait_until(page, lambda: -12 < next(iter(next(iter(buses(session).values()))["parts"].values())) <= -11)
    square = page.get_by_role("slider", name="Room", exact=True)
    square.press("ArrowDown")
    wait_until(page, lambda: next(iter(buses(session).values()))["level_db"] == -0.5)
    page.get_by_role("button", name="hear it alone").click()
    with page.expect_request(lambda request: "/sound/" in request.url and "bus_id=" in request.url):
        page.keyboard.press("Space")
    page.keyboard.press("Space")
    page.get_by_role("button", name="take it out").last.click()
    wait_until(page, lambda: not buses(session))
    page.keyboard.press("Control+z")
    wait_until(page, lambda: len(buses(session)) == 1)


def test_a_chain_is_kept_by_name_and_used_again(session: str, page: Page) -> None:
    page.get_by_role("button", name="Warmer").click()
    wait_until(page, lambda: kinds(session) == ["drive"])
    name = page.get_by_label("Name under which these stages are kept")
    name.fill("Velvet curtain")
    name.press("Enter")
    expect(page.get_by_role("button", name="Velvet curtain", exact=True)).to_be_visible()
    page.get_by_role("button", name="take it out").first.click()
    wait_until(page, lambda: not kinds(session))
    page.get_by_role("button", name="Velvet curtain", exact=True).click()
    wait_until(page, lambda: kinds(session) == ["drive"])
    page.get_by_role("button", name="Forget Velvet curtain").click()
    expect(page.get_by_role("button", name="Velvet curtain", exact=True)).to_be_hidden()


def test_a_step_is_cut_again_on_the_grid(session: str, page: Page) -> None:
    page.keyboard.press("a")
    page.get_by_role("list", name="Stages to add").get_by_role("button", name="Re-cut").click()
    step = page.get_by_role("button", name="Step 3 of bar 1: as played")
    step.click()
    wait_until(page, lambda: part(session)["chain"][0]["steps"][2:3] == ["repeat"])
    page.get_by_role("button", name="Step 3 of bar 1: repeat").press("Enter")
    wait_until(page, lambda: part(session)["chain"][0]["steps"][2:3] == ["reverse"])
