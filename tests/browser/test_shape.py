"""Shape in the real interface: velocities, steps, timing, feel, the table, MIDI out and back, live notes."""

from __future__ import annotations

import re
from collections.abc import Callable
from io import BytesIO
from pathlib import Path

import httpx
import mido
import numpy as np
import pytest
from playwright.sync_api import Page, expect

from nubrak.core.midi.read import read_midi
from nubrak.core.midi.write import Track, midi_file
from nubrak.core.shape.notes import Notes
from nubrak.core.tempo.tempo_map import Tempo
from tests.browser.conftest import Product, wait_until
from tests.conftest import decaying_strokes, write_wav

TIMES = [0.5, 0.753, 1.01, 1.249, 1.507, 1.75, 2.012, 2.25]


@pytest.fixture
def session(product: Product, page: Page, tmp_path: Path) -> str:
    """A session with a snare of eight strokes, two of them soft, opened in Shape."""
    strokes = decaying_strokes(TIMES, [0.6, 0.15, 0.55, 0.5, 0.6, 0.14, 0.58, 0.52], 3.0)
    page.goto(product.address)
    page.get_by_role("button", name="New session").click()
    page.wait_for_url("**/gather")
    page.get_by_label("Tempo, bpm").fill("120")
    page.keyboard.press("Enter")
    expect(page.get_by_test_id("tempo-said")).to_contain_text("120.0 bpm")
    page.get_by_test_id("files").set_input_files(str(write_wav(tmp_path / "snare.wav", strokes)))
    expect(page.get_by_role("button", name=re.compile("snare.wav"))).to_contain_text("8 hits", timeout=40000)
    address = page.url.removesuffix("/gather")
    page.goto(f"{address}/shape")
    expect(page.get_by_test_id("curve")).to_be_visible()
    return address


def api(session: str, path: str) -> bytes:
    """What the server says of the session."""
    base, _, session_id = session.partition("/session/")
    answer = httpx.get(f"{base}/api/sessions/{session_id}/{path}".rstrip("/"), timeout=60)
    answer.raise_for_status()
    return answer.content


def velocities(session: str) -> list[int]:
    return [int(one) for track in read_midi(api(session, "print/midi")).tracks for one in track.velocity]


def add_step(page: Page, word: str) -> None:
    # The mouse opens it, the keys go on from there, and nothing else hears them.
    page.get_by_test_id("add-step").click()
    page.keyboard.press("ArrowDown")
    expect(page.get_by_role("button", name=re.compile("^Raise or lower:"))).to_be_focused()
    expect(page.locator(".notice")).to_have_count(0)
    page.get_by_role("button", name=re.compile(f"^{word}:")).click()


def cells(page: Page) -> list[int]:
    """The velocities as the table shows them."""
    return [
        int(one.input_value())
        for one in page.get_by_test_id("note-table").get_by_label(re.compile("^Velocity of")).all()
    ]


def test_velocities_by_curve_steps_and_hand_and_all_of_it_undone(session: str, page: Page) -> None:
    played = velocities(session)
    assert max(played) >= 110 and 45 < min(played) < 75
    add_step(page, "Scale")
    expect(page.get_by_test_id("steps")).to_contain_text("all 8 strokes")
    page.get_by_label("Distance in %").fill("0")
    page.keyboard.press("Enter")
    expect(page.get_by_test_id("steps")).to_contain_text("0 %")
    page.get_by_role("button", name="Which note", exact=True).click()
    expect(page.get_by_test_id("note-table")).to_contain_text("0:00.5")
    wait_until(page, lambda: len(set(cells(page))) == 1)
    assert velocities(session) == cells(page)
    # by hand wins, and a fast hand loses no step
    page.keyboard.press("Home")
    page.keyboard.press("ArrowRight")
    for _ in range(5):
        page.keyboard.press("ArrowUp")
    expect(page.get_by_test_id("note-table")).to_contain_text("by hand: take back")
    level = cells(page)[1]
    expect(page.get_by_label(re.compile("^Velocity of the note at 0:00.5"))).to_have_value(str(level + 5))
    # before and after on one key
    page.keyboard.press("b")
    expect(page.get_by_test_id("chosen")).to_contain_text("As played")
    expect(page.get_by_label(re.compile("^Velocity of the note at 0:00.7"))).to_have_value(str(played[1]))
    page.keyboard.press("b")
    expect(page.get_by_label(re.compile("^Velocity of the note at 0:00.7"))).to_have_value(str(level))
    # a step goes off and on again, and everything goes back
    page.get_by_role("button", name="How hard", exact=True).click()
    page.get_by_label("Scale, on or off").click()
    page.keyboard.press("v")
    page.keyboard.press("v")
    expect(page.get_by_label(re.compile("^Velocity of the note at 0:00.7"))).to_have_value(str(played[1]))
    for _ in range(8):
        page.keyboard.press("Control+z")
    expect(page.get_by_role("button", name="Undo")).to_have_attribute("title", re.compile("Add snare.wav"))
    expect(page.get_by_label(re.compile("^Velocity of the note at 0:00.5"))).to_have_value(str(played[0]))
    assert velocities(session) == played


