"""Reading audio files: what is in them, and their samples block by block."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from nubrak.core.gather.chunks import chunks_of, promised_frames
from nubrak.core.problem import Problem
from nubrak.core.time_line import LAST_S

LEAST_RATE_HZ = 8_000  # under it, no attack is left to find
MOST_RATE_HZ = 384_000  # what converters offer at most
MOST_CHANNELS = 32  # more are a whole session in one file
MOST_PEAK = 1e4  # 80 dB over full scale: no converter and no mix goes there, and squares stay finite
LONGEST_S = 4 * 3600.0  # longer takes do not come; their arrays would fill the memory
MOST_SAMPLES = 4_000_000_000  # of all channels: 16 GB decoded, which some MB of packed silence may hold
_BLOCK_FRAMES = 1 << 18  # 6 s at 44.1 kHz: large enough to be read fast, small enough to hold many
_UNKNOWN = 1 << 62  # frames: libsndfile says more where a file does not say it

_CANCELS = 0.01  # power of the mean beside that of the first channel: 20 dB down

_FORMATS = "WAV, AIFF, FLAC, OGG or MP3"


class AudioFacts(BaseModel):
    """What one audio file holds."""

    rate_hz: int = Field(description="sample rate")
    channels: int
    frames: int = Field(description="samples per channel that could be read")
    format: str = Field(description="container and coding, as libsndfile names them")
    peak: float = Field(description="largest absolute sample, 1 is full scale")
    stamp_s: float | None = Field(
        default=None, description="the time stamp it carries, in seconds since midnight (EBU Tech 3285)"
    )
    cancels: bool = Field(default=False, description="whether its channels all but cancel each other out")
    notes: list[str] = Field(default=[], description="what is odd about the file, a sentence each")

    @property
    def length_s(self) -> float:
        return self.frames / self.rate_hz


def time_stamp_s(path: Path, rate_hz: int) -> float | None:
    """The time reference of a Broadcast Wave file in seconds since midnight, or None where it carries none.

    EBU Tech 3285: the ``bext`` chunk holds description (256 bytes), originator (32), its reference (32), date
    (10) and time (8), then the count of samples since midnight as two 32-bit words, the low one first. RF64
    and BW64 files carry the same chunk.
    """
    with path.open("rb") as file:
        for chunk in chunks_of(file):
            if chunk.kind == b"bext":
                file.seek(chunk.begins)
                body = file.read(346)
                samples = int.from_bytes(body[338:346], "little") if len(body) == 346 else 0
                return samples / rate_hz if 0 < samples / rate_hz < LAST_S else None
    return None


def _open(path: Path, name: str) -> soundfile.SoundFile:
    if path.stat().st_size == 0:
        raise Problem(f"“{name}” is empty (0 bytes).", todo="Export it again and drop it once more.")
    try:
        return soundfile.SoundFile(str(path))
    except (soundfile.LibsndfileError, TypeError, ValueError) as error:
        raise Problem(
            f"“{name}” could not be read as audio.",
            todo=f"Nubrak reads {_FORMATS}; export it as one of these.",
        ) from error


def audio_blocks(
    path: Path, name: str | None = None, block_frames: int = _BLOCK_FRAMES
) -> Iterator[NDArray[np.float32]]:
    """The file's samples as float32 blocks of shape (frames, channels), NaN and infinity replaced by silence.

    A file that is cut off ends early without an error. Raises ``Problem`` where the file is not audio.
    """
    with _open(path, name or path.name) as file:
        while True:
            try:
                block = file.read(block_frames, dtype="float32", always_2d=True)
            except (soundfile.LibsndfileError, RuntimeError):
                return
            if not len(block):
                return
            if not np.isfinite(block).all():
                block = np.nan_to_num(block, nan=0.0, posinf=0.0, neginf=0.0)
            yield block


def _check_length(name: str, frames: int, channels: int, rate_hz: int) -> None:
    if frames > LONGEST_S * rate_hz:
        raise Problem(
            f"“{name}” is longer than {LONGEST_S / 3600:.0f} hours.", todo="Cut it into shorter files."
        )
    if frames * channels > MOST_SAMPLES:
        raise Problem(
            f"“{name}” is more than {4 * MOST_SAMPLES / 1e9:.0f} GB when it is unpacked.",
            todo="Export the microphones as separate files, or cut it into shorter ones.",
        )


def inspect(path: Path, name: str | None = None) -> AudioFacts:
    """Read a whole file once, block by block, and say what is in it.

    Raises ``Problem`` for what cannot be worked with: not audio, no samples, a rate or channel count out of
    range, too long.
    """
    name = name or path.name
    with _open(path, name) as file:
        rate_hz, channels, promised = int(file.samplerate), int(file.channels), int(file.frames)
        kind = f"{file.format} {file.subtype}"
        if not 1 <= channels <= MOST_CHANNELS:
            raise Problem(
                f"“{name}” has {channels} channels; Nubrak takes 1 to {MOST_CHANNELS}.",
                todo="Export the microphones as separate files.",
            )
        if not LEAST_RATE_HZ <= rate_hz <= MOST_RATE_HZ:
            raise Problem(
                (
                    f"“{name}” has a sample rate of {rate_hz} Hz; Nubrak takes {LEAST_RATE_HZ} to "
                    f"{MOST_RATE_HZ} Hz."
                ),
                todo="Export it at 44100 or 48000 Hz.",
            )
        if promised < _UNKNOWN:
            # What says beforehand that it is too long is not unpacked to find out.
            _check_length(name, promised, channels, rate_hz)
        frames, peak, odd, broken = 0, 0.0, 0, False
        first_power, mean_power = 0.0, 0.0
        while True:
            try:
                block = file.read(_BLOCK_FRAMES, dtype="float32", always_2d=True)
            except (soundfile.LibsndfileError, RuntimeError):
                broken = True
                break
            if not len(block):
                break
            bad = ~np.isfinite(block)
            if bad.any():
                odd += int(bad.sum())
                block[bad] = 0.0
            frames += len(block)
            peak = max(peak, float(np.abs(block).max()))
            if peak > MOST_PEAK:
                raise Problem(
                    f"“{name}” holds samples {20 * np.log10(peak):.0f} dB over full scale; that is no sound.",
                    todo="Export it again, with full scale at 1.",
                )
            first_power += float(np.vdot(block[:, 0], block[:, 0]))
            mean_power += float(np.square(one_channel(block)).sum())
            _check_length(name, frames, channels, rate_hz)
    if frames == 0:
        raise Problem(f"“{name}” holds no samples.", todo="Export it again and drop it once more.")
    notes = []
    if odd:
        notes.append(f"{odd} samples were not numbers and were taken as silence.")
    # libsndfile promises no more than the file is long; its header may have.
    promised = max(promised if promised < _UNKNOWN else 0, promised_frames(path) or 0)
    if frames < promised:
        notes.append(
            f"The file is cut off: it promises {promised / rate_hz:.1f} s and holds "
            f"{frames / rate_hz:.1f} s, which were kept."
        )
    elif broken:
        notes.append(f"The file is damaged after {frames / rate_hz:.1f} s; what comes before was kept.")
    if peak == 0.0:
        notes.append("The file is silent from end to end.")
    elif peak >= 0.9999 and "FLOAT" not in kind and "DOUBLE" not in kind:
        notes.append("The recording touches full scale; loud strokes may be clipped.")
    cancels = channels > 1 and mean_power < _CANCELS * first_power
    if cancels:
        notes.append("Its channels cancel each other out when they are mixed; only the first is listened to.")
    stamp_s = time_stamp_s(path, rate_hz)
    return AudioFacts(
        rate_hz=rate_hz,
        channels=channels,
        frames=frames,
        format=kind,
        peak=peak,
        cancels=cancels,
        notes=notes,
        stamp_s=stamp_s,
    )


def one_channel(block: NDArray[np.float32], cancels: bool = False) -> NDArray[np.float32]:
    """(frames, channels) to what the detector hears, (frames,): the mean of the channels, or the first where
    the mean ``cancels``.
    """
    return block[:, 0] if block.shape[1] == 1 or cancels else block.mean(axis=1, dtype=np.float32)


def read_mono(path: Path, name: str | None = None) -> tuple[NDArray[np.float32], int]:
    """The whole file as the detector hears it, (frames,) float32, and its rate in Hz."""
    facts = inspect(path, name)
    mono, at = np.zeros(facts.frames, np.float32), 0
    for block in audio_blocks(path, name):
        mono[at : at + len(block)] = one_channel(block, facts.cancels)
        at += len(block)
    return mono, facts.rate_hz
