"""Slices as files: a WAV for each, SFZ that lays them on rising notes, and MIDI that replays the source.

A note of MIDI stands on a tick, a slice on any sample: each file begins with the silence that lies
between the tick before it and its slice, so that what is replayed lies on the sample where it was
recorded.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nubrak.core.midi import Track, clock, midi_file
from nubrak.core.pieces import file_name
from nubrak.core.problem import Problem
from nubrak.core.samples import Instrument, Kit, Sample, Slice, slice_audio, write_sfz
from nubrak.core.shape import Notes
from nubrak.core.signal import db_to_gain
from nubrak.core.tempo import Tempo

FIRST_KEY = 36  # General MIDI's lowest drum but one; from here upwards
_KEYS, _CHANNELS = 128 - FIRST_KEY, 16
MOST_ON_NOTES = _KEYS * _CHANNELS
_FULL = 127
_HALF_WAY, _MOST_TICKS_BACK = 0.02, 4  # of a sample; ticks


@dataclass(frozen=True)
class SliceFile:
    """One slice as a file: its name below the folder, its audio (frames, channels), and its note."""

    path: str
    audio: NDArray[np.float32]
    channel: int
    key: int
    time_s: float


@dataclass(frozen=True)
class SlicePrint:
    """All of it: the files, an SFZ text for each MIDI channel by its name, and the MIDI file."""

    files: list[SliceFile]
    sfz: dict[str, str]
    midi: bytes


def print_slices(
    name: str,
    audio: NDArray[np.float32],
    rate_hz: int,
    slices: Sequence[Slice],
    struck: Sequence[str],
    tempo: Tempo,
    levels_db: NDArray[np.float64] | None = None,
    begin: int = 0,
) -> SlicePrint:
    """Slices of audio (frames, channels); ``struck`` says what is struck at each, for its name;
    ``levels_db`` (n,) what each is turned by; the audio begins at sample
    ``begin`` of the time line that the tempo counts on. A ``Problem`` where there are more than notes.
    """
    if len(slices) > MOST_ON_NOTES:
        raise Problem(
            f"{len(slices)} slices are more than there are notes: {_KEYS} on each of {_CHANNELS} channels, "
            f"{MOST_ON_NOTES} together.",
            "Nothing was written.",
            "Raise the threshold of the hits, choose a longer step, or cut a shorter stretch.",
        )
    start_s = np.array([begin + one.start for one in slices]) / rate_hz
    first_s = float(start_s.min()) if len(start_s) else None
    counts = clock(tempo, first_s=first_s, end_s=float(start_s.max(initial=0.0)))
    tick = counts.tick_of(start_s)
    # The tick at or before the slice, also where the nearest lies behind it, and none that lies half-way
    # between two samples: programs differ in which of them they take.
    for _ in range(_MOST_TICKS_BACK):
        at = counts.time_of(np.maximum(tick, 0)) * rate_hz
        tick -= (np.round(at) > np.round(start_s * rate_hz)) | (np.abs(at % 1.0 - 0.5) < _HALF_WAY)
    at_s = counts.time_of(np.maximum(tick, 0))
    files = []
    for k, one in enumerate(slices):
        silence = np.zeros(
            (max(begin + one.start - round(float(at_s[k]) * rate_hz), 0), audio.shape[1]), np.float32
        )
        sound = slice_audio(audio, one)
        if levels_db is not None:
            sound = sound * np.float32(db_to_gain(float(levels_db[k])))
        stem = file_name(f"{k + 1:03d} {struck[k]}".strip())
        files.append(
            SliceFile(
                f"samples/{stem}.wav",
                np.concatenate([silence, sound]),
                k // _KEYS + 1,
                FIRST_KEY + k % _KEYS,
                float(at_s[k]),
            )
        )
    channels = range(1, files[-1].channel + 1 if files else 1)
    return SlicePrint(
        files,
        {_named(name, channel): _sfz(name, files, channel, rate_hz) for channel in channels},
        midi_file(
            [Track(_named(name, c), _notes(files, c, slices, rate_hz)) for c in channels],
            tempo,
            counted=counts,
        ),
    )


def _named(name: str, channel: int) -> str:
    return name if channel == 1 else f"{name} {channel}"


def _sfz(name: str, files: list[SliceFile], channel: int, rate_hz: int) -> str:
    """The slices of a channel, each on its note and at its own level at full velocity."""
    own = [one for one in files if one.channel == channel]
    # Nothing is stored here, so a number stands where the content's hash would.
    paths = {f"{k:064x}": one.path for k, one in enumerate(own)}
    instruments = {
        audio: Instrument(
            name=one.path.rpartition("/")[2].removesuffix(".wav"),
            piece="else",
            samples=[Sample(audio=audio, velocity=_FULL)],
            key=one.key,
        )
        for audio, one in zip(paths, own, strict=True)
    }
    kit = Kit(name=_named(name, channel), instruments=instruments)
    return write_sfz(kit, paths, dict.fromkeys(paths, rate_hz))


def _notes(files: list[SliceFile], channel: int, slices: Sequence[Slice], rate_hz: int) -> Notes:
    own = [k for k, one in enumerate(files) if one.channel == channel]
    return Notes(
        time_s=np.array([files[k].time_s for k in own]),
        velocity=np.full(len(own), _FULL, np.int64),
        number=FIRST_KEY,
        channel=channel,
        length_beats=0.25,
        numbers=np.array([files[k].key for k in own], np.int64),
        length_s=np.array([len(files[k].audio) / rate_hz for k in own]),
    )
