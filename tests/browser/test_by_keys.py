"""What hands do without a mouse, once each: ranges, a line over the velocities, all notes nudged, velocity
steps, layers on and off, their level, start and fade (heard), joined microphones, what is printed.
"""

from __future__ import annotations

import re
import zipfile
from pathlib import Path

import httpx
import numpy as np
import pytest
from playwright.sync_api import Locator, Page, expect

from nubrak.core.midi import read_midi
from tests.browser.conftest import Product, wait_until
from tests.conftest import RATE_HZ, decaying_strokes, write_wav

LENGTH_S = 4.8
TIMES = [0.5 * n for n in range(1, 9)]


@pytest.fixture
def session(product: Product, page: Page, tmp_path: Path) -> str:
    """A kick on every beat of two bars at 120, from half a second on; no mouse from then on."""
    page.goto(product.address)
    page.get_by_role("button", name="New session").click()
    page.wait_for_url("**/gather")
    page.get_by_label("Tempo, bpm").fill("120")
    page.keyboard.press("Enter")
    expect(page.get_by_test_id("tempo-said")).to_contain_text("120.0 bpm")
    for name, hz in (("Kick", 60), ("Snare", 190)):
        # Soft enough that their sum is under full scale: what is printed asks for nothing first.
        strokes = 0.3 * decaying_strokes(TIMES, [0.5] * 8, LENGTH_S, hz=hz, seed=hz)
        page.get_by_test_id("files").set_input_files(str(write_wav(tmp_path / f"{name}.wav", strokes)))
        row = page.get_by_role("button", name=re.compile(f"{name}.wav"))
        expect(row).to_contain_text("8 hits", timeout=40000)
    address = page.url.removesuffix("/gather")
    for press in ("click", "dblclick", "move", "down", "up"):
        setattr(page.mouse, press, _no_mouse)
    return address


def _no_mouse(*_: object, **__: object) -> None:
    raise AssertionError("no mouse here")


def reach(page: Page, wanted: Locator) -> Locator:
    """Go to a control by Tab alone."""
    expect(wanted).to_be_visible()
    for _ in range(250):
        if wanted.evaluate("one => one === document.activeElement"):
            return wanted
        page.keyboard.press("Tab")
    raise AssertionError(f"Tab does not come to {wanted}")


def api(session: str, path: str, **params: object) -> bytes:
    base, _, session_id = session.partition("/session/")
    answer = httpx.get(f"{base}/api/sessions/{session_id}/{path}".rstrip("/"), params=params, timeout=60)
    answer.raise_for_status()
    return answer.content


def document(session: str) -> dict:
    base, _, session_id = session.partition("/session/")
    return dict(httpx.get(f"{base}/api/sessions/{session_id}", timeout=60).json()["document"])


def notes(session: str) -> list[tuple[float, int]]:
    """The kick's notes: when, in seconds, and how hard."""
    track = next(one for one in read_midi(api(session, "print/midi")).tracks if "ick" in one.name)
    return list(zip(track.time_s.tolist(), track.velocity.tolist(), strict=True))


def go_to_kick(page: Page) -> None:
    expect(page.locator(".parts .active")).to_contain_text("Snare")
    page.keyboard.press(",")
    expect(page.locator(".parts .active")).to_contain_text("Kick")


