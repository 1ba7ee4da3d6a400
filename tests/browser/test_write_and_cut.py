"""Bars written, a source cut and a stroke mended in the real interface, by mouse and by key."""

from __future__ import annotations

import json
import re

from playwright.sync_api import Page, expect

from nubrak.core.midi.read import read_midi
from tests.browser.conftest import Product, wait_until
from tests.browser.test_shape import api, session

__all__ = ["session"]  # the fixture: a snare of eight strokes at 120 bpm, two of them soft


def side(page: Page, name: str) -> None:
    page.get_by_role("button", name=name, exact=True).click()
    page.keyboard.press("Escape")


def strokes_in(session: str, bar: int) -> dict[str, list[tuple[int, str]]]:
    """What each piece plays in a bar: steps, and how they are read."""
    lines = json.loads(api(session, f"bars/{bar}"))["lines"]
    return {line["piece"]: [(one["step"], one["kind"]) for one in line["notes"]] for line in lines}


def test_a_bar_is_written_by_letters_by_mouse_and_played_in(session: str, page: Page) -> None:
    side(page, "Write")
    staff = page.get_by_test_id("big-staff")
    expect(staff).to_have_attribute("aria-label", re.compile(r"^Bar 1\. Snare: "))
    # To the empty bar behind the last, and a beat by letters: kick, snare with an accent, a ghost.
    page.keyboard.press("a")
    expect(page.get_by_role("heading", name=re.compile("^Bar 3"))).to_be_visible()
    page.keyboard.press("Shift+K")
    wait_until(page, lambda: strokes_in(session, 3).get("kick") == [(0, "plain")])
    for _ in range(4):
        page.keyboard.press("ArrowRight")
    page.keyboard.press("Shift+S")
    said = page.get_by_test_id("chosen")
    expect(said).to_contain_text("Snare at 2 of bar 3")
    page.keyboard.press(">")
    expect(said).to_contain_text("an accent")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("h")
    expect(said).to_contain_text("a ghost")
    page.keyboard.press(";")
    expect(said).to_contain_text("a flam")
    # By mouse: a snare in the middle of the bar, and how hard it is, dragged.
    box = staff.bounding_box()
    assert box is not None
    gap = min(max((box["height"] - 190) / 6.4, 15), 30)
    middle = 108 + (box["width"] - 134) / 2
    snare_y = 34 + 1.6 * gap + 1.5 * gap
    staff.click(position={"x": middle, "y": snare_y})
    wait_until(page, lambda: (8, "plain") in strokes_in(session, 3)["snare"])
    page.mouse.move(box["x"] + middle, box["y"] + box["height"] - 60)
    page.mouse.down()
    page.mouse.move(box["x"] + middle, box["y"] + box["height"] - 20)
    page.mouse.up()
    expect(said).to_contain_text(re.compile(r"velocity ([1-9]|1\d|2\d|3\d)\b"))
    before = strokes_in(session, 3)
    # The bar once more, varied, and taken back.
    page.keyboard.press("t")
    expect(page.get_by_role("heading", name=re.compile("^Bar 4"))).to_be_visible()
    assert {piece: [at for at, _ in one] for piece, one in strokes_in(session, 4).items()} == {
        piece: [at for at, _ in one] for piece, one in before.items()
    }
    page.keyboard.press("Control+z")
    wait_until(page, lambda: not any(strokes_in(session, 4).values()))
    # Played in on the letters while it loops, and kept where it stops.
    page.keyboard.press("Control+Enter")
    expect(said).to_contain_text("Playing in")
    expect(page.locator("footer")).to_contain_text("bar 4", timeout=15000)
    for letter in "ksk":
        page.keyboard.press(letter)
        page.wait_for_timeout(150)
    expect(said).to_contain_text("3 strokes so far")
    page.keyboard.press("Control+Enter")
    wait_until(page, lambda: sum(map(len, strokes_in(session, 4).values())) == 3)
    page.keyboard.press("Space")
    # What is written is in the MIDI, as everything else.
    tracks = read_midi(api(session, "print/midi")).tracks
    assert sum(len(track.time_s) for track in tracks) == 8 + 5 + 3


def test_what_is_written_sounds_with_a_kit(session: str, page: Page) -> None:
    side(page, "Write")
    expect(page.get_by_role("region", name="Sounds")).to_contain_text("choose a kit")
    page.get_by_label("What is written sounds with", exact=True).select_option("own")
    expect(page.get_by_role("region", name="Sounds")).not_to_contain_text("choose a kit", timeout=60000)
    layers = json.loads(api(session, ""))["document"]["parts"]
    assert [one["sounds_on"] for part in layers.values() for one in part["layers"].values()] == ["written"]


