"""MIDI out and back in: tempo maps, regions, what came back changed, and files that are damaged.

Published: RP-001 (MMA); files are read back through mido and pretty_midi.
"""

from __future__ import annotations

from io import BytesIO

import mido
import numpy as np
import pretty_midi
import pytest

from nubrak.core.midi.clock import clock, half_tick_ms
from nubrak.core.midi.difference import midi_difference
from nubrak.core.midi.read import read_midi
from nubrak.core.midi.write import Track, midi_file
from nubrak.core.shape.notes import Notes
from nubrak.core.tempo.tempo_map import Tempo, TempoChange
from tests.core.midi.notes import LEFT, MAP, file_of, notes

RNG = np.random.default_rng(12)


TAKES = np.sort(RNG.uniform(0, 30, 150))


@pytest.mark.parametrize("per_quarter", [96, 480, 960, 1920])
@pytest.mark.parametrize("one_track", [True, False])
def test_with_a_tempo_map_every_note_stands_on_its_stroke(per_quarter: int, one_track: bool) -> None:
    data = midi_file([Track("Kick", notes(TAKES))], MAP, one_track, per_quarter)
    read = pretty_midi.PrettyMIDI(BytesIO(data))
    found = np.sort([note.start for note in read.instruments[0].notes])
    slowest_tick_s = 60 / 88.8 / per_quarter
    assert len(found) == len(TAKES) and np.abs(found - TAKES).max() <= slowest_tick_s / 2 * 1.01
    assert (
        np.abs(found - TAKES).max() * 1000 <= half_tick_ms(MAP, per_quarter) * 1.1
    )  # a tempo in whole microseconds moves it a little
    times, tempos = read.get_tempo_changes()
    there = [tempos[np.searchsorted(times, at_s, side="right") - 1] for at_s in (3.0, 10.0, 16.0, 28.0)]
    assert np.allclose(there, [97.3, 121.7, 88.8, 140.0], rtol=1e-4)


def test_no_error_adds_up_over_hours_of_tempo_changes() -> None:
    changes = [TempoChange(time_s=2.0 * n + 0.0007 * n, bpm=90 + 37 * (n % 5) / 3) for n in range(1, 1800)]
    counted = clock(Tempo(bpm=100, changes=changes))
    times = np.linspace(0, 3600, 5000)
    assert np.abs(counted.time_of(counted.tick_of(times)) - times).max() < 60 / 90 / 960 / 2 * 1.01


def test_a_region_begins_at_zero_and_keeps_its_tempo() -> None:
    data = midi_file([Track("Kick", notes(TAKES))], MAP, span_s=(10.0, 25.0))
    read = pretty_midi.PrettyMIDI(BytesIO(data))
    inside = TAKES[(TAKES >= 10) & (TAKES < 25)] - 10
    assert np.abs(np.sort([note.start for note in read.instruments[0].notes]) - inside).max() < 0.0006
    # Before its first bar line it has a tempo of its own.
    times, tempos = read.get_tempo_changes()
    assert np.allclose(tempos[1:], [121.7, 88.8, 140.0], rtol=1e-5)
    assert times[2] == pytest.approx(3.013, abs=0.001)


def test_lengths_to_the_next_and_of_each_its_own() -> None:
    made = Notes(
        np.array([0.0, 0.5, 1.0]), np.array([90, 90, 90]), 38, 10, 0.5, length_s=np.array([0.25, 0.9, 0.1])
    )
    read = pretty_midi.PrettyMIDI(BytesIO(midi_file([Track("Snare", made)], Tempo())))
    assert [round(note.end - note.start, 3) for note in read.instruments[0].notes] == [
        0.25,
        0.5,
        0.1,
    ]  # none overlaps the next of its number


def test_notes_that_differ_are_written_as_they_are() -> None:
    made = Notes(
        np.array([0.0, 0.5, 0.5]), np.array([90, 91, 92]), 38, 10, 0.5, numbers=np.array([38, 37, 40])
    )
    read = mido.MidiFile(file=BytesIO(midi_file([Track("Snare", made)], Tempo())))
    assert [(m.note, m.velocity) for m in read.tracks[1] if m.type == "note_on"] == [
        (38, 90),
        (37, 91),
        (40, 92),
    ]


@pytest.mark.parametrize("one_track", [True, False])
def test_what_comes_back_unchanged_has_no_differences(one_track: bool) -> None:
    back = midi_difference(LEFT, read_midi(file_of(one_track=one_track)))
    assert back.differences == [] and back.same == 60 and back.strange == []