def test_curve_by_keyboard_and_notes_by_mouse(session: str, page: Page) -> None:
    played = velocities(session)
    page.get_by_role("button", name="Even", exact=True).click()
    expect(page.get_by_role("button", name="Undo")).to_have_attribute("title", re.compile("velocity curve"))
    assert len(set(velocities(session))) == 1
    page.keyboard.press("Control+z")
    curve = page.get_by_test_id("curve")
    curve.focus()
    page.keyboard.press("Shift+ArrowDown")
    expect(page.get_by_role("button", name="Undo")).to_have_attribute(
        "title", re.compile("velocity curve through 6 points")
    )
    page.keyboard.press("Control+z")
    # all of them chosen with a frame, and one of them dragged up: they go together
    stage = page.get_by_test_id("stage")
    box = stage.bounding_box()
    assert box is not None
    page.keyboard.press("0")
    page.mouse.move(box["x"] + 60, box["y"] + box["height"] - 20)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] - 30, box["y"] + box["height"] * 0.3, steps=4)
    page.mouse.up()
    expect(page.get_by_test_id("chosen")).to_contain_text("8 chosen")
    # Escape takes back a frame, and a point of the curve, in the middle of the drag
    page.mouse.move(box["x"] + 60, box["y"] + box["height"] - 20)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 0.4, box["y"] + box["height"] * 0.3, steps=4)
    page.keyboard.press("Escape")
    page.mouse.up()
    expect(page.get_by_test_id("chosen")).to_contain_text("8 chosen")
    place = curve.bounding_box()
    assert place is not None
    assert velocities(session) == played
    page.mouse.move(place["x"] + place["width"] * 0.5, place["y"] + place["height"] * 0.2)
    page.mouse.down()
    page.mouse.up()
    expect(page.get_by_role("button", name="Undo")).to_have_attribute("title", re.compile("through 7 points"))
    bent = velocities(session)
    page.mouse.down()
    page.mouse.move(place["x"] + place["width"] * 0.5, place["y"] + place["height"] * 0.8, steps=4)
    page.keyboard.press("Escape")
    page.mouse.up()
    page.wait_for_timeout(300)
    assert velocities(session) == bent
    page.keyboard.press("Control+z")
    wait_until(page, lambda: velocities(session) == played)
    add_step(page, "Raise or lower")
    expect(page.get_by_test_id("steps")).to_contain_text("8 strokes, chosen")
    page.get_by_label("By in vel").fill("-20")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="Undo")).to_have_attribute("title", re.compile("1 velocity step"))
    page.wait_for_timeout(300)
    assert velocities(session) == [one - 20 for one in played]


def test_timing_to_a_grid_and_a_feel_on_another_part(session: str, page: Page) -> None:
    page.get_by_role("button", name="When", exact=True).click()
    expect(page.get_by_test_id("timing")).to_be_visible()
    page.get_by_label("Name of the feel").fill("lamplighter")
    page.keyboard.press("Enter")
    expect(page.get_by_test_id("feels")).to_contain_text("lamplighter")
    page.get_by_label("Step of the grid").select_option("8")
    page.locator("#quantise").click()
    expect(page.get_by_label("How far in %")).to_have_value("100")
    on_grid = [round(float(one), 3) for one in read_midi(api(session, "print/midi")).tracks[0].time_s]
    assert on_grid == [0.5, 0.75, 1.0, 1.25, 1.5, 1.75, 2.0, 2.25]
    page.locator("#quantise").click()
    expect(page.get_by_label("How far in %")).to_have_count(0)
    page.get_by_label("lamplighter", exact=True).click()
    expect(page.get_by_label("Its timing in %")).to_have_value("100")
    expect(page.get_by_role("button", name="Undo")).to_have_attribute(
        "title", re.compile("feel “lamplighter”")
    )


