"""Bar lines of a MIDI file are the session's, and the file starts with the recording.

Published: Standard MIDI Files 1.0 (RP-001) for tempo and time signature; files are read back through mido and
pretty_midi, which know nothing of ours.
"""

from __future__ import annotations

from io import BytesIO

import mido
import numpy as np
import pretty_midi
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray

from nubrak.core.midi import from_bar_one_s, midi_file, read_midi
from nubrak.core.midi.write import Track
from nubrak.core.shape import Notes
from nubrak.core.tempo import Tempo, TempoChange, seconds_at

TICKS = (96, 480, 960)


def notes(time_s: NDArray[np.float64]) -> Notes:
    return Notes(time_s, np.full(len(time_s), 100, np.int64), 36, 10, 0.5)


def written(tempo: Tempo, time_s: NDArray[np.float64], per_quarter: int = 960, **about: object) -> bytes:
    return midi_file([Track("Kick", notes(time_s))], tempo, per_quarter=per_quarter, **about)  # type: ignore[arg-type]


def ticks_of(data: bytes) -> NDArray[np.int64]:
    """The tick of every note, as mido counts."""
    ticks = []
    for track in mido.MidiFile(file=BytesIO(data)).tracks:
        at = 0
        for message in track:
            at += message.time
            if message.type == "note_on" and message.velocity:
                ticks.append(at)
    return np.sort(np.array(ticks))


def signatures_of(data: bytes) -> list[tuple[int, int, int]]:
    found, at = [], 0
    for message in mido.MidiFile(file=BytesIO(data)).tracks[0]:
        at += message.time
        if message.type == "time_signature":
            found.append((at, message.numerator, message.denominator))
    return found


def first_bar_tick(data: bytes) -> int:
    """The tick of the first bar line after the file's start, by its signatures alone; 0 where it has one."""
    found = signatures_of(data)
    return found[1][0] if len(found) > 1 else 0


def seconds_of(data: bytes) -> NDArray[np.float64]:
    return np.sort([note.start for note in pretty_midi.PrettyMIDI(BytesIO(data)).instruments[0].notes])


SIGNATURES = [(4, 4), (3, 4), (6, 8), (7, 8), (12, 8), (2, 2)]


