"""The real product, started by its own command, and a real browser before it."""

from __future__ import annotations

import os
import queue
import shutil
import signal
import socket
import subprocess
import tempfile
import threading
from collections.abc import Callable, Generator, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect, sync_playwright
from playwright.sync_api import Error as PlaywrightError

from nubrak.command.places import ROOT

# Whatever must appear may take this long: a build machine does several things at once.
expect.set_options(timeout=40000)

FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage", "--disable-background-networking"]


def wait_until(page: Page, so: Callable[[], bool], most_s: float = 60.0) -> None:
    """Let the page run until something is so."""
    for _ in range(round(most_s * 10)):
        if so():
            return
        page.wait_for_timeout(100)
    raise AssertionError(
        f"it did not come to be so; the page says: {page.locator('footer').inner_text()} "
        f"{page.locator('.notice').all_inner_texts()}"
    )


class Product:
    """`./nubrak start` in a folder of its own."""

    def __init__(self, data: Path) -> None:
        self.data = data
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self.port = free.getsockname()[1]
        self.address = f"http://127.0.0.1:{self.port}"
        self.process: subprocess.Popen[str] | None = None
        self.printed: list[str] = []

    def start(self) -> None:
        env = {key: value for key, value in os.environ.items() if not key.startswith("NUBRAK_")}
        command = [
            str(ROOT / "nubrak"),
            "start",
            "--data",
            str(self.data),
            "--port",
            str(self.port),
            "--empty",
            "--one-kit",  # what goes on in the background is no part of what is looked at here
        ]
        self.process = subprocess.Popen(
            command,
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            text=True,
            env=env,
            start_new_session=True,
        )
        lines: queue.Queue[str] = queue.Queue()

        def read(process: subprocess.Popen[str]) -> None:
            for line in process.stdout or []:
                self.printed.append(line)
                lines.put(line)

        threading.Thread(target=read, args=(self.process,), daemon=True).start()
        while "Nubrak is at" not in lines.get(timeout=120):
            pass

    def interrupt(self) -> None:
        """Ctrl-C."""
        assert self.process is not None
        os.kill(self.process.pid, signal.SIGINT)
        self.process.wait(30)

    def kill(self) -> None:
        """No time to say goodbye."""
        assert self.process is not None
        os.kill(self.process.pid, signal.SIGKILL)
        self.process.wait(10)

    def last_words(self) -> str:
        """The end of everything it printed and logged."""
        ends = ["".join(self.printed[-30:])]
        for path in (*sorted((self.data / "logs").glob("*.log")), self.data / "postgres" / "log.txt"):
            with suppress(OSError):
                ends.append(f"{path.name}\n" + "\n".join(path.read_text(errors="replace").splitlines()[-40:]))
        return "\n\n".join(ends)


@pytest.hookimpl(wrapper=True)
def pytest_runtest_makereport(item: pytest.Item) -> Generator[None, pytest.TestReport, pytest.TestReport]:
    """What the page and the product said, beside every failure: their folder is gone afterwards."""
    report = yield
    found = getattr(item, "funcargs", {})
    if report.failed and isinstance(product := found.get("product"), Product):
        if isinstance(page := found.get("page"), Page):
            with suppress(PlaywrightError):
                report.sections.append(("the page", page.locator("body").inner_text(timeout=2000)[:3000]))
        report.sections.append(("the product", product.last_words()))
    return report


@pytest.fixture(scope="session")
def product() -> Iterator[Product]:
    folder = Path(tempfile.mkdtemp(prefix="nubrak-browser-"))
    folder.chmod(0o755)
    running = Product(folder / "data")
    running.start()
    yield running
    running.interrupt()
    shutil.rmtree(folder, ignore_errors=True)


# Not for the whole session: while Playwright is open an event loop runs in this thread, and other tests run
# their own.
@pytest.fixture(scope="module")
def chromium() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        yield browser
        browser.close()


@contextmanager
def watched_page(browser: Browser, permissions: tuple[str, ...] = ()) -> Iterator[Page]:
    """A page in which nothing may go wrong unseen."""
    context = browser.new_context(
        viewport={"width": 1280, "height": 800}, accept_downloads=True, permissions=list(permissions)
    )
    page = context.new_page()
    wrong: list[str] = []
    page.on("pageerror", lambda error: wrong.append(str(error)))
    page.on("console", lambda one: wrong.append(one.text) if "Content Security Policy" in one.text else None)
    yield page
    context.close()
    assert not wrong


@pytest.fixture
def page(chromium: Browser) -> Iterator[Page]:
    with watched_page(chromium) as page:
        yield page
