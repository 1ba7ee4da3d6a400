"""Velocities and Standard MIDI Files.

Published: RP-001 (MMA) for the bytes, General MIDI Level 1 for the note numbers; read back through mido and
pretty_midi.
"""

from __future__ import annotations

from io import BytesIO

import mido
import numpy as np
import pretty_midi
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nubrak.core.layer.plan import level_of_velocity_db
from nubrak.core.midi.clock import clock
from nubrak.core.midi.read import read_midi
from nubrak.core.midi.write import Track, midi_file
from nubrak.core.pieces.catalogue import PIECES
from nubrak.core.shape.notes import Notes, ShapeSettings, velocities
from nubrak.core.shape.velocity import LOUDEST_USUAL
from nubrak.core.tempo.tempo_map import Tempo


def notes(times: list[float], velocity: list[int] | None = None, number: int = 36) -> Notes:
    return Notes(np.array(times), np.array(velocity or [100] * len(times)), number, 10, 0.5)


def test_the_loudest_usual_strokes_land_near_115_whatever_the_recording_level() -> None:
    rng = np.random.default_rng(1)
    for level in (-6.0, -20.0, -38.0):
        made = velocities(rng.normal(level, 1.5, 300), ShapeSettings())
        assert np.percentile(made, 90) == pytest.approx(LOUDEST_USUAL, abs=1)
        assert 90 < np.median(made) < 120


def test_one_clipped_stroke_does_not_set_the_range() -> None:
    level = np.full(100, -20.0)
    level[50] = 0.0
    made = velocities(level, ShapeSettings())
    assert made[0] == LOUDEST_USUAL and made[50] == 127


def test_the_level_law_of_dls_level_1() -> None:
    # 40 log10(127 / v) dB of attenuation (from memory): half the velocity is 12.04 dB softer.
    assert level_of_velocity_db(np.array([127, 64]), 127, 1.0).tolist() == pytest.approx(
        [0.0, -11.90], abs=0.01
    )
    made = velocities(np.array([-10.0, -10.0, -10.0, -22.04]), ShapeSettings())
    assert made[3] == pytest.approx(LOUDEST_USUAL / 2, abs=1)


@given(st.lists(st.floats(-60, 0), min_size=2, max_size=60))
def test_velocity_keeps_the_order_of_strength(level: list[float]) -> None:
    made = velocities(np.array(level), ShapeSettings())
    order = np.argsort(level)
    assert np.all(np.diff(made[order]) >= 0) and made.min() >= 1 and made.max() <= 127


def test_general_midi_percussion_numbers() -> None:
    # General MIDI Level 1 percussion key map (MMA)
    wanted = {
        "kick": 36,
        "snare": 38,
        "hi-hat": 42,
        "crash": 49,
        "ride": 51,
        "clap": 39,
        "tambourine": 54,
        "cowbell": 56,
        "shaker": 70,
        "floor-tom": 43,
    }
    assert {piece: PIECES[piece].note for piece in wanted} == wanted


def test_bytes_of_a_format_0_file_as_the_standard_fixes_them() -> None:
    data = midi_file([Track("K", notes([0.0]))], Tempo(bpm=120), one_track=True)
    # RP-001: "MThd", length 6, format 0, one track, 960 ticks per quarter
    assert data[:14] == b"MThd" + bytes([0, 0, 0, 6, 0, 0, 0, 1, 0x03, 0xC0])
    assert data[14:18] == b"MTrk" and int.from_bytes(data[18:22], "big") == len(data) - 22
    body = data[22:]
    assert body.startswith(bytes([0, 0xFF, 0x03, 1]) + b"K")
    assert bytes([0, 0xFF, 0x51, 3, 0x07, 0xA1, 0x20]) in body  # 500000 µs per quarter
    assert bytes([0, 0xFF, 0x58, 4, 4, 2, 24, 8]) in body  # 4/4
    assert bytes([0, 0x99, 36, 100]) in body  # note on, channel 10
    assert bytes([0x83, 0x60, 0x89, 36, 0]) in body  # 480 ticks later: 83 60 as a variable-length quantity
    assert body.endswith(bytes([0, 0xFF, 0x2F, 0]))