def test_export_import_export_is_the_identity() -> None:
    data = file_of()
    read = read_midi(data)
    again = midi_file(
        [
            Track(t.name, Notes(t.time_s, t.velocity, int(t.number[0]), 10, 0.5, length_s=t.length_s))
            for t in read.tracks
        ],
        read.tempo,
    )
    assert [
        (m.type, m.time, getattr(m, "note", None))
        for track in mido.MidiFile(file=BytesIO(again)).tracks
        for m in track
    ] == [
        (m.type, m.time, getattr(m, "note", None))
        for track in mido.MidiFile(file=BytesIO(data)).tracks
        for m in track
    ]
    assert [round(change.time_s, 3) for change in read.tempo.changes] == pytest.approx(
        [7.1, 13.013, 20.0], abs=0.001
    )


def test_every_kind_of_change_is_told() -> None:
    kick, snare = notes(np.delete(np.arange(40) * 0.5, 7)), LEFT["s"][1]
    kick.time_s[3] += 0.04
    times, velocity = np.append(snare.time_s, 3.25), np.append(snare.velocity, 55)
    velocity[2] = 127
    numbers = np.full(21, 38)
    numbers[5] = 40
    changed = {"k": ("Kick", kick), "s": ("Snare", Notes(times, velocity, 38, 10, 0.5, numbers=numbers))}
    back = midi_difference(LEFT, read_midi(file_of(changed)))
    told = {
        (one.kind, one.part, None if one.place is None else round(one.time_s, 2)) for one in back.differences
    }
    assert told == {
        ("moved", "k", 1.5),
        ("deleted", "k", 3.5),
        ("velocity", "s", 2.5),
        ("pitch", "s", 5.5),
        ("added", "s", None),
    }
    moved = next(one for one in back.differences if one.kind == "moved")
    assert moved.new_time_s == pytest.approx(1.54, abs=0.001) and moved.place == 3
    assert back.same == 39 - 1 + 20 - 2


def test_a_file_of_something_else_belongs_to_no_part() -> None:
    other = midi_file([Track("Bass", notes([0.0, 1.0], 90, 64))], Tempo())
    back = midi_difference(LEFT, read_midi(other))
    assert back.differences == [] and back.strange == ["Bass"]


def test_a_combined_file_goes_to_the_parts_by_note() -> None:
    changed = {
        "k": LEFT["k"],
        "s": ("Snare", notes(np.arange(20) * 1.0 + 0.5, np.append(np.arange(19) + 60, 1), 38)),
    }
    back = midi_difference(LEFT, read_midi(file_of(changed, one_track=True)))
    assert [(one.kind, one.part, one.new_velocity) for one in back.differences] == [("velocity", "s", 1)]


# Damaged files


def edited(data: bytes, **tempo: float) -> bytes:
    """The file with other tempo entries, the notes at their ticks, as another program leaves it."""
    file = mido.MidiFile(file=BytesIO(data), charset="utf-8")
    for track in file.tracks:
        for message in track:
            if message.type == "set_tempo":
                message.tempo = mido.bpm2tempo(tempo["bpm"])
    out = BytesIO()
    file.save(file=out)
    return out.getvalue()


def test_a_file_whose_tempo_alone_was_changed_has_no_note_that_moved() -> None:
    tempo = Tempo(bpm=97.3, bar_one_s=0.591)
    back = read_midi(edited(file_of(LEFT, tempo), bpm=110.0))
    found = midi_difference(LEFT, back, tempo)
    assert found.differences == [] and found.same == 60 and found.other_tempo
    as_it_left = midi_difference(LEFT, read_midi(file_of(LEFT, tempo)), tempo)
    assert as_it_left.differences == [] and not as_it_left.other_tempo


@pytest.mark.parametrize("per_quarter", [96, 480])
def test_what_the_rounding_of_ticks_explains_is_no_change(per_quarter: int) -> None:
    tempo = Tempo(bpm=93.0, bar_one_s=0.4)
    left = {"k": ("Kick", notes(TAKES)), "s": ("Snare", notes(TAKES + 0.013, number=38))}
    data = midi_file([Track(name, made) for name, made in left.values()], tempo, per_quarter=per_quarter)
    found = midi_difference(left, read_midi(data), tempo)
    assert found.differences == [] and found.same == 300 and not found.other_tempo


def test_a_file_that_begins_at_bar_one_is_known_too() -> None:
    tempo = Tempo(bpm=120.0, bar_one_s=2.25)
    left = {"k": ("Kick", notes(2.25 + np.arange(40) * 0.5))}
    data = midi_file([Track("Kick", left["k"][1])], tempo, span_s=(2.25, 60.0))
    assert midi_difference(left, read_midi(data), tempo).differences == []
