"""The whole job in the real interface, from a folder of microphones to MIDI and prints: once with the mouse
only, once with the keyboard only.
"""

from __future__ import annotations

import base64
import re
import zipfile
from pathlib import Path
from typing import Any

import httpx
import mido
import numpy as np
import pytest
from playwright.sync_api import FileChooser, Page, expect

from tests.browser.conftest import Product, wait_until
from tests.conftest import decaying_strokes, write_wav

BEAT_S, BARS = 0.5, 4
LENGTH_S = 0.4 + 4 * BARS * BEAT_S + 0.6
FOLDER, KICK = "Lantern dance", "Bench kick"


@pytest.fixture
def folder(tmp_path: Path) -> list[Path]:
    """Kick, snare and hats; the snare's microphone hears the kick, and soft strokes among it."""
    beats = np.arange(4 * BARS)
    kick = decaying_strokes((0.4 + beats[::2] * BEAT_S).tolist(), [0.7] * 8, LENGTH_S, hz=60, seed=1)
    places = sorted([*(0.4 + beats[1::2] * BEAT_S).tolist(), 0.4 + 1.5 * BEAT_S, 0.4 + 5.5 * BEAT_S])
    levels = [0.06 if (one - 0.4) / BEAT_S % 1 else 0.6 for one in places]
    snare = decaying_strokes(places, levels, LENGTH_S, hz=190, seed=2) + 0.09 * np.roll(kick, 90)
    hats = decaying_strokes(
        (0.4 + np.arange(8 * BARS) * BEAT_S / 2).tolist(), [0.5] * 32, LENGTH_S, hz=7000, seed=3
    )
    where = tmp_path / FOLDER
    where.mkdir()
    named = {"Kick": kick, "Snare": snare.astype(np.float32), "Hats": hats}
    return [write_wav(where / f"{name}.wav", 0.4 * audio) for name, audio in named.items()]


def document(page: Page) -> dict[str, Any]:
    address = re.sub(r"/session/([^/]+)/.*", r"/api/sessions/\1", page.url)
    found: dict[str, Any] = httpx.get(address, timeout=60).json()["document"]
    return found


def part_of(page: Page, piece: str) -> dict[str, Any]:
    return next(one for one in document(page)["parts"].values() if one["piece"] == piece)


def by_hand(page: Page) -> int:
    return sum(len(one["marks"]) for one in document(page)["parts"].values())


def checked(page: Page, name: str, midi: Path, prints: Path, marks: int) -> None:
    """What came of it: names, marks, one velocity for all kicks, a sound on the kick, MIDI and prints."""
    now = document(page)
    assert now["name"] == name and by_hand(page) == marks
    assert len(part_of(page, "kick")["layers"]) == 1
    tracks = mido.MidiFile(midi).tracks
    kicks = next(one for one in tracks if one.name == "Kick")
    struck = [message.velocity for message in kicks if message.type == "note_on" and message.velocity]
    assert len(struck) == 8 and len(set(struck)) == 1
    with zipfile.ZipFile(prints) as files:
        names = set(files.namelist())
    assert {f"{name} - {one}.wav" for one in ("Everything", "All layers", "Kick - layers")} <= names
    assert f"{name}.mid" in names


def test_by_mouse_alone(product: Product, page: Page, folder: list[Path], tmp_path: Path) -> None:
    for press in ("press", "type", "down", "insert_text"):
        setattr(page.keyboard, press, _no_keys)
    page.goto(product.address)
    page.get_by_role("button", name="New session").click()
    page.wait_for_url("**/gather")
    page.evaluate(
        """(files) => {
            const dropped = new DataTransfer();
            for (const [path, data] of files) {
                const bytes = Uint8Array.from(atob(data), (one) => one.charCodeAt(0));
                const file = new File([bytes], path.split('/').pop());
                Object.defineProperty(file, 'webkitRelativePath', { value: path });
                dropped.items.add(file);
            }
            const files_of = () => [...files].map(([path], at) => {
                const file = dropped.files[at];
                Object.defineProperty(file, 'webkitRelativePath', { value: path });
                return file;
            });
            const event = new DragEvent('drop', { bubbles: true, cancelable: true, dataTransfer: dropped });
            Object.defineProperty(event, 'dataTransfer', {
                value: { types: ['Files'], items: [], files: files_of() },
            });
            window.dispatchEvent(event);
        }""",
        [[f"{FOLDER}/{one.name}", base64.b64encode(one.read_bytes()).decode()] for one in folder],
    )
    first = page.get_by_test_id("first-look")
    expect(first).to_contain_text(re.compile(r"3 microphones, .* strokes"), timeout=60000)
    # Look: what is in doubt, the worst first.
    page.locator(".first-look button").click()
    look = page.get_by_test_id("second-look")
    expect(look.get_by_role("button", name=re.compile("Keep|It is a hit"))).to_be_visible()
    marks = 0
    while look.get_by_role("button", name=re.compile("Keep|It is a hit")).count() and marks < 12:
        marks_before = marks
        look.get_by_role("button", name=re.compile("Keep|It is a hit")).click()
        marks += 1
        wait_until(page, lambda wanted=marks_before + 1: by_hand(page) == wanted)
        page.wait_for_timeout(300)
    assert marks > 0
    look.get_by_role("button", name=re.compile("Back to the field")).click()
    # Correct: a hit is chosen on the stage and dropped, and that is undone.
    page.locator(".parts").get_by_role("button", name=re.compile("^Kick")).click()
    page.get_by_role("button", name=re.compile("Hit to hit")).click()
    page.get_by_role("button", name=re.compile("Drop")).click()
    wait_until(page, lambda: by_hand(page) == marks + 1)
    page.get_by_role("button", name="Undo", exact=True).click()
    wait_until(page, lambda: by_hand(page) == marks)
    # Shape, layer, print.
    page.get_by_role("link", name=re.compile("^Shape")).click()
    page.get_by_role("button", name="Even", exact=True).click()
    page.get_by_role("link", name=re.compile("^Layer")).click()
    page.get_by_role("group", name="Sounds").get_by_role("button", name=re.compile(f"^{KICK}")).click()
    wait_until(page, lambda: len(part_of(page, "kick")["layers"]) == 1)
    page.get_by_role("link", name=re.compile("^Print")).click()
    with page.expect_download() as midi:
        page.get_by_role("link", name=re.compile(r"^MIDI.* on \d+ tracks?")).click()
    with page.expect_download() as prints:
        page.get_by_role("button", name="Print them").click()
    midi.value.save_as(tmp_path / "all.mid")
    prints.value.save_as(tmp_path / "all.zip")
    checked(page, FOLDER, tmp_path / "all.mid", tmp_path / "all.zip", marks)


