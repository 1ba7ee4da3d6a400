"""MIDI sounded by a sound font (fluidsynth) or by patches (timidity), as one mono signal, dry."""

from __future__ import annotations

import subprocess
import tempfile
from pathlib import Path

import mido
import numpy as np
import soundfile
from numpy.typing import NDArray

from benchmarks.keep import RATE_HZ

TICKS_PER_BEAT = 9600
TICKS_PER_S = 2 * TICKS_PER_BEAT  # at 120 bpm


def drum_track(program: int) -> mido.MidiTrack:
    """A track at 120 bpm that begins with a drum kit of General MIDI's channel 10."""
    return mido.MidiTrack(
        [
            mido.MetaMessage("set_tempo", tempo=500_000),
            mido.Message("program_change", channel=9, program=program),
        ]
    )


def sounded(track: mido.MidiTrack, font: Path, length_s: float, gain: float = 0.8) -> NDArray[np.float32]:
    """A track as it sounds, (frames,), filled up or cut to a length."""
    midi = mido.MidiFile(type=0, ticks_per_beat=TICKS_PER_BEAT, tracks=[track])
    with tempfile.TemporaryDirectory() as folder:
        midi.save(f"{folder}/a.mid")
        words = _timidity(font) if font.suffix == ".cfg" else _fluidsynth(font, gain)
        where = ["-o", f"{folder}/a.wav"] if font.suffix == ".cfg" else ["-F", f"{folder}/a.wav", str(font)]
        subprocess.run([*words, *where, f"{folder}/a.mid"], check=True, capture_output=True)
        audio, _ = soundfile.read(f"{folder}/a.wav", dtype="float32", always_2d=True)
    out = np.zeros(round(length_s * RATE_HZ), np.float32)
    mixed = audio.mean(axis=1)[: len(out)]
    out[: len(mixed)] = mixed
    return out


def _fluidsynth(font: Path, gain: float) -> list[str]:
    """Without reverb and chorus, and with a voice for every stroke."""
    dry = ["-R", "0", "-C", "0", "-g", str(gain), "-o", "synth.polyphony=2048"]
    return ["fluidsynth", "-ni", "-q", *dry, "-r", str(RATE_HZ), "-O", "float", "-T", "wav"]


def _timidity(font: Path) -> list[str]:
    dry = ["-EFreverb=0", "-EFchorus=0", "--preserve-silence"]
    return ["timidity", "-c", str(font), *dry, "-s", str(RATE_HZ), "-Ow"]
