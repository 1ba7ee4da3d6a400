"""Slices as files: what an independent reader makes of SFZ, WAV and MIDI is the loop again."""

from __future__ import annotations

import re
from io import BytesIO

import mido
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nubrak.core.prints import MOST_ON_NOTES, SlicePrint, print_slices
from nubrak.core.problem import Problem
from nubrak.core.samples import CutSettings, cut
from nubrak.core.tempo import Tempo, TempoChange

NONE = np.zeros(0)


def regions(made: SlicePrint) -> dict[tuple[int, int], str]:
    """(channel, key) → sample of the SFZ texts, read line by line as the format is written
    (https://sfzformat.com, from memory): a header in angle brackets, then opcodes.
    """
    out, key = {}, 0
    for channel, text in enumerate(made.sfz.values(), start=1):
        for line in text.splitlines():
            if found := re.match(r"<group> key=(\d+)", line):
                key = int(found[1])
            if found := re.match(r"<region> (.*)sample=(.*)$", line):
                opcodes = dict(word.split("=") for word in found[1].split())
                assert float(opcodes["volume"]) == 0.0 and "offset" not in opcodes
                out[channel, key] = found[2]
    return out


def played(made: SlicePrint, rate_hz: int, frames: int) -> np.ndarray:
    """The MIDI file read by mido, every note by the sample its region names, at the sample of its time."""
    samples, sounds = regions(made), {one.path: one.audio for one in made.files}
    file = mido.MidiFile(file=BytesIO(made.midi))
    out, now = np.zeros(frames + rate_hz), 0.0
    for message in file:
        now += message.time
        if message.type == "note_on" and message.velocity:
            assert message.velocity == 127
            sound = sounds[samples[message.channel + 1, message.note]][:, 0]
            begin = round(now * rate_hz)
            out[begin : begin + len(sound)] += sound
    return out[:frames]


@settings(max_examples=25, deadline=None)
@given(
    seed=st.integers(0, 1000),
    bpm=st.floats(40, 240),
    rate_hz=st.sampled_from([44100, 48000, 96000]),
    hits=st.lists(st.floats(0, 2), max_size=30),
)
def test_midi_replays_the_loop(seed: int, bpm: float, rate_hz: int, hits: list[float]) -> None:
    audio = np.random.default_rng(seed).uniform(-1, 1, (2 * rate_hz, 1)).astype(np.float32)
    slices = cut(len(audio), rate_hz, np.array(hits, float), NONE, CutSettings())
    made = print_slices("loop", audio, rate_hz, slices, ["kick"] * len(slices), Tempo(bpm=bpm))
    assert np.abs(played(made, rate_hz, len(audio)) - audio[:, 0]).max() < 10 ** (-90 / 20)


def test_no_note_stands_half_way_between_two_samples() -> None:
    """At 122.5 bpm every other tick does at 44.1 kHz: 60 / 122.5 / 960 s are 22.5 samples."""
    audio = np.zeros((44100, 1), np.float32)
    slices = cut(44100, 44100, np.arange(1, 50) * 22.5 * 19 / 44100, NONE, CutSettings(lead_ms=0))
    made = print_slices("loop", audio, 44100, slices, [""] * len(slices), Tempo(bpm=122.5))
    at = np.array([one.time_s for one in made.files]) * 44100
    assert np.abs(at % 1.0 - 0.5).min() > 0.01


def test_it_replays_over_a_change_of_tempo_and_on_several_channels() -> None:
    rate_hz = 8000
    audio = np.random.default_rng(2).uniform(-1, 1, (rate_hz * 4, 1)).astype(np.float32)
    slices = cut(len(audio), rate_hz, np.arange(1, 200) * 0.0199, NONE, CutSettings(lead_ms=0))
    tempo = Tempo(bpm=97.3, changes=[TempoChange(time_s=1.503, bpm=141.7)])
    made = print_slices("loop", audio, rate_hz, slices, [""] * len(slices), tempo)
    assert len(slices) == 199 and list(made.sfz) == ["loop", "loop 2", "loop 3"]
    assert np.abs(played(made, rate_hz, len(audio)) - audio[:, 0]).max() < 10 ** (-90 / 20)


def test_names_say_what_is_struck_and_notes_rise() -> None:
    audio = np.zeros((1000, 2), np.float32)
    slices = cut(1000, 8000, np.array([0.0, 0.05]), NONE, CutSettings())
    made = print_slices("a/b", audio, 8000, slices, ["kick hi-hat", "snare"], Tempo())
    assert [one.path for one in made.files] == ["samples/001 kick hi-hat.wav", "samples/002 snare.wav"]
    assert [one.key for one in made.files] == [36, 37] and all(one.audio.shape[1] == 2 for one in made.files)


def test_more_slices_than_notes_are_refused_with_what_fits() -> None:
    audio = np.zeros((20_000, 1), np.float32)
    slices = cut(20_000, 1000, np.arange(1500) * 0.01, NONE, CutSettings())
    with pytest.raises(Problem, match=f"{MOST_ON_NOTES} together"):
        print_slices("loop", audio, 1000, slices, [""] * len(slices), Tempo())