def test_a_range_a_drawn_line_all_notes_later_and_steps(session: str, page: Page) -> None:
    page.goto(f"{session}/shape")
    expect(page.get_by_test_id("curve")).to_be_visible()
    go_to_kick(page)
    played = notes(session)
    # A range from bar to bar: bars lie at 0, 2 and 4 s.
    page.keyboard.press("Home")
    page.keyboard.press("Control+ArrowRight")
    expect(page.get_by_test_id("clock")).to_have_text("0:02.00")
    page.keyboard.press("(")
    page.keyboard.press("Control+ArrowRight")
    page.keyboard.press(")")
    expect(page.get_by_role("button", name=re.compile("Loop 2.00 s"))).to_have_attribute(
        "aria-pressed", "true"
    )
    # A step on the range alone: its menu does nothing on the way.
    reach(page, page.get_by_test_id("add-step"))
    page.keyboard.press("Enter")
    for _ in range(2):
        page.keyboard.press("ArrowDown")
    expect(page.get_by_role("button", name=re.compile("^Scale:"))).to_be_focused()
    page.keyboard.press("ArrowUp")
    expect(page.get_by_role("button", name=re.compile("^Raise or lower:"))).to_be_focused()
    assert notes(session) == played
    page.keyboard.press("Enter")
    steps = page.get_by_test_id("steps")
    expect(steps).to_contain_text("4 strokes, 0:02.0 to 0:04.0")
    reach(page, page.get_by_role("slider", name="By", exact=True))
    for _ in range(6):
        page.keyboard.press("ArrowLeft")
    in_range = [2.0 - 0.01 < at < 4.0 - 0.01 for at, _ in played]
    wait_until(
        page, lambda: [b - a for (_, a), (_, b) in zip(played, notes(session), strict=True)] != [0] * 8
    )
    page.wait_for_timeout(600)
    by = [b - a for (_, a), (_, b) in zip(played, notes(session), strict=True)]
    wanted_by = int(page.get_by_label("By in vel").input_value())
    assert wanted_by != 10, "it was moved away from where it starts"
    assert by == [wanted_by if inside else 0 for inside in in_range]
    reach(page, page.get_by_label("Raise or lower, on or off"))
    page.keyboard.press("Space")
    wait_until(page, lambda: notes(session) == played)
    # A line over the velocities, from half as strong at the beginning to as played at the end.
    page.locator("body").focus()
    page.evaluate("() => document.activeElement.blur()")
    page.keyboard.press("Home")
    page.keyboard.press("c")
    line = page.get_by_test_id("line-by-keys")
    expect(line).to_contain_text("each at the play line")
    page.keyboard.press("a")
    for _ in range(2):
        page.keyboard.press("Shift+ArrowDown")
    expect(line).to_contain_text("Point 1 of 1 at 0:00.00: 50 % of what is played")
    page.keyboard.press("End")
    page.keyboard.press("a")
    for _ in range(2):
        page.keyboard.press("Shift+ArrowUp")
    expect(line).to_contain_text("Point 2 of 2 at 0:04.80: 100 % of what is played")
    page.keyboard.press("Enter")
    expect(steps).to_contain_text("2 points")
    expect(line).to_have_count(0)
    wait_until(page, lambda: notes(session) != played)
    share = [b / a for (_, a), (_, b) in zip(played, notes(session), strict=True)]
    wanted = [0.5 + 0.5 * at / LENGTH_S for at, _ in played]
    assert np.abs(np.subtract(share, wanted)).max() < 0.02
    # All notes three milliseconds later.
    page.keyboard.press("Control+a")
    expect(page.get_by_test_id("chosen")).to_contain_text("8 chosen")
    for _ in range(3):
        page.keyboard.press("Alt+ArrowRight")
    wait_until(page, lambda: notes(session)[-1][0] > played[-1][0] + 0.0025)
    later = [b - a for (a, _), (b, _) in zip(played, notes(session), strict=True)]
    assert np.abs(np.array(later) - 0.003).max() < 0.0006


def sound(session: str, bus: str) -> np.ndarray:
    content = api(session, f"sound/{bus}", start=0, frames=round(LENGTH_S * RATE_HZ))
    return np.frombuffer(content, "<f4").reshape(-1, 2)[:, 0]


