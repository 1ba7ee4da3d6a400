"""What happens around the work: a folder dropped whole, a worker killed, two windows in one list, leaks named
by hand.
"""

from __future__ import annotations

import os
import re
import signal
from pathlib import Path

import numpy as np
import soundfile
from playwright.sync_api import APIResponse, Page, Route, expect

from tests.browser.conftest import Product, wait_until
from tests.conftest import decaying_strokes, kit_files


def new_session(product: Product, page: Page) -> None:
    page.goto(product.address)
    page.get_by_role("button", name="New session").click()
    expect(page.get_by_text("Nothing is here yet.")).to_be_visible()


def find_snare(product: Product, page: Page, folder: Path) -> None:
    """A new session with the kit's files dropped and listened to, and its snare in Find."""
    new_session(product, page)
    page.get_by_test_id("files").set_input_files([str(path) for path in kit_files(folder)])
    expect(page.get_by_role("button", name=re.compile("Snare Top.wav"))).to_contain_text(
        "10 hits", timeout=40000
    )
    expect(page.get_by_role("button", name=re.compile("OH L\\+R.wav"))).to_contain_text("hit", timeout=40000)
    page.goto(page.url.replace("/gather", "/find"))
    page.locator(".parts .list-group-item", has_text="Snare").click()


def workers_of(parent: int) -> list[int]:
    """The worker processes that the launcher started, by what Linux says of them in /proc."""
    found = []
    for entry in Path("/proc").glob("[0-9]*"):
        try:
            begun_by = re.search(r"PPid:\s+(\d+)", (entry / "status").read_text())
            if (
                begun_by
                and int(begun_by[1]) == parent
                and b"worker" in (entry / "cmdline").read_bytes().split(b"\0")
            ):
                found.append(int(entry.name))
        except OSError:
            continue
    return found


def test_an_answer_that_comes_late_takes_back_nothing(product: Product, page: Page, tmp_path: Path) -> None:
    """The state before the drop, asked for when the window opened, arrives after the drop was taken in."""
    late: list[tuple[Route, APIResponse]] = []
    # The news is that there may be news, and then nothing more: what the drop's own answer brings is all the
    # window has.
    news = "retry: 600000\nevent: again\ndata:  \n\n"
    page.route("**/events", lambda route: route.fulfill(content_type="text/event-stream", body=news))
    page.route(re.compile("/api/sessions/[0-9a-f]+$"), lambda route: late.append((route, route.fetch())))
    new_session(product, page)
    wait_until(page, lambda: bool(late))
    page.get_by_test_id("files").set_input_files(str(kit_files(tmp_path)[2]))
    source = page.get_by_role("button", name=re.compile("Snare Top.wav"))
    expect(source).to_be_visible()
    ((route, answer),) = late
    assert answer.json()["document"]["sources"] == {}
    with page.expect_response(re.compile("/api/sessions/[0-9a-f]+$")):
        route.fulfill(response=answer)
    expect(source).to_contain_text("10 hits", timeout=40000)
    expect(page.get_by_role("link", name=re.compile("Gather"))).to_contain_text("1 source")


def test_a_dropped_folder_brings_every_recording_in_it_and_nothing_else(
    product: Product, page: Page, tmp_path: Path
) -> None:
    folder = tmp_path / "Act one"
    (folder / "close").mkdir(parents=True)
    for path in kit_files(tmp_path):
        path.rename(folder / ("close" if "Snare" in path.name else "") / path.name)
    (folder / "notes.txt").write_text("second take is better")
    new_session(product, page)
    devtools = page.context.new_cdp_session(page)
    for step in ("dragEnter", "dragOver", "drop"):
        devtools.send(
            "Input.dispatchDragEvent",
            {
                "type": step,
                "x": 600,
                "y": 400,
                "data": {"items": [], "files": [str(folder)], "dragOperationsMask": 1},
            },
        )
    for name in ("Kick In.wav", "Kick Out.wav", "Snare Top.wav", "OH L+R.wav"):
        expect(page.get_by_role("button", name=re.compile(re.escape(name)))).to_be_visible()
    expect(page.locator("button.source")).to_have_count(4)
    expect(page.get_by_role("alert")).to_have_count(0)


