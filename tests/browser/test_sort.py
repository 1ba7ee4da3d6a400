"""A loop in the real interface: it becomes the pieces that play it, one correction teaches the rest, MIDI
has them.
"""

from __future__ import annotations

import io
import re
from collections import Counter
from pathlib import Path

import mido
import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.browser.axe import faults
from tests.browser.conftest import Product, wait_until
from tests.conftest import write_wav
from tests.core.sort.made import beat, mixture


@pytest.fixture(scope="module")
def loop(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return write_wav(tmp_path_factory.mktemp("files") / "Moth beat.wav", mixture(beat(), 4.0))


def notes_of(page: Page) -> Counter[int]:
    """The notes of the session's MIDI, by number."""
    address = page.url.split("/session/")
    session = address[1].split("/")[0]
    data = page.request.get(f"{address[0]}/api/sessions/{session}/print/midi").body()
    file = mido.MidiFile(file=io.BytesIO(data))
    return Counter(m.note for track in file.tracks for m in track if m.type == "note_on" and m.velocity)


def test_a_loop_becomes_its_pieces_and_one_correction_teaches_the_rest(
    product: Product, page: Page, loop: Path
) -> None:
    page.goto(product.address)
    page.get_by_role("button", name="New session").click()
    page.get_by_test_id("files").set_input_files(str(loop))

    # Sort is there as soon as there is something in it; three lines can be read on the staff
    page.get_by_role("link", name=re.compile("^Sort")).click()
    sounds = page.get_by_role("complementary", name="Sounds")
    for name, strokes in (("Kick", "4"), ("Snare", "4"), ("Hat, closed", "1[4-6]")):
        expect(sounds.get_by_role("button", name=re.compile(rf"^{name} ?{strokes}"))).to_be_visible()
    for look in ("Night", "Day"):
        page.wait_for_timeout(300)
        assert not faults(page), "axe finds nothing"
        page.keyboard.press("n")
        expect(
            page.get_by_role("button", name="Day" if look == "Night" else "Night", exact=True)
        ).to_be_visible()
    hats = notes_of(page)[42]
    assert notes_of(page) == {36: 4, 38: 4, 42: hats}

    # by keyboard: to a snare, it is a clap; the others are offered, and taken with one key
    said = page.get_by_test_id("sort-said")

    def at_a_snare() -> bool:
        page.keyboard.press("ArrowRight")
        return said.inner_text().startswith("Snare")

    wait_until(page, at_a_snare)
    page.keyboard.press("Shift+L")
    expect(page.get_by_test_id("offer")).to_contain_text("3 more sound like it")
    assert notes_of(page)[39] == 1
    page.keyboard.press("Enter")
    expect(sounds.get_by_role("button", name=re.compile("^Clap ?4"))).to_be_visible()
    expect(sounds.get_by_role("button", name=re.compile("^Snare"))).to_have_count(0)
    assert notes_of(page) == {36: 4, 39: 4, 42: hats}

    # undone as one
    page.keyboard.press("Control+z")
    expect(sounds.get_by_role("button", name=re.compile("^Snare ?3"))).to_be_visible()
    page.keyboard.press("Control+Shift+z")
    # Until the list stands still again: a row that moves up under the pointer is not clicked.
    expect(sounds.get_by_role("button", name=re.compile("^Snare"))).to_have_count(0)
    expect(sounds.get_by_role("button", name=re.compile("^Clap ?4"))).to_be_visible()

    # a whole sound to another way of being struck, and thrown away without being lost
    sounds.get_by_role("button", name=re.compile("^Hat, closed")).click()
    expect(page.get_by_test_id("sort-said")).to_contain_text(f"{hats} strokes")
    page.keyboard.press("Shift+P")
    expect(sounds.get_by_role("button", name=re.compile(f"^Hat, open ?{hats}"))).to_be_visible()
    assert notes_of(page)[46] == hats
    sounds.get_by_role("button", name=re.compile("^Clap")).click()
    expect(page.get_by_test_id("sort-said")).to_contain_text("4 strokes")
    page.keyboard.press("Delete")
    expect(page.get_by_role("button", name=re.compile("take the piece back"))).to_be_visible()
    assert notes_of(page)[39] == 0
    page.keyboard.press("Delete")
    wait_until(page, lambda: notes_of(page)[39] == 4)

    # divided and joined
    page.keyboard.press("Alt+d")
    expect(page.get_by_role("link", name=re.compile("^Sort"))).to_contain_text("5 pieces")
    page.keyboard.press("Control+z")
    expect(page.get_by_role("link", name=re.compile("^Sort"))).to_contain_text("4 pieces")

    # struck as well: a clap over a kick, offered for the others; and dropped again, which teaches too
    def at_a_kick() -> bool:
        page.keyboard.press("ArrowRight")
        return said.inner_text().startswith("Kick")

    page.keyboard.press("Escape")
    wait_until(page, at_a_kick)
    page.keyboard.press("a")
    expect(page.get_by_role("button", name=re.compile("say what is struck as well"))).to_be_visible()
    page.keyboard.press("Shift+L")
    offer = page.get_by_test_id("offer")
    expect(offer).to_contain_text(re.compile("^[1-3] more sounds? like it"))
    fewest = int(offer.inner_text()[0])
    # what is less alike too: all kicks, at the widest
    for _ in range(4):
        page.keyboard.press("9")
    others = int(offer.inner_text()[0])
    assert fewest <= others <= 3
    expect(offer.get_by_role("button", name="less alike")).to_have_count(0)
    page.keyboard.press("Enter")
    wait_until(page, lambda: notes_of(page)[39] == 5 + others)
    assert notes_of(page)[36] == 4

    # nearer and back by keyboard, the map with the recording under it
    page.keyboard.press("+")
    expect(page.get_by_role("button", name="see all")).to_be_visible()
    page.keyboard.press("0")
    expect(page.get_by_role("button", name="see all")).to_have_count(0)

    # a line drawn around the left half of the map chooses what is dark, and one key gives it to a piece
    page.keyboard.press("Escape")
    box = page.get_by_test_id("sound-map").bounding_box()
    assert box is not None
    left, right, top, bottom = (
        box["x"] + 4,
        box["x"] + box["width"] / 2,
        box["y"] + 4,
        box["y"] + box["height"] - 4,
    )
    corners = [(right, top), (right, bottom), (left, bottom), (left, top)]
    page.mouse.move(left, top)
    page.mouse.down()
    for x, y in corners:
        page.mouse.move(x, y, steps=4)
    page.mouse.up()
    expect(said).to_have_text(re.compile(r"^\d+ strokes are chosen"))
    drawn, before = int(said.inner_text().split()[0]), sum(notes_of(page).values())
    assert 4 <= drawn < before, "the kicks, and not everything"
    page.keyboard.press("Shift+W")
    wait_until(page, lambda: notes_of(page)[56] > 0)
    after = notes_of(page)
    assert after[56] <= drawn and after[36] == 0 and after[46] == hats


def test_one_drum_of_a_loop_is_taken_out_and_the_rest_stays(product: Product, page: Page, loop: Path) -> None:
    page.goto(product.address)
    page.get_by_role("button", name="New session").click()
    page.get_by_test_id("files").set_input_files(str(loop))
    expect(page.get_by_role("link", name=re.compile("^Sort"))).to_be_visible(timeout=40000)
    session = page.url.removesuffix("/gather")

    def heard() -> np.ndarray:
        address = f"{session.replace('/session/', '/api/sessions/')}/sound/recording"
        data = page.request.get(f"{address}?start=0&frames=176400").body()
        return np.frombuffer(data, np.float32).reshape(-1, 2)[:, 0]

    whole = heard()
    page.goto(f"{session}/layer")
    page.get_by_role("button", name="balance").click()
    mute = page.get_by_test_id("balance").get_by_label("Mute Kick, recording")
    mute.click()
    expect(mute).to_have_attribute("aria-pressed", "true")
    without = heard()
    low, high = (np.abs(np.fft.rfft(one)) ** 2 for one in (without, whole))
    deep = round(100 * len(whole) / 44100)
    assert (
        low[:deep].sum() < 0.2 * high[:deep].sum() and low[20 * deep :].sum() > 0.8 * high[20 * deep :].sum()
    )
    page.keyboard.press("Control+z")
    expect(mute).to_have_attribute("aria-pressed", "false")
    assert np.array_equal(heard(), whole)