@pytest.mark.parametrize("per_quarter", TICKS)
@pytest.mark.parametrize("signature", SIGNATURES)
@pytest.mark.parametrize("bar_one_s", [0.0, 0.591, 0.02, 1.0, 2.37, 13.777])
def test_quantised_notes_lie_on_their_ticks_and_at_their_times(
    per_quarter: int, signature: tuple[int, int], bar_one_s: float
) -> None:
    beats_per_bar, beat_unit = signature
    for bpm in (60.0, 97.3, 123.456, 187.0):
        tempo = Tempo(
            known="set", bpm=bpm, beats_per_bar=beats_per_bar, beat_unit=beat_unit, bar_one_s=bar_one_s
        )
        step = np.arange(0, 1600)  # a quarter of an hour and more at 97.3 bpm
        time_s = seconds_at(tempo, step / 2.0)
        data = written(tempo, time_s, per_quarter)
        ticks, bar = ticks_of(data), first_bar_tick(data)
        assert np.array_equal((ticks - bar) - (ticks - bar)[0], step * per_quarter // 2)
        assert (ticks[0] - bar) % round(tempo.bar_beats * per_quarter) == 0, "bar one stands on a bar line"
        assert bar * beat_unit % (4 * per_quarter) == 0, "whole beats stand before it"
        assert np.abs(seconds_of(data) - time_s).max() <= 60.0 / bpm / per_quarter / 2


def test_what_is_played_before_bar_one_keeps_its_step_and_its_time() -> None:
    # Two eighths of pick-up before bar one at 0.591 s.
    tempo = Tempo(bpm=120, bar_one_s=0.591)
    time_s = seconds_at(tempo, np.array([-1.0, -0.5, 0.0, 1.0, 2.0]))
    data = written(tempo, time_s)
    ticks = ticks_of(data)
    assert (np.diff(ticks) == np.array([480, 480, 960, 960])).all()
    assert (ticks[2] - first_bar_tick(data)) % 3840 == 0 and first_bar_tick(data) % 960 == 0
    assert np.abs(seconds_of(data) - time_s).max() <= 0.00027


@pytest.mark.parametrize("per_quarter", TICKS)
def test_with_bar_one_before_the_recording_the_first_bar_is_what_is_left_of_it(per_quarter: int) -> None:
    tempo = Tempo(bpm=111.1, bar_one_s=-1.3)
    time_s = seconds_at(tempo, np.arange(4, 400) * 1.0)
    data = written(tempo, time_s, per_quarter)
    ticks, bar = ticks_of(data), first_bar_tick(data)
    assert (ticks[0] - bar) % (4 * per_quarter) == 0 and (np.diff(ticks) == per_quarter).all()
    assert np.abs(seconds_of(data) - time_s).max() <= 60.0 / 111.1 / per_quarter / 2


@pytest.mark.parametrize("per_quarter", TICKS)
def test_a_tempo_line_keeps_its_bars(per_quarter: int) -> None:
    rng = np.random.default_rng(7)
    tempo = Tempo(bpm=97.0, bar_one_s=0.8)
    for bar in range(1, 120):
        at_s = float(seconds_at(tempo, np.array([4.0 * bar]))[0])
        change = TempoChange(time_s=round(at_s, 6), bpm=float(97 + rng.normal(0, 2)))
        tempo = tempo.model_copy(update={"changes": [*tempo.changes, change]})
    time_s = seconds_at(tempo, np.arange(0, 470) * 1.0)
    data = written(tempo, time_s, per_quarter)
    ticks = ticks_of(data)
    assert (ticks - ticks[0] == np.arange(470) * per_quarter).all()
    assert (ticks[0] - first_bar_tick(data)) % (4 * per_quarter) == 0
    assert np.abs(seconds_of(data) - time_s).max() <= 60.0 / 90 / per_quarter / 2


@given(
    st.floats(40, 240),
    st.floats(-3, 20),
    st.sampled_from(SIGNATURES),
    st.lists(st.floats(0, 300), min_size=1, max_size=30),
    st.sampled_from(TICKS),
)
def test_every_note_stands_within_half_a_tick_of_its_time(
    bpm: float, bar_one_s: float, signature: tuple[int, int], times: list[float], per_quarter: int
) -> None:
    tempo = Tempo(
        known="set", bpm=bpm, bar_one_s=bar_one_s, beats_per_bar=signature[0], beat_unit=signature[1]
    )
    time_s = np.sort(np.array(times))
    data = written(tempo, time_s, per_quarter)
    entries = [
        message.tempo
        for message in mido.MidiFile(file=BytesIO(data)).tracks[0]
        if message.type == "set_tempo"
    ]
    half_s = max(entries) / 1e6 / per_quarter / 2
    assert np.abs(seconds_of(data) - time_s).max() <= half_s * 1.001 + 1e-6
    found = signatures_of(data)
    assert len(found) <= 2 and found[-1][1:] == signature
    if len(found) == 2:
        assert found[1][0] == found[0][1] * 4 * per_quarter // found[0][2], "the first bar is whole"


def test_without_a_known_tempo_nothing_is_made_of_it() -> None:
    data = written(Tempo(), np.array([0.3, 1.0]))
    assert signatures_of(data) == [(0, 4, 4)] and ticks_of(data).tolist() == [576, 1920]


def test_from_bar_one_the_file_begins_there_or_with_the_pick_ups_bar() -> None:
    tempo = Tempo(bpm=120, bar_one_s=4.591)
    assert from_bar_one_s(tempo, 4.7) == pytest.approx(4.591)
    assert from_bar_one_s(tempo, 4.3) == pytest.approx(2.591)
    assert from_bar_one_s(Tempo(bpm=120, bar_one_s=0.591), 0.3) == pytest.approx(0.591)
    time_s = seconds_at(tempo, np.arange(0, 16) * 0.5)
    begin_s = from_bar_one_s(tempo, float(time_s[0]))
    data = written(tempo, time_s, span_s=(begin_s, 60.0))
    assert ticks_of(data).tolist() == (np.arange(16) * 480).tolist() and signatures_of(data) == [(0, 4, 4)]


@pytest.mark.parametrize("bar_one_s", [0.0, 0.591, 3.3])
def test_the_tempo_is_read_back_as_it_was(bar_one_s: float) -> None:
    tempo = Tempo(bpm=97.3, beats_per_bar=3, bar_one_s=bar_one_s)
    time_s = seconds_at(tempo, np.arange(0, 1500) * 1.0)
    read = read_midi(written(tempo, time_s)).tempo
    assert read.bpm == pytest.approx(97.3, abs=1e-4) and (read.beats_per_bar, read.beat_unit) == (3, 4)
    assert not read.changes
    bars = (bar_one_s - read.bar_one_s) / (3 * 60 / 97.3)
    assert bars == pytest.approx(round(bars), abs=1e-4), "bar one is on a bar line"