def test_layers_on_and_off_their_level_start_and_fade_are_heard_and_prints_chosen(
    session: str, page: Page, tmp_path: Path
) -> None:
    page.goto(f"{session}/layer")
    go_to_kick(page)
    # Tab stops once in the list of sounds, however long it is; the arrow keys go through it.
    sounds = page.get_by_role("group", name="Sounds")
    assert sounds.locator("button[tabindex='0']").count() <= 3 < sounds.get_by_role("button").count()
    page.keyboard.press("/")
    page.keyboard.insert_text("bench kick")
    page.keyboard.press("ArrowDown")
    expect(page.get_by_test_id("trying")).to_contain_text("Bench kick")
    page.keyboard.press("Enter")
    wait_until(page, lambda: any(one.get("layers") for one in document(session)["parts"].values()))
    layer = page.locator(".layer-row", has_text="follows velocity")
    whole = sound(session, "layers")
    assert np.abs(whole).max() > 0.05
    on = reach(page, layer.get_by_role("checkbox").first)
    page.keyboard.press("Space")
    expect(on).not_to_be_checked()
    wait_until(page, lambda: not sound(session, "layers").any())
    page.keyboard.press("Space")
    expect(on).to_be_checked()
    wait_until(page, lambda: bool(sound(session, "layers").any()))
    # Its level, by the handle: three steps down from where it starts.
    level_db = layer.get_by_label(re.compile("level in dB"))
    before_db = float(level_db.input_value().replace("−", "-"))
    reach(page, layer.get_by_role("slider", name=re.compile("level$")))
    for _ in range(3):
        page.keyboard.press("ArrowLeft")
    wait_until(page, lambda: np.abs(sound(session, "layers")).max() < np.abs(whole).max() * 0.99)
    page.wait_for_timeout(500)
    softer = sound(session, "layers")
    by_db = float(level_db.input_value().replace("−", "-")) - before_db
    assert by_db < -1 and np.allclose(softer, whole * 10 ** (by_db / 20), atol=0.01)
    page.keyboard.press("Control+z")
    wait_until(page, lambda: np.allclose(sound(session, "layers"), whole, atol=1e-6))
    # Later into the sample: what its first 40 ms held is left out, and its body begins on the hit.
    reach(page, layer.get_by_role("button", name="Its sound"))
    page.keyboard.press("Enter")
    late = reach(page, layer.get_by_label("Start later in ms"))
    page.keyboard.insert_text("40")
    page.keyboard.press("Enter")
    expect(late).to_have_value("40.0")
    wait_until(page, lambda: not np.allclose(sound(session, "layers"), whole, atol=1e-4))
    begun = sound(session, "layers")
    hit, on_s = round(TIMES[0] * RATE_HZ), round(0.040 * RATE_HZ)
    body = slice(hit + 400, hit + 8000)
    away = [
        float(np.abs(begun[body] - whole[hit + 400 + on_s + by : hit + 8000 + on_s + by]).max())
        for by in range(-60, 61)
    ]
    assert min(away) < 0.01 * np.abs(whole).max()
    page.keyboard.press("Control+z")
    wait_until(page, lambda: np.allclose(sound(session, "layers"), whole, atol=1e-6))
    # A fade is heard where something ends the sound; where nothing does, it says so.
    expect(layer).to_contain_text("nothing ends it early: it rings out")
    reach(page, layer.get_by_label("How long"))
    page.keyboard.press("ArrowDown")
    expect(layer).to_contain_text("where its note or another ends it")
    wait_until(page, lambda: not np.allclose(sound(session, "layers"), whole, atol=1e-4))
    short = sound(session, "layers")
    reach(page, layer.get_by_label("Fade out in ms"))
    page.keyboard.insert_text("200")
    page.keyboard.press("Enter")
    wait_until(page, lambda: not np.allclose(sound(session, "layers"), short, atol=1e-4))
    faded = sound(session, "layers")
    ends = [int(np.flatnonzero(one[hit : hit + RATE_HZ // 2 - 200])[-1]) for one in (short, faded)]
    assert (ends[1] - ends[0]) / RATE_HZ == pytest.approx(0.185, abs=0.01)
    # What is printed, and printing it.
    page.evaluate("() => document.activeElement.blur()")
    for _ in range(2):
        page.keyboard.press("PageDown")
    for name, wanted in (("every layer apart", True), ("MIDI", False)):
        box = reach(page, page.get_by_role("checkbox", name=name, exact=True))
        page.keyboard.press("Space")
        expect(box).to_be_checked(checked=wanted)
    with page.expect_download(timeout=60000) as coming:
        reach(page, page.get_by_role("button", name="Print them"))
        page.keyboard.press("Enter")
    with zipfile.ZipFile(coming.value.path()) as bundle:
        names = bundle.namelist()
    assert not [one for one in names if one.endswith(".mid")]
    assert [one for one in names if "Kick" in one and one.endswith(".wav")]