def test_by_keys_alone(product: Product, page: Page, folder: list[Path], tmp_path: Path) -> None:
    for press in ("click", "down", "move", "dblclick", "wheel"):
        setattr(page.mouse, press, _no_mouse)
    # Asked for from the beginning: the browser takes a moment to hand its own window over.
    choosers: list[FileChooser] = []
    page.on("filechooser", lambda one: choosers.append(one))
    page.goto(product.address)
    expect(page.get_by_role("button", name="New session")).to_be_visible()
    tab_to(page, "New session")
    page.keyboard.press("Enter")
    page.wait_for_url("**/gather")
    expect(page.get_by_role("button", name="choose files")).to_be_visible()
    page.wait_for_timeout(500)  # what comes in behind the first picture may still move things
    tab_to(page, "choose files")
    page.keyboard.press("Enter")
    wait_until(page, lambda: len(choosers) == 1)
    choosers[0].set_files([str(one) for one in folder])
    expect(page.get_by_test_id("first-look")).to_contain_text(
        re.compile(r"3 microphones, .* strokes"), timeout=60000
    )
    page.keyboard.press("q")
    look = page.get_by_test_id("second-look")
    expect(look.get_by_role("button", name=re.compile("Keep|It is a hit"))).to_be_visible()
    marks = 0
    while look.get_by_role("button", name=re.compile("Keep|It is a hit")).count() and marks < 12:
        page.keyboard.press("k")
        marks += 1
        wait_until(page, lambda wanted=marks: by_hand(page) == wanted)
        page.wait_for_timeout(300)
    assert marks > 0
    page.keyboard.press("q")
    expect(look).to_have_count(0)
    kick = page.locator(".parts").get_by_role("button", name=re.compile("^Kick"))
    for _ in range(3):
        page.keyboard.press(",")
        page.wait_for_timeout(200)
    expect(kick).to_have_class(re.compile("active"))
    page.keyboard.press("Home")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("d")
    wait_until(page, lambda: by_hand(page) == marks + 1)
    page.keyboard.press("Control+z")
    wait_until(page, lambda: by_hand(page) == marks)
    page.keyboard.press("PageDown")
    expect(page.get_by_test_id("curve")).to_be_visible()
    tab_to(page, "Even")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="Undo")).to_have_attribute("title", re.compile("velocity curve"))
    page.keyboard.press("Escape")
    page.keyboard.press("PageDown")
    expect(page.get_by_role("group", name="Sounds")).to_be_visible()
    page.keyboard.press("/")
    page.keyboard.type(KICK)
    page.keyboard.press("ArrowDown")
    expect(page.get_by_test_id("trying")).to_contain_text(KICK)
    page.keyboard.press("Enter")
    wait_until(page, lambda: len(part_of(page, "kick")["layers"]) == 1)
    page.keyboard.press("Escape")
    page.keyboard.press("PageDown")
    page.wait_for_url("**/mix")
    page.keyboard.press("PageDown")
    page.wait_for_url("**/print")
    expect(page.get_by_role("button", name="Print them")).to_be_visible()
    tab_to(page, "MIDI\n")
    with page.expect_download() as midi:
        page.keyboard.press("Enter")
    tab_to(page, "Print them")
    with page.expect_download() as prints:
        page.keyboard.press("Enter")
    midi.value.save_as(tmp_path / "all.mid")
    prints.value.save_as(tmp_path / "all.zip")
    checked(page, document(page)["name"], tmp_path / "all.mid", tmp_path / "all.zip", marks)


def tab_to(page: Page, begins: str) -> None:
    """Tab on until what has the focus is called so."""
    for _ in range(200):
        page.keyboard.press("Tab")
        name: str = page.evaluate(
            "() => document.activeElement.ariaLabel ?? document.activeElement.innerText"
        )
        if name.startswith(begins):
            return
    raise AssertionError(f"Tab never comes to “{begins}”")


def _no_keys(*_: object, **__: object) -> None:
    raise AssertionError("this is done without keys")


def _no_mouse(*_: object, **__: object) -> None:
    raise AssertionError("this is done without a mouse")