def test_a_flat_programmed_snare_becomes_alive_in_a_few_keys(
    session: str, page: Page, tmp_path: Path
) -> None:
    steps = [2 * bar + step * 0.125 for bar in range(30) for step in range(16)]
    flat = Notes(
        time_s=np.array(steps), velocity=np.full(len(steps), 100), number=38, channel=10, length_beats=0.2
    )
    path = tmp_path / "programmed.mid"
    path.write_bytes(midi_file([Track("Snare", flat)], Tempo(bpm=120)))
    page.get_by_role("button", name="Which note", exact=True).click()
    page.get_by_test_id("midi-parts").set_input_files(str(path))
    part = page.locator(".parts .list-group-item", has_text="Snare 2")
    expect(part).to_contain_text("480")
    part.click()
    page.get_by_role("button", name="How hard", exact=True).click()
    for number, word in enumerate(("Accents", "Recovery", "Vary at random")):
        add_step(page, word)
        expect(page.get_by_test_id("steps").locator("li")).to_have_count(number + 1)
    page.wait_for_timeout(300)
    alive = velocities(session)[8:]
    assert len(alive) == 480 and len(set(alive)) > 20
    beats, between = alive[0::4], alive[1::2]
    assert sum(beats) / len(beats) > sum(between) / len(between) + 15, "beats stand over what lies between"


def test_midi_changed_elsewhere_is_taken_one_by_one_and_in_whole(
    session: str, page: Page, tmp_path: Path
) -> None:
    file = mido.MidiFile(file=BytesIO(api(session, "print/midi")))
    notes = [message for message in file.tracks[1] if message.type == "note_on" and message.velocity]
    notes[0].velocity, notes[3].velocity, notes[4].note = 11, 22, 40
    path = tmp_path / "edited.mid"
    file.save(str(path))
    page.get_by_role("button", name="Which note", exact=True).click()
    page.get_by_test_id("midi-back").set_input_files(str(path))
    changes = page.get_by_test_id("changes")
    expect(changes).to_contain_text("3 notes came back different")
    expect(changes).to_contain_text("→ 11")
    page.get_by_label(re.compile("^Take the change at 0:00.5")).click()
    expect(changes).to_contain_text("2 notes came back different")
    assert velocities(session)[0] == 11
    page.get_by_role("button", name="Take all of them").click()
    expect(page.get_by_test_id("note-table")).to_be_visible()
    track = read_midi(api(session, "print/midi")).tracks[0]
    assert track.velocity[[0, 3]].tolist() == [11, 22] and track.number[4] == 40
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    expect(page.get_by_label(re.compile("^Velocity of the note at 0:00.5"))).not_to_have_value("11")
    broken = tmp_path / "broken.mid"
    broken.write_bytes(path.read_bytes()[:60])
    page.get_by_test_id("midi-back").set_input_files(str(broken))
    expect(page.get_by_role("alert")).to_contain_text("damaged")


def play_until(page: Page, clear: Callable[[], object], so: Callable[[], bool]) -> None:
    """Play from the start until something is so. Where the machine held the page up until the recording was
    over, once more.
    """
    stop = page.locator("footer button", has_text="Stop")
    for _ in range(5):
        clear()
        page.keyboard.press("Home")
        page.keyboard.press("Space")
        expect(stop).to_be_visible()
        for _ in range(100):
            if so() or not stop.count():
                break
            page.wait_for_timeout(50)
        if stop.count():
            page.keyboard.press("Space")
        if so():
            return
    raise AssertionError("five times played, and it did not come to be so")


def test_notes_go_live_to_the_module_and_to_a_port(session: str, page: Page) -> None:
    sent: list[bytes] = []
    page.on(
        "websocket",
        lambda socket: socket.on(
            "framesent",
            lambda frame: sent.append(frame if isinstance(frame, bytes) else frame.encode("latin-1")),
        ),
    )
    page.get_by_role("button", name="Which note", exact=True).click()
    page.get_by_label("Send live to").select_option("module")
    expect(page.get_by_label("Send live to")).to_have_value("module")
    page.get_by_label("Send live to").evaluate("(element) => element.blur()")

    def begun() -> list[bytes]:
        return [frame for frame in sent if frame[0] == 0x99 and frame[2] > 0]

    play_until(page, sent.clear, lambda: len(begun()) >= 7)
    assert {frame[1] for frame in begun()} == {38}
    assert [frame[2] for frame in begun()] == velocities(session)[: len(begun())]


