"""A browser whose microphone hears a file over and over, and what is asked of a session meanwhile."""

from __future__ import annotations

import base64
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import httpx
import soundfile
from playwright.sync_api import Browser, Page, sync_playwright

from tests.browser.conftest import FLAGS, Product, watched_page


@contextmanager
def browser_hearing(path: Path) -> Iterator[Browser]:
    """A browser whose microphone plays a file."""
    flags = [
        *FLAGS,
        "--use-fake-ui-for-media-stream",
        "--use-fake-device-for-media-stream",
        f"--use-file-for-fake-audio-capture={path}",
        "--autoplay-policy=no-user-gesture-required",
    ]
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=flags)
        yield browser
        browser.close()


# The browser's own stand-in for a device is driven by a timer: on a busy machine it leaves out sound in the
# middle of a stroke. This one is driven by the clock of the page's sound and leaves out nothing.
STEADY = """(() => {
  const bytes = Uint8Array.from(atob('%s'), (one) => one.charCodeAt(0));
  const [values, channels] = [new Int16Array(bytes.buffer), %d];
  AudioContext.prototype.createMediaStreamSource = function () {
    const frames = values.length / channels;
    const buffer = this.createBuffer(channels, frames, %d);
    for (let c = 0; c < channels; c++) {
      const into = buffer.getChannelData(c);
      for (let k = 0; k < frames; k++) into[k] = values[k * channels + c] / 32768;
    }
    const node = this.createBufferSource();
    Object.assign(node, { buffer, loop: true });
    node.start();
    return node;
  };
})();"""


@contextmanager
def page_with_microphone(browser: Browser, steady: Path | None = None) -> Iterator[Page]:
    """A page that may use the microphone; with `steady`, what the microphone hears is this file, over and
    over, without a gap however busy the machine is.
    """
    with watched_page(browser, ("microphone",)) as page:
        if steady:
            data, rate_hz = soundfile.read(str(steady), dtype="int16", always_2d=True)
            heard = base64.b64encode(data.tobytes()).decode()
            page.add_init_script(STEADY % (heard, data.shape[1], rate_hz))
        yield page


def new_session(product: Product, page: Page, view: str) -> str:
    """A new session in a view of Gather; its address in the API."""
    page.goto(product.address)
    page.get_by_role("button", name="New session").click()
    page.wait_for_url("**/gather")
    page.get_by_role("button", name=view, exact=True).click()
    return f"{product.address}/api/sessions/{page.url.split('/session/')[1].split('/')[0]}"


def document(api: str) -> dict[str, Any]:
    found: dict[str, Any] = httpx.get(api, timeout=60).json()["document"]
    return found


def hits(api: str) -> dict[str, int]:
    """How many strokes each piece has, once its sources were looked through."""
    lines, parts = httpx.get(f"{api}/overview", timeout=60).json()["parts"], document(api)["parts"]
    return {
        parts[one["part_id"]]["piece"]: len(one["time_s"])
        for one in lines
        if one["progress"] >= 1 and one["part_id"] in parts
    }
