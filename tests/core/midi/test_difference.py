"""MIDI out and back in: tempo maps, regions, what came back changed, and files that are damaged.

Published: RP-001 (MMA); files are read back through mido and pretty_midi.
"""

from __future__ import annotations

from io import BytesIO

import mido
import numpy as np
import pretty_midi
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nubrak.core.midi.difference import midi_difference
from nubrak.core.midi.read import MOST_BYTES, read_midi
from nubrak.core.midi.write import Track, clock, half_tick_ms, midi_file
from nubrak.core.problem import Problem
from nubrak.core.shape.notes import Notes
from nubrak.core.tempo.tempo_map import Tempo, TempoChange

RNG = np.random.default_rng(12)
MAP = Tempo(
    bpm=97.3,
    changes=[
        TempoChange(time_s=7.1, bpm=121.7),
        TempoChange(time_s=13.013, bpm=88.8),
        TempoChange(time_s=20.0, bpm=140.0),
    ],
)


def notes(times: list[float] | np.ndarray, velocity: int | np.ndarray = 100, number: int = 36) -> Notes:
    return Notes(
        np.asarray(times, float),
        np.broadcast_to(np.asarray(velocity, np.int64), len(times)).copy(),
        number,
        10,
        0.5,
    )


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
    assert np.allclose(read.get_tempo_changes()[1], [97.3, 121.7, 88.8, 140.0], rtol=1e-5)


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
    assert np.allclose(read.get_tempo_changes()[1], [121.7, 88.8, 140.0], rtol=1e-5)
    assert read.get_tempo_changes()[0][1] == pytest.approx(3.013, abs=0.001)


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


LEFT = {
    "k": ("Kick", notes(np.arange(40) * 0.5)),
    "s": ("Snare", notes(np.arange(20) * 1.0 + 0.5, np.arange(20) + 60, 38)),
}


def _file(left: dict[str, tuple[str, Notes]] = LEFT, tempo: Tempo = MAP, one_track: bool = False) -> bytes:
    return midi_file([Track(name, made) for name, made in left.values()], tempo, one_track)


@pytest.mark.parametrize("one_track", [True, False])
def test_what_comes_back_unchanged_has_no_differences(one_track: bool) -> None:
    back = midi_difference(LEFT, read_midi(_file(one_track=one_track)))
    assert back.differences == [] and back.same == 60 and back.strange == []


def test_export_import_export_is_the_identity() -> None:
    data = _file()
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
    back = midi_difference(LEFT, read_midi(_file(changed)))
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
    back = midi_difference(LEFT, read_midi(_file(changed, one_track=True)))
    assert [(one.kind, one.part, one.new_velocity) for one in back.differences] == [("velocity", "s", 1)]


# Damaged files

GOOD = _file()


@pytest.mark.parametrize(
    ("data", "said"),
    [
        (b"", "does not begin"),
        (b"RIFF", "does not begin"),
        (b"MThd", "damaged"),
        (GOOD[:30], "damaged"),
        (GOOD[:-20], "damaged"),
        (GOOD[:8] + b"\x00\x02" + GOOD[10:], "format 2"),
        (GOOD[:12] + b"\xe7\x28" + GOOD[14:], "film frames"),
        (b"MThd\0\0\0\6\0\0\0\1\3\xc0MTrk\0\0\0\4\0\x24\x40\0", "damaged"),  # running status without a status
        (b"\0" * (MOST_BYTES + 1), "MB"),
    ],
)
def test_damaged_files_are_refused_in_a_sentence(data: bytes, said: str) -> None:
    with pytest.raises(Problem, match=said):
        read_midi(data)


def test_notes_that_never_end_and_huge_deltas_are_kept_and_said() -> None:
    body = bytes([0x00, 0x99, 36, 100, 0xFF, 0xFF, 0xFF, 0x7F, 0x99, 38, 100, 0x00, 0xFF, 0x2F, 0x00])
    read = read_midi(b"MThd\0\0\0\6\0\0\0\1\3\xc0MTrk" + len(body).to_bytes(4, "big") + body)
    # 268435455 ticks of 960 to the half second are 38 hours: later than a day.
    assert len(read.tracks[0].time_s) == 1
    assert any("never end" in one for one in read.said) and any(
        "later than a day" in one for one in read.said
    )


@settings(max_examples=150, deadline=None)
@given(st.data())
def test_bytes_changed_anywhere_end_in_notes_or_in_a_sentence(data: st.DataObject) -> None:
    bad = bytearray(GOOD)
    for _ in range(data.draw(st.integers(1, 6))):
        bad[data.draw(st.integers(0, len(bad) - 1))] = data.draw(st.integers(0, 255))
    cut = data.draw(st.integers(0, len(bad)))
    try:
        read = read_midi(bytes(bad[: cut if data.draw(st.booleans()) else None]))
    except Problem as problem:
        assert len(str(problem)) > 20
    else:
        for track in read.tracks:
            assert (
                np.all(np.diff(track.time_s) >= 0)
                and np.all(track.length_s >= 0)
                and track.velocity.min() >= 1
                and track.velocity.max() <= 127
            )


def test_a_million_events_are_refused_at_once() -> None:
    body = bytes([0x00, 0x99, 36, 100]) + bytes([0x01, 36, 100]) * 1_000_000 + bytes([0x00, 0xFF, 0x2F, 0x00])
    with pytest.raises(Problem, match="MB"):
        read_midi(b"MThd\0\0\0\6\0\0\0\1\3\xc0MTrk" + len(body).to_bytes(4, "big") + body)