@pytest.mark.parametrize(
    ("script", "said"),
    [
        (
            "navigator.requestMIDIAccess = () => Promise.reject(new DOMException('no', 'NotAllowedError'))",
            "was not allowed to use MIDI ports",
        ),
        (
            "navigator.requestMIDIAccess = () => Promise.resolve({outputs: new Map()})",
            "There is no MIDI port on this machine",
        ),
    ],
)
def test_a_port_that_cannot_be_had_is_explained(
    product: Product, page: Page, session: str, script: str, said: str
) -> None:
    page.add_init_script(script)
    page.reload()
    expect(page.get_by_test_id("curve")).to_be_visible()
    page.get_by_role("button", name="Which note", exact=True).click()
    page.get_by_label("Send live to").select_option("find")
    expect(page.locator(".notice").last).to_contain_text(said)


def test_a_port_gets_notes_when_they_are_due(page: Page, session: str) -> None:
    page.add_init_script("""
      window.sent = [];
      const port = {id: 'p1', name: 'Pit drum machine', open: async () => port, close: async () => port,
        send: (bytes, due) => window.sent.push([...bytes, due - performance.now()])};
      navigator.requestMIDIAccess = async () => ({outputs: new Map([['p1', port]])});
    """)
    page.reload()
    expect(page.get_by_test_id("curve")).to_be_visible()
    page.get_by_role("button", name="Which note", exact=True).click()
    page.get_by_label("Send live to").select_option("find")
    expect(page.get_by_label("Send live to").locator("option", has_text="Pit drum machine")).to_have_count(1)
    page.get_by_label("Send live to").select_option("p1")
    page.get_by_label("Send live to").evaluate("(element) => element.blur()")
    play_until(
        page,
        lambda: page.evaluate("window.sent.length = 0"),
        lambda: len([one for one in page.evaluate("window.sent") if one[0] == 0x99]) >= 4,
    )
    wait_until(page, lambda: any(one[:2] == [0xB9, 123] for one in page.evaluate("window.sent")))
    sent = page.evaluate("window.sent")
    begun = [one for one in sent if one[0] == 0x99]
    # How punctual it is on a page that is held up is tested in ui/src/sound/live.test.ts, on a clock of its
    # own.
    assert all(one[3] < 250 for one in begun), "a moment ahead, never far"
    assert [one[2] for one in begun] == velocities(session)[: len(begun)]
    assert any(one[:2] == [0xB9, 123] for one in sent), "all notes off when it stops"


def test_midi_is_dragged_out_as_a_file(session: str, page: Page) -> None:
    page.get_by_role("button", name="Which note", exact=True).click()
    dragged = page.locator(".drag-file").first.evaluate("""(element) => {
      const transfer = new DataTransfer();
      element.dispatchEvent(new DragEvent('dragstart', {bubbles: true, dataTransfer: transfer}));
      return transfer.getData('DownloadURL');
    }""")
    kind, name, address = dragged.split(":", 2)
    assert (kind, name) == ("audio/midi", "snare - Snare.mid")
    assert read_midi(httpx.get(address, timeout=60).content).tracks[0].name == "Snare"


def test_tempo_by_the_hits_and_followed(session: str, page: Page) -> None:
    page.goto(f"{session}/gather")
    page.get_by_role("button", name="Detect tempo").click()
    guesses = page.get_by_test_id("guesses")
    expect(guesses).to_contain_text("sure")
    first = guesses.locator("li").first
    bpm = float(re.match(r"([\d.]+) bpm", first.inner_text()).group(1))  # type: ignore[union-attr]
    assert min(abs(bpm - one) for one in (60, 120, 240)) < 2
    first.get_by_role("button").click()
    expect(page.get_by_label("Tempo, bpm")).to_have_value(re.compile(f"{int(bpm)}|{round(bpm)}"))
    before = [float(one) for one in read_midi(api(session, "print/midi")).tracks[0].time_s]
    expect(page.get_by_role("radio", name="Fixed tempo")).to_be_checked()
    page.get_by_role("radio", name="Follow the drummer").click()
    expect(
        page.get_by_role("radio", name=re.compile(r"Follows the drummer: \d+ tempo change"))
    ).to_be_checked()
    after = [float(one) for one in read_midi(api(session, "print/midi")).tracks[0].time_s]
    assert max(abs(a - b) for a, b in zip(before, after, strict=True)) < 0.002, "tempo never moves a hit"
    page.get_by_role("radio", name="Fixed tempo").click()
    expect(page.get_by_role("radio", name="Fixed tempo")).to_be_checked()
    expect(page.get_by_role("radio", name="Follow the drummer")).not_to_be_checked()