@pytest.mark.parametrize(
    ("value", "wanted"),
    [
        (0x00, "00"),
        (0x40, "40"),
        (0x7F, "7F"),
        (0x80, "8100"),
        (0x2000, "C000"),
        (0x3FFF, "FF7F"),
        (0x4000, "818000"),
        (0x1FFFFF, "FFFF7F"),
        (0x200000, "81808000"),
        (0x08000000, "C0808000"),
        (0x0FFFFFFF, "FFFFFF7F"),
    ],
)
def test_variable_length_quantities_of_the_standard(value: int, wanted: str) -> None:
    # RP-001's own table, on the delta time of a note
    tempo = Tempo(bpm=400)
    time_s = value * mido.bpm2tempo(tempo.bpm) / 1e6 / 960
    data = midi_file([Track("K", notes([time_s]))], tempo, one_track=True)
    assert bytes.fromhex(wanted) + bytes([0x99, 36, 100]) in data


@pytest.mark.parametrize("bpm", [47.0, 96.0, 120.0, 133.7])
def test_read_back_through_pretty_midi_every_note_stands_on_its_stroke(bpm: float) -> None:
    rng = np.random.default_rng(9)
    times = np.cumsum(rng.uniform(0.05, 0.7, 200)).tolist()
    data = midi_file([Track("Kick", notes(times)), Track("Snare", notes(times, number=38))], Tempo(bpm=bpm))
    read = pretty_midi.PrettyMIDI(BytesIO(data))
    assert [instrument.name for instrument in read.instruments] == ["Kick", "Snare"]
    assert all(instrument.is_drum for instrument in read.instruments)
    half_tick_s = 60 / bpm / 960 / 2
    starts = sorted(note.start for note in read.instruments[0].notes)
    assert np.abs(np.array(starts) - times).max() <= half_tick_s * 1.01
    assert read.get_tempo_changes()[1][0] == pytest.approx(bpm, rel=1e-5)


def test_read_back_through_mido_no_note_is_left_hanging() -> None:
    data = midi_file([Track("Roll", notes([0.0, 0.03, 0.06, 0.06]))], Tempo())
    sounding = 0
    for message in mido.MidiFile(file=BytesIO(data)).tracks[1]:
        sounding += {"note_on": 1, "note_off": -1}.get(message.type, 0)
        assert sounding in (0, 1, 2)
    assert sounding == 0


@given(st.floats(0, 3600), st.floats(20, 400))
def test_ticks_are_the_nearest(time_s: float, bpm: float) -> None:
    counted, tick_s = clock(Tempo(bpm=bpm), 960, end_s=time_s), 60.0 / bpm / 960
    tick = counted.tick_of(np.array([time_s]))
    # A tempo is written in whole microseconds: what that adds up to stays under 0.4 ticks.
    assert abs(float(tick[0]) * tick_s - time_s) <= 0.9 * tick_s + 1e-6
    assert abs(float(counted.time_of(tick)[0]) - time_s) <= tick_s / 2 * 1.001


def test_names_are_utf_8() -> None:
    data = midi_file([Track("Große Trommel 大鼓", notes([0.5]))], Tempo())
    assert mido.MidiFile(file=BytesIO(data), charset="utf-8").tracks[1].name == "Große Trommel 大鼓"
    assert read_midi(data).tracks[0].name == "Große Trommel 大鼓"
    # Other programs write Latin-1: of a name as long in bytes.
    of_others = data.replace("Große Trommel 大鼓".encode(), "Große Trommel, und mehr".encode("latin-1")[:21])
    assert read_midi(of_others).tracks[0].name == "Große Trommel, und me"
