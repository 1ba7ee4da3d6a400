"""Recordings dropped on any bench come into the session; a folder can be chosen."""

from __future__ import annotations

import base64
import re
from pathlib import Path

import httpx
import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import Product, wait_until
from tests.conftest import decaying_strokes, write_wav

_DROP = """([name, data]) => {
    const bytes = Uint8Array.from(atob(data), (one) => one.charCodeAt(0));
    const dropped = new DataTransfer();
    dropped.items.add(new File([bytes], name));
    const over = new DragEvent('dragover', { bubbles: true, cancelable: true, dataTransfer: dropped });
    document.body.dispatchEvent(over);
    const event = new DragEvent('drop', { bubbles: true, cancelable: true, dataTransfer: dropped });
    document.body.dispatchEvent(event);
    return over.defaultPrevented && event.defaultPrevented;
}"""


def sources(page: Page) -> list[str]:
    address = re.sub(r"/session/([^/]+)/.*", r"/api/sessions/\1", page.url)
    found = httpx.get(address, timeout=60).json()["document"]["sources"]
    return sorted(one["name"] for one in found.values())


@pytest.fixture
def kick(tmp_path: Path) -> Path:
    return write_wav(tmp_path / "Kick.wav", decaying_strokes([0.3, 0.8, 1.3], [0.7] * 3, 2.0, hz=60))


def test_a_file_dropped_on_any_bench_comes_in(product: Product, page: Page, kick: Path) -> None:
    page.goto(product.address)
    page.get_by_role("button", name="New session").click()
    page.wait_for_url("**/gather")
    page.get_by_test_id("files").set_input_files(str(kick))
    wait_until(page, lambda: len(sources(page)) == 1)
    session = page.url.removesuffix("/gather")
    data = base64.b64encode(kick.read_bytes()).decode()
    for count, bench in enumerate(("find", "shape", "mix", "print"), start=2):
        page.goto(f"{session}/{bench}")
        page.locator(f"main.bench-{bench}").wait_for()
        assert page.evaluate(_DROP, [f"Tom {count}.wav", data]), "the browser would have opened the file"
        page.wait_for_url("**/gather")
        wait_until(page, lambda count=count: len(sources(page)) == count)
    assert sources(page)[0] == "Kick.wav"


def test_a_folder_is_chosen_and_what_is_no_recording_in_it_is_left(
    product: Product, page: Page, kick: Path, tmp_path: Path
) -> None:
    folder = tmp_path / "Lantern dance"
    folder.mkdir()
    (folder / "Snare.wav").write_bytes(kick.read_bytes())
    (folder / "Kick.wav").write_bytes(kick.read_bytes())
    (folder / "notes.txt").write_text("the lamplighter enters")
    page.goto(product.address)
    page.get_by_role("button", name="New session").click()
    page.wait_for_url("**/gather")
    expect(page.get_by_role("button", name="a folder")).to_be_visible()
    page.get_by_test_id("folder").set_input_files(str(folder))
    wait_until(page, lambda: len(sources(page)) == 2)
    assert sources(page) == ["Kick.wav", "Snare.wav"]