def test_a_worker_killed_in_the_middle_is_said_and_made_good(
    product: Product, page: Page, tmp_path: Path
) -> None:
    path = tmp_path / "Snare.wav"
    minute = decaying_strokes([second + 0.5 for second in range(60)], [0.5] * 60, length_s=60.0)
    soundfile.write(str(path), np.tile(minute, 15), 44100, subtype="PCM_16")
    new_session(product, page)
    overview = f"{product.address}/api/sessions/{page.url.split('/')[-2]}/overview"
    page.get_by_test_id("files").set_input_files(str(path))
    lane = page.get_by_role("button", name=re.compile("Snare.wav"))

    # Asked of the server, and often: the bar of the page follows once a second, and may come too late.
    def in_the_middle() -> bool:
        return any(0 < part["progress"] < 0.9 for part in page.request.get(overview).json()["parts"])

    wait_until(page, in_the_middle, most_s=90.0)
    assert product.process is not None
    workers = workers_of(product.process.pid)
    assert workers
    for worker in workers:
        os.kill(worker, signal.SIGKILL)
    expect(
        page.get_by_text("Listening was cut off in the middle; it is taken up again by itself.")
    ).to_be_visible(timeout=60000)
    expect(lane).to_contain_text("900 hits", timeout=60000)
    expect(page.get_by_text("Listening was cut off")).to_have_count(0)


def test_a_killed_database_is_started_again_and_the_window_goes_on(product: Product, page: Page) -> None:
    new_session(product, page)
    pid = int((product.data / "postgres" / "postmaster.pid").read_text().splitlines()[0])
    os.kill(pid, signal.SIGKILL)
    wait_until(page, lambda: any("the database ended by itself" in line for line in product.printed))
    wait_until(page, lambda: page.request.get(f"{product.address}/api/sessions").status == 200)
    # What was there is there, and edits are taken and told to the window again.
    tempo = page.get_by_label("Tempo, bpm")
    tempo.fill("97")
    tempo.press("Enter")
    expect(page.locator("footer")).to_contain_text("97.0 bpm")
    page.reload()
    expect(page.locator("footer")).to_contain_text("97.0 bpm")


def test_leaks_named_by_hand_and_kinds_of_recording(product: Product, page: Page, tmp_path: Path) -> None:
    find_snare(product, page, tmp_path)
    leaks = page.locator("details.leakers")
    leaks.locator("summary").click()
    expect(leaks).to_contain_text("learnt from the recording")
    leaks.get_by_label("Kick").click()
    expect(leaks.locator("summary")).to_have_text(re.compile("named by hand"))
    expect(leaks.get_by_label("Kick")).not_to_be_checked()
    # It is kept with the session, can be undone, and learnt again.
    page.reload()
    page.locator(".parts .list-group-item", has_text="Snare").click()
    expect(page.locator("details.leakers").get_by_label("Kick")).not_to_be_checked()
    page.locator("details.leakers").get_by_role("button", name="learn them again").click()
    expect(page.locator("details.leakers summary")).to_contain_text("learnt from the recording")
    kind = page.get_by_label("What kind of recording it is")
    for material, said in (
        ("loop", "Many pieces in one signal"),
        ("mouth", "slow, noisy attacks"),
        ("hand", "Claps, shakers"),
        ("cymbals", "Long washes"),
    ):
        kind.select_option(material)
        expect(page.locator("p.material")).to_contain_text(said)
        expect(page.get_by_test_id("sums")).to_contain_text(re.compile(r"\d+ hit"))
    kind.select_option("")
    expect(page.locator("p.material")).to_have_count(0)
    expect(page.get_by_test_id("sums")).to_contain_text("10 hits")


def test_two_windows_work_off_one_list(product: Product, page: Page, tmp_path: Path) -> None:
    find_snare(product, page, tmp_path)
    level = page.get_by_label("Threshold in dB")
    level.fill("-14.5")
    level.press("Enter")
    expect(level).to_have_value("−14.5")
    level.blur()
    other = page.context.new_page()
    other.goto(page.url)
    other.locator(".parts .list-group-item", has_text="Snare").click()
    waiting = int(page.get_by_test_id("second-look-open").inner_text().split()[-1])
    assert waiting >= 2
    for window in (page, other):
        window.keyboard.press("q")
        expect(window.get_by_test_id("look-count")).to_contain_text(re.compile(rf"of {waiting}"))
    # Each decides what the other then no longer has to.
    page.bring_to_front()
    page.keyboard.press("k")
    expect(page.get_by_test_id("look-count")).to_contain_text(re.compile(rf"^1 of {waiting}"))
    other.bring_to_front()
    other.keyboard.press("q")
    expect(other.get_by_test_id("second-look-open")).to_contain_text(str(waiting - 1))
    other.keyboard.press("q")
    expect(other.get_by_test_id("look-count")).to_contain_text(re.compile(rf"of {waiting - 1}"))
    other.keyboard.press("d")
    expect(other.get_by_test_id("look-count")).to_contain_text(re.compile(rf"^1 of {waiting - 1}"))
    page.bring_to_front()
    page.keyboard.press("q")
    expect(page.get_by_test_id("second-look-open")).to_contain_text(str(waiting - 2))
    session = page.url.split("/session/")[1].split("/")[0]
    kept = page.request.get(f"{product.address}/api/sessions/{session}/overview").json()
    assert sum(part["by_hand"] for part in kept["parts"]) == 2