def test_a_source_is_cut_by_hand_heard_and_kept_as_a_kit(session: str, page: Page, product: Product) -> None:
    side(page, "Cut")
    stage = page.get_by_test_id("cut-stage")
    expect(stage).to_have_attribute("aria-label", "snare.wav, cut into 9 slices")
    said = page.get_by_test_id("chosen")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("ArrowRight")
    expect(said).to_contain_text("Slice 3: snare, from 0:00.75")
    for _ in range(4):
        page.keyboard.press("Alt+ArrowLeft")
    expect(said).to_contain_text("set by hand")
    wait_until(page, lambda: re.search(r"from 0:00\.74[789]", said.inner_text()) is not None)
    page.keyboard.press("}")
    expect(said).to_contain_text("out 5 ms")
    page.keyboard.press("u")
    expect(said).to_contain_text("out while the next fades in")
    # An edge dragged with Alt stays exactly where it is let go.
    box = stage.bounding_box()
    assert box is not None
    view_s, left, width = 3.0, 16, box["width"] - 32
    x = box["x"] + left + width * 1.2495 / view_s
    page.mouse.move(x, box["y"] + 150)
    page.mouse.down()
    page.keyboard.down("Alt")
    page.mouse.move(x - width * 0.1 / view_s, box["y"] + 150, steps=4)
    page.mouse.up()
    page.keyboard.up("Alt")
    expect(said).to_contain_text("set by hand")
    source = next(iter(json.loads(api(session, ""))["document"]["sources"]))
    starts = [one["start_s"] for one in json.loads(api(session, f"sources/{source}/slices"))["lines"]]
    assert abs(starts[4] - 1.1495) < 0.006
    page.keyboard.press("Alt+k")
    expect(page.locator(".notice")).to_contain_text("“snare, cut” is in the library", timeout=60000)
    expect(page.get_by_test_id("clearest")).to_contain_text("alone for")


def test_a_weak_stroke_is_mended_and_taken_back(session: str, page: Page) -> None:
    page.goto(f"{session}/find")
    said = page.get_by_test_id("chosen")

    def at_the_second() -> bool:
        page.keyboard.press("ArrowRight")
        return said.inner_text().startswith("0:00.75")

    wait_until(page, at_the_second)
    page.keyboard.press("Alt+m")
    expect(said).to_contain_text("It is mended with the stroke at")
    expect(page.get_by_test_id("donors").locator("[aria-pressed=true]")).to_have_count(1)
    page.keyboard.press("Alt+m")
    expect(page.get_by_test_id("donors").locator("li").nth(1)).to_have_class(re.compile("taken-now"))
    page.keyboard.press("Alt+u")
    expect(said).not_to_contain_text("mended")
    assert not any(part["mends"] for part in json.loads(api(session, ""))["document"]["parts"].values())


def test_a_session_without_a_recording_begins_with_an_empty_bar(product: Product, page: Page) -> None:
    page.goto(product.address)
    page.get_by_role("button", name="New session").click()
    page.wait_for_url("**/gather")
    address = page.url.removesuffix("/gather")
    page.goto(f"{address}/shape")
    expect(page.get_by_role("alert")).to_contain_text("No tempo is known yet")
    page.goto(f"{address}/gather")
    page.get_by_label("Tempo, bpm").fill("90")
    page.keyboard.press("Enter")
    expect(page.get_by_test_id("tempo-said")).to_contain_text("90.0 bpm")
    page.goto(f"{address}/shape")
    expect(page.get_by_role("heading", name=re.compile("^Bar 1"))).to_be_visible()
    page.keyboard.press("Shift+K")
    expect(page.get_by_test_id("chosen")).to_contain_text("Kick at 1 of bar 1")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Shift+S")
    wait_until(page, lambda: strokes_in(address, 1) == {"kick": [(0, "plain")], "snare": [(1, "plain")]})


# A pad at a MIDI port, in place of the machine's own: what it plays is sent with ``strike``.
PAD = """
const pad = new EventTarget();
navigator.requestMIDIAccess = async () => ({ inputs: new Map([['pad', pad]]), outputs: new Map() });
window.strike = (note, velocity) =>
  pad.dispatchEvent(Object.assign(new Event('midimessage'), { data: [0x99, note, velocity] }));
"""


def test_a_midi_pad_plays_in_as_hard_as_it_is_struck(session: str, page: Page) -> None:
    page.add_init_script(PAD)
    page.reload()
    side(page, "Write")
    expect(page.get_by_test_id("big-staff")).to_have_attribute("aria-label", re.compile(r"^Bar 1\. Snare: "))
    page.keyboard.press("a")
    expect(page.get_by_role("heading", name=re.compile("^Bar 3"))).to_be_visible()
    page.keyboard.press("Control+Enter")
    expect(page.locator("footer")).to_contain_text("bar 3", timeout=15000)
    for note, velocity in ((40, 77), (46, 99)):
        page.evaluate(f"window.strike({note}, {velocity})")
        page.wait_for_timeout(200)
    expect(page.get_by_test_id("chosen")).to_contain_text("2 strokes so far")
    page.keyboard.press("Escape")
    wait_until(page, lambda: sum(map(len, strokes_in(session, 3).values())) == 2)
    lines = json.loads(api(session, "bars/3"))["lines"]
    played = {line["piece"]: line["notes"][0] for line in lines if line["notes"]}
    assert played["snare"]["velocity"] == 77 and played["hi-hat"]["way"] == "open"
