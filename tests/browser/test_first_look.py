"""The first look at one's own recordings: a kit in a drummer's order with its tempo told, names and places by
hand and by key, the tempo as a line of points.
"""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import httpx
import mido
import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import Product, wait_until
from tests.conftest import decaying_strokes, write_wav

BPM, BARS = 117.0, 8
BEAT_S = 60.0 / BPM
LENGTH_S = 0.4 + 4 * BARS * BEAT_S + 0.5


def document(page: Page) -> dict[str, Any]:
    address = re.sub(r"/session/([^/]+)/.*", r"/api/sessions/\1", page.url)
    found: dict[str, Any] = httpx.get(address, timeout=60).json()["document"]
    return found


def order(page: Page) -> list[str]:
    parts = sorted(document(page)["parts"].values(), key=lambda one: one["place"])
    return [one["named"] or one["piece"] for one in parts]


@pytest.fixture
def kit(product: Product, page: Page, tmp_path: Path) -> list[Path]:
    """A backbeat on three microphones and an overhead, dropped in no order."""
    folder = tmp_path / "Lantern dance"
    folder.mkdir()
    beats = np.arange(4 * BARS)
    places = {"Snare": beats[1::2], "OH": beats[::4], "Kick": beats[::2], "Hat": np.arange(0, 4 * BARS, 0.5)}
    tones = {"Snare": 190, "OH": 5000, "Kick": 60, "Hat": 7000}
    out = []
    for seed, (name, at) in enumerate(places.items()):
        strokes = decaying_strokes(
            (0.4 + at * BEAT_S).tolist(), [0.7] * len(at), LENGTH_S, hz=tones[name], seed=seed
        )
        out.append(write_wav(folder / f"{name}.wav", strokes))
    page.goto(product.address)
    page.get_by_role("button", name="New session").click()
    page.wait_for_url("**/gather")
    page.get_by_test_id("files").set_input_files([str(path) for path in out])
    wait_until(page, lambda: len(document(page)["sources"]) == 4)
    return out


def test_a_dropped_kit_stands_in_order_and_tells_its_tempo(kit: list[Path], page: Page) -> None:
    assert order(page) == ["kick", "snare", "hi-hat", "Overheads"]
    rows = page.locator("button.source .source-head strong")
    expect(rows).to_have_text(["Kick", "Snare", "Hi-hat", "Overheads"])
    expect(page.get_by_test_id("unheard")).to_contain_text("toms")
    # Nobody asked for it, and nobody was asked.
    expect(page.get_by_test_id("tempo-said")).to_contain_text("117.0 bpm in 4/4, detected", timeout=60000)
    known = page.get_by_test_id("tempo-known")
    expect(known).to_contain_text(re.compile(r"Detected, \d+ % sure"))
    known.get_by_role("button", name="Half time").click()
    expect(page.get_by_test_id("tempo-said")).to_contain_text("58.5 bpm")
    page.keyboard.press("Control+z")
    expect(page.get_by_test_id("tempo-said")).to_contain_text("117.0 bpm")


def test_parts_are_named_and_moved_by_key_and_by_hand(kit: list[Path], page: Page) -> None:
    page.get_by_role("button", name=re.compile("Hat.wav")).click()
    page.keyboard.press("Control+ArrowUp")
    wait_until(page, lambda: order(page) == ["kick", "hi-hat", "snare", "Overheads"])
    page.keyboard.press("F2")
    page.keyboard.type("Side hats")
    page.keyboard.press("Enter")
    expect(page.locator("button.source .source-head strong")).to_have_text(
        ["Kick", "Side hats", "Snare", "Overheads"]
    )
    page.get_by_label("Recording", exact=True).fill("Hats, close")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name=re.compile("Hats, close"))).to_be_visible()
    # By hand: the snare over the kick.
    grip = page.get_by_role("button", name=re.compile("Snare.wav")).locator(".source-head").bounding_box()
    top = page.get_by_role("button", name=re.compile("Kick.wav")).bounding_box()
    assert grip and top
    page.mouse.move(grip["x"] + 30, grip["y"] + 10)
    page.mouse.down()
    page.mouse.move(grip["x"] + 30, grip["y"] - 30)
    page.mouse.move(grip["x"] + 30, top["y"] + 6)
    expect(page.locator("button.source.before-here")).to_have_count(1)
    page.mouse.up()
    wait_until(page, lambda: order(page) == ["snare", "kick", "Side hats", "Overheads"])
    for _ in range(4):
        page.keyboard.press("Control+z")
    wait_until(page, lambda: order(page) == ["kick", "snare", "hi-hat", "Overheads"])


