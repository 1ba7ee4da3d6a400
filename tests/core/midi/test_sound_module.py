"""The simulated sound module as a MIDI receiver (MIDI 1.0 Detailed Specification: running status, real-time
bytes).
"""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nubrak.core.midi.sound_module import (
    LONGEST_S,
    Remembered,
    Strike,
    chokes,
    fullest,
    instrument_for,
    received,
    sounded,
)
from nubrak.core.samples.kit import Instrument, Kit, Sample

KIT = Kit(
    name="K",
    instruments={
        "kick": Instrument(
            name="Kick",
            piece="kick",
            samples=[Sample(audio="k1", velocity=127), Sample(audio="k2", velocity=127)],
        ),
        "hat-closed": Instrument(name="Closed", piece="hi-hat", samples=[Sample(audio="c")]),
        "hat-open": Instrument(name="Open", piece="hi-hat", samples=[Sample(audio="o")]),
    },
)


def test_the_fullest_kit_is_played_and_an_empty_one_where_there_is_none() -> None:
    assert fullest([Kit(name="Empty"), KIT]) is KIT
    assert fullest([]).instruments == {}


def strikes(*bytes_: int) -> list[tuple[int, int, int]]:
    return [(one.note, one.velocity, one.channel) for one in received(bytes(bytes_), Remembered())[0]]


@pytest.mark.parametrize(
    ("stream", "heard"),
    [
        ((0x99, 36, 100), [(36, 100, 10)]),
        ((0x99, 36, 100, 38, 90), [(36, 100, 10), (38, 90, 10)]),  # running status
        ((0x99, 36, 0), []),  # velocity 0 is a note-off
        ((0x99, 0xF8, 36, 0xFE, 100), [(36, 100, 10)]),  # real-time bytes stand anywhere
        (
            (0x99, 36, 0xB9, 123, 0, 36, 100),
            [],
        ),  # another status ends the message, and running status is its own
        ((36, 100), []),  # data before any status
        ((0xF0, 1, 2, 3, 0xF7, 36, 100), []),  # system exclusive, and no running status after it
        ((0x99, 36, 100, 0xF3, 1, 38, 100), [(36, 100, 10)]),  # system common ends running status
        ((0xC0, 5, 0x90, 60, 1), [(60, 1, 1)]),  # program change has one data byte
    ],
)
def test_bytes_are_read_as_a_receiver_must(
    stream: tuple[int, ...], heard: list[tuple[int, int, int]]
) -> None:
    assert strikes(*stream) == heard


@given(st.binary(max_size=200), st.integers(0, 200))
def test_how_bytes_are_cut_makes_no_difference(stream: bytes, cut: int) -> None:
    whole, _ = received(stream, Remembered())
    first, between = received(stream[:cut], Remembered())
    second, _ = received(stream[cut:], between)
    assert first + second == whole


def audio(sample: Sample) -> np.ndarray:
    return np.full(((5 * 1000), 1), {"k1": 0.5, "k2": 0.25, "c": 0.1, "o": 0.2}[sample.audio], np.float32)


def test_strokes_take_turns_follow_velocity_and_end() -> None:
    first, heard = sounded(Strike(36, 127, 10), KIT, Remembered(), audio, 1000)
    second, heard = sounded(Strike(36, 127, 10), KIT, heard, audio, 1000)
    assert first[0].tolist() == [0.5, 0.5] and second[0].tolist() == [0.25, 0.25]
    assert len(first) == LONGEST_S * 1000 and first[-1, 0] == 0
    soft, _ = sounded(Strike(36, 64, 10), KIT, heard, audio, 1000)
    # DLS Level 1 (from memory): 40 log10(64 / 127) = -11.9 dB
    assert 20 * np.log10(soft[0, 0] / first[0, 0]) == pytest.approx(-11.9, abs=0.05)


def test_hats_know_each_other_and_what_is_missing_is_silent() -> None:
    names = [
        one.name if one else None for one in (instrument_for(note, KIT) for note in (42, 46, 44, 35, 49))
    ]
    assert names == ["Closed", "Open", "Closed", "Kick", None]
    assert (chokes(42), chokes(44), chokes(46)) == (True, True, False)
    nothing, _ = sounded(Strike(49, 100, 10), KIT, Remembered(), audio, 1000)
    assert nothing.shape == (0, 2)
