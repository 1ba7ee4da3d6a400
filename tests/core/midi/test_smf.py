"""Standard MIDI Files byte by byte: the examples of RP-001, and mido's own writing of the same events."""

from __future__ import annotations

from io import BytesIO

import mido
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nubrak.core.midi.smf import MOST_TICKS, header, read_file, track_chunk, variable_length
from nubrak.core.midi.write import Track, midi_file
from nubrak.core.problem import Problem
from nubrak.core.shape.notes import Notes
from nubrak.core.tempo.tempo_map import Tempo, TempoChange

# RP-001, "Variable-Length Quantity": number and its bytes.
EXAMPLES = [
    (0x00, "00"),
    (0x40, "40"),
    (0x7F, "7f"),
    (0x80, "8100"),
    (0x2000, "c000"),
    (0x3FFF, "ff7f"),
    (0x4000, "818000"),
    (0x100000, "c08000"),
    (0x1FFFFF, "ffff7f"),
    (0x200000, "81808000"),
    (0x8000000, "c0808000"),
    (0xFFFFFFF, "ffffff7f"),
]


@pytest.mark.parametrize(("number", "said"), EXAMPLES)
def test_variable_lengths_are_those_of_the_standard(number: int, said: str) -> None:
    groups, size = variable_length(np.array([number]))
    assert groups[0, 4 - size[0] :].tobytes().hex() == said


def test_the_header_is_the_standards() -> None:
    # RP-001's example file of format 1: four tracks, 96 ticks a quarter
    assert header(1, 4, 96).hex() == "4d546864000000060001000400" + "60"


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.tuples(st.floats(0, 400), st.integers(1, 127), st.integers(0, 127)), max_size=60),
    st.lists(
        st.tuples(st.floats(0.01, 300), st.floats(30, 300)),
        max_size=5,
        unique_by=lambda one: round(one[0], 2),
    ),
    st.booleans(),
    st.sampled_from([24, 96, 480, 960, 15360]),
)
def test_bytes_are_those_that_mido_writes(
    lines: list[tuple[float, int, int]], changes: list[tuple[float, float]], one_track: bool, per_quarter: int
) -> None:
    lines = sorted(lines)
    column = np.array(lines).reshape(-1, 3)
    notes = Notes(column[:, 0], column[:, 1].astype(np.int64), 38, 10, 0.3, column[:, 2].astype(np.int64))
    tempo = Tempo(
        bpm=97, beats_per_bar=7, beat_unit=8, changes=[TempoChange(time_s=at, bpm=bpm) for at, bpm in changes]
    )
    ours = midi_file(
        [Track("Große Trommel", notes), Track("Empty", Notes(np.zeros(0), np.zeros(0, np.int64), 1, 1, 1.0))],
        tempo,
        one_track,
        per_quarter,
    )
    theirs = BytesIO()
    read = mido.MidiFile(file=BytesIO(ours))
    read.save(file=theirs)
    assert ours == theirs.getvalue()
    assert sum(message.type == "note_on" for track in read.tracks for message in track) == len(lines)
    for track in read.tracks:
        assert track[-1].type == "end_of_track"


def test_at_one_tick_what_ends_goes_before_what_begins() -> None:
    tick, ending = np.array([0, 5, 5, 9]), np.array([False, False, True, True])
    message = np.array([[0x99, 36, 100], [0x99, 36, 90], [0x89, 36, 0], [0x89, 36, 0]], np.uint8)
    chunk = track_chunk([(5, b"\xff\x01\x01x")], tick, ending, message)
    assert chunk[8:].hex(" ") == "00 99 24 64 05 ff 01 01 78 00 89 24 00 00 99 24 5a 04 89 24 00 00 ff 2f 00"


def test_chunks_of_other_kinds_are_passed_over_and_running_status_goes_on() -> None:
    body = bytes.fromhex("009936640a266400ff01036162630526640089260000ff2f00".replace(" ", ""))
    data = (
        header(1, 1, 96)
        + b"XYZW"
        + (3).to_bytes(4, "big")
        + b"abc"
        + b"MTrk"
        + len(body).to_bytes(4, "big")
        + body
    )
    (track,) = read_file(data).tracks
    assert track.tick.tolist() == [0, 10, 15, 15] and track.message[:, 0].tolist() == [0x99, 0x99, 0x99, 0x89]
    assert track.metas[0] == (10, 1, b"abc") and track.end_tick == 15
    (theirs,) = mido.MidiFile(file=BytesIO(header(1, 1, 96) + data[25:])).tracks
    assert [message.note for message in theirs if not message.is_meta] == track.message[:, 1].tolist()


def test_a_pause_beyond_the_format_is_said_not_written() -> None:
    with pytest.raises(Problem, match="longer than a MIDI file can say"):
        track_chunk([], np.array([MOST_TICKS + 1]), np.array([False]), np.array([[0x99, 36, 1]], np.uint8))