def test_the_tempo_is_a_line_of_points_by_key_and_by_hand(kit: list[Path], page: Page) -> None:
    expect(page.get_by_test_id("tempo-said")).to_contain_text("117.0 bpm", timeout=60000)
    page.get_by_role("button", name="Tempo", exact=True).click()
    points = page.get_by_test_id("tempo-points").locator("li")
    expect(points).to_have_count(1)
    line = page.get_by_test_id("tempo-line")
    box = line.bounding_box()
    assert box
    page.mouse.click(box["x"] + box["width"] * 0.5, box["y"] + box["height"] * 0.3)
    expect(points).to_have_count(2)
    # The line shows it at once; it is kept a moment later.
    wait_until(page, lambda: document(page)["tempo"]["known"] == "set")
    first = document(page)["tempo"]
    assert len(first["changes"]) == 1
    bar_s = 4 * 60.0 / first["bpm"]
    at = (first["changes"][0]["time_s"] - first["bar_one_s"]) / bar_s
    assert abs(at - round(at)) < 1e-3, "a point stands on a bar"
    before = first["changes"][0]["bpm"]
    page.keyboard.press("ArrowUp")
    wait_until(page, lambda: abs(document(page)["tempo"]["changes"][0]["bpm"] - before - 0.1) < 0.02)
    page.keyboard.press("Alt+ArrowRight")
    wait_until(
        page,
        lambda: (
            abs(document(page)["tempo"]["changes"][0]["time_s"] - first["changes"][0]["time_s"] - bar_s)
            < 0.01
        ),
    )
    page.keyboard.press("Delete")
    expect(points).to_have_count(1)


def test_a_dragged_range_lies_on_bars_and_beats(kit: list[Path], page: Page) -> None:
    expect(page.get_by_test_id("tempo-said")).to_contain_text("117.0 bpm", timeout=60000)
    page.goto(page.url.replace("/gather", "/find"))
    stage = page.get_by_test_id("stage")
    expect(stage).to_be_visible()
    box = stage.bounding_box()
    assert box
    page.mouse.move(box["x"] + box["width"] * 0.3, box["y"] + 40)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 0.5, box["y"] + 40, steps=4)
    page.mouse.up()
    said = page.get_by_role("button", name=re.compile(r"Loop [\d.]+ s"))
    length_s = float(re.search(r"Loop ([\d.]+) s", said.inner_text()).group(1))  # type: ignore[union-attr]
    beats = length_s / BEAT_S
    assert beats > 0.9 and abs(beats - round(beats)) < 0.03


def test_midi_and_lists_dropped_on_gather_come_in_as_notes(
    product: Product, page: Page, tmp_path: Path
) -> None:
    page.goto(product.address)
    page.get_by_role("button", name="New session").click()
    page.wait_for_url("**/gather")
    file = mido.MidiFile()
    track = mido.MidiTrack([mido.MetaMessage("track_name", name="Kick")])
    for number in range(8):
        track.append(mido.Message("note_on", channel=9, note=36, velocity=90, time=240 if number else 0))
        track.append(mido.Message("note_off", channel=9, note=36, time=240))
    file.tracks.append(track)
    file.save(tmp_path / "steps.mid")
    (tmp_path / "hits.csv").write_text(
        "part,piece,time_s,velocity\r\nClap,clap,0.5,90\r\nClap,clap,1.5,80\r\n"
    )
    page.get_by_test_id("files").set_input_files([str(tmp_path / "steps.mid"), str(tmp_path / "hits.csv")])
    expect(page.get_by_role("button", name=re.compile("Kick.*no recording"))).to_contain_text("8 notes")
    expect(page.get_by_role("button", name=re.compile("Clap.*no recording"))).to_contain_text("2 notes")
    assert not document(page)["sources"]


def test_overheads_are_split_into_the_drums_that_are_ticked(kit: list[Path], page: Page) -> None:
    page.get_by_test_id("unheard").get_by_role("button", name="Split into drums").click()
    form = page.get_by_test_id("look-for")
    for name in ("Ride", "Crash", "Floor tom"):
        expect(form.get_by_label(name, exact=True)).to_be_checked()
    # The hat came last: while it is on its way, a form that is open already still offers it.
    for name in ("Shaker", "Conga", "Cowbell", "Kick", "Snare", "Hi-hat"):
        expect(form.get_by_label(name, exact=True)).not_to_be_checked()
    # By keys: the first stands in the field, space takes its tick away.
    expect(form.get_by_label("Rack tom", exact=True)).to_be_focused()
    for name in ("Rack tom", "Mid tom", "Floor tom", "Ride"):
        expect(form.get_by_label(name, exact=True)).to_be_checked()
        form.get_by_label(name, exact=True).press("Space")
        expect(form.get_by_label(name, exact=True)).not_to_be_checked()
    page.keyboard.press("Enter")
    expect(form).to_have_count(0)

    def asked() -> list[list[str]]:
        return [part["look_for"] for part in document(page)["parts"].values() if part["asked"]]

    wait_until(page, lambda: bool(asked()))
    assert asked() == [["crash"]]
