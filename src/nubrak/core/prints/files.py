"""Print: a finished render to file, window by window, from the function that is also listened to."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable, Generator, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

import numpy as np
import soundfile
import soxr
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from nubrak.core.prints.bext import stamp
from nubrak.core.problem import Problem, disk_is_full
from nubrak.core.signal import dithered, loudness_lkfs

Depth = Literal["16", "24", "float"]
Form = Literal["wav", "flac", "aiff"]
Window = Callable[[int, int], NDArray[np.float32]]
WINDOW_FRAMES = 1 << 18  # rendered at a time: 6 s at 44.1 kHz
_SUBTYPE = {"16": "PCM_16", "24": "PCM_24", "float": "FLOAT"}
_FORMAT = {"wav": "WAV", "flac": "FLAC", "aiff": "AIFF"}
ENDING = {"wav": "wav", "flac": "flac", "aiff": "aif"}
_BYTES = {"16": 2, "24": 3, "float": 4}  # of a sample
# RIFF and AIFF count their bytes in 32 bits; a little of it is left to the chunks beside the samples.
MOST_BYTES_OF_32_BITS = (1 << 32) - (1 << 20)


class PrintSettings(BaseModel):
    """How audio is written."""

    form: Form = "wav"
    depth: Depth = Field(default="24", description="whole numbers are dithered")
    channels: Literal["stereo", "mono"] = "stereo"
    rate_hz: int | None = Field(default=None, ge=8000, le=192000, description="empty: the session's own")

    def check(self) -> None:
        """Raise a ``Problem`` where the form cannot hold the depth."""
        if self.form == "flac" and self.depth == "float":
            raise Problem(
                "A FLAC file holds whole numbers only.",
                "Nothing was written.",
                "Choose 24 bit, or WAV for float.",
            )


@dataclass(frozen=True)
class Printed:
    """What was written: its length, its largest sample in dBFS peak, how many samples were over full scale,
    and how loud it is.
    """

    frames: int
    rate_hz: int
    peak_db: float
    over: int
    loudness_lkfs: float


class Cancelled(Exception):
    """The person wants no more of it."""


GoOn = Callable[[float], bool]


@dataclass(frozen=True)
class Print:
    """One of several prints: the file it becomes, what it is made of, and what it is called."""

    path: Path
    window: Window
    title: str


def print_file(
    path: Path,
    window: Window,
    frames: int,
    rate_hz: int,
    settings: PrintSettings | None = None,
    stamp_s: float | None = None,
    title: str = "",
    go_on: GoOn | None = None,
    seed: int = 1,
) -> Printed:
    """Write ``frames`` samples that ``window(start, frames)`` gives as (frames, 2); says what it wrote.

    The file starts where the session starts and is as long as it, so it lines up with the recording by
    itself; a WAV file also says so, with ``stamp_s`` as its broadcast time reference. ``go_on`` is asked with
    the share that is done; on a no, or where anything goes wrong, no half file is left behind and
    ``Cancelled`` or the error is raised; a full disk is a ``Problem``. ``seed`` is the dither's.
    """
    settings = settings or PrintSettings()
    rate = settings.rate_hz or rate_hz
    settings.check()
    large = _is_large(settings, round(frames * rate / rate_hz))
    count = _Count()
    try:
        with _Unhurried(
            str(path),
            "w",
            samplerate=rate,
            channels=1 if settings.channels == "mono" else 2,
            format="RF64" if large else _FORMAT[settings.form],
            subtype=_SUBTYPE[settings.depth],
        ) as file:
            loud = loudness_lkfs(
                _written(
                    file, count.counting(_blocks(window, frames, rate_hz, settings, go_on)), settings, seed
                ),
                rate,
            )
        if settings.form == "wav" and stamp_s is not None:
            stamp(path, round(stamp_s * rate), title)
    except BaseException as error:
        full = disk_is_full(error, path.parent)  # asked before the half file makes room
        path.unlink(missing_ok=True)
        if full:
            raise Problem(
                "The disk is full; the print could not be finished.",
                "The session is as it was, and no half file was left.",
                "Make room and print again.",
                "full",
            ) from error
        raise
    return count.said(rate, loud)


def _is_large(settings: PrintSettings, frames: int) -> bool:
    """Whether a WAV file of so many frames has to be RF64 (EBU Tech 3306); a ``Problem`` where no form of
    the kind that was asked for holds them.
    """
    size = frames * _BYTES[settings.depth] * (1 if settings.channels == "mono" else 2)
    if settings.form == "flac" or size <= MOST_BYTES_OF_32_BITS:
        return False
    if settings.form == "aiff":
        raise Problem("An AIFF file holds at most 4 GB.", "Nothing was written.", "Choose WAV or FLAC.")
    return True


def measured(window: Window, frames: int, rate_hz: int, settings: PrintSettings | None = None) -> Printed:
    """What a print would say of itself, without writing anything."""
    settings, count = settings or PrintSettings(), _Count()
    loud = loudness_lkfs(
        count.counting(_blocks(window, frames, rate_hz, settings, None)), settings.rate_hz or rate_hz
    )
    return count.said(settings.rate_hz or rate_hz, loud)


def print_all(
    prints: list[Print],
    frames: int,
    rate_hz: int,
    settings: PrintSettings,
    stamp_s: float | None,
    go_on: GoOn | None = None,
) -> Generator[tuple[Print, Printed]]:
    """Write several prints side by side on all cores; each is handed on, in its order, when it is finished.

    ``go_on`` is asked with the share of all that is done. Where one fails or is no longer wanted, none of the
    files that were not handed on is left behind.
    """
    shares, gone, asking = [0.0] * len(prints), threading.Event(), threading.Lock()

    def one(number: int) -> Printed:
        def on(share: float) -> bool:
            shares[number] = share
            if not gone.is_set() and go_on is not None:
                with asking:
                    if not go_on(sum(shares) / len(shares)):
                        gone.set()
            return not gone.is_set()

        said = print_file(
            prints[number].path,
            prints[number].window,
            frames,
            rate_hz,
            settings,
            stamp_s,
            prints[number].title,
            on,
            seed=number + 1,
        )
        shares[number] = 1.0
        return said

    with ThreadPoolExecutor(min(os.cpu_count() or 1, max(len(prints), 1))) as pool:
        under_way = [pool.submit(one, number) for number in range(len(prints))]
        handed = 0
        try:
            for made, future in zip(prints, under_way, strict=True):
                said = future.result()
                handed += 1
                yield made, said
        except BaseException:
            gone.set()
            pool.shutdown(wait=True, cancel_futures=True)
            for made in prints[handed:]:
                made.path.unlink(missing_ok=True)
            raise


class _Unhurried(soundfile.SoundFile):  # type: ignore[misc]
    """A sound file that does not wait, when it is closed, until the disk has everything: nothing that was
    acknowledged lies in it yet.
    """

    def flush(self) -> None:
        """Nothing; closing hands over what is left."""


class _Count:
    """The largest sample that went by, how many were over full scale, and how many there were."""

    def __init__(self) -> None:
        self.peak, self.over, self.frames = 0.0, 0, 0

    def counting(self, blocks: Iterator[NDArray[np.float32]]) -> Iterator[NDArray[np.float32]]:
        for block in blocks:
            size = np.abs(block)
            largest = float(size.max(initial=0.0))
            self.peak = max(self.peak, largest)
            self.over += int(np.count_nonzero(size > 1.0)) if largest > 1.0 else 0
            self.frames += len(block)
            yield block

    def said(self, rate_hz: int, loudness: float) -> Printed:
        return Printed(
            self.frames, rate_hz, 20.0 * float(np.log10(max(self.peak, 1e-9))), self.over, loudness
        )


def _written(
    file: soundfile.SoundFile, blocks: Iterator[NDArray[np.float32]], settings: PrintSettings, seed: int
) -> Iterator[NDArray[np.float32]]:
    done = 0
    for block in blocks:
        file.write(block if settings.depth == "float" else dithered(block, int(settings.depth), done, seed))
        done += len(block)
        yield block


def _blocks(
    window: Window, frames: int, rate_hz: int, settings: PrintSettings, go_on: GoOn | None
) -> Iterator[NDArray[np.float32]]:
    rate = settings.rate_hz or rate_hz
    for block in _at_rate(window, frames, rate_hz, rate, round(frames * rate / rate_hz), go_on):
        yield block.mean(axis=1, keepdims=True, dtype=np.float32) if settings.channels == "mono" else block


def _at_rate(
    window: Window, frames: int, rate_hz: int, rate: int, wanted: int, go_on: GoOn | None
) -> Iterator[NDArray[np.float32]]:
    """The windows one after the other, at another rate where asked (soxr, very high quality), exactly
    ``wanted`` frames in all.
    """
    stream = (
        None if rate == rate_hz else soxr.ResampleStream(rate_hz, rate, 2, dtype="float32", quality="VHQ")
    )
    left = wanted
    for start, block in _one_ahead(window, frames):
        if go_on is not None and not go_on(start / frames):
            raise Cancelled
        if stream is not None:
            block = np.asarray(
                stream.resample_chunk(block, last=start + len(block) >= frames), np.float32
            ).reshape(-1, 2)[:left]
        left -= len(block)
        yield block
    if left > 0:
        yield np.zeros((left, 2), np.float32)


def _one_ahead(window: Window, frames: int) -> Generator[tuple[int, NDArray[np.float32]]]:
    """The windows one after the other, each made while the one before is written."""
    starts = range(0, frames, WINDOW_FRAMES)
    with ThreadPoolExecutor(1) as pool:
        coming = pool.submit(window, 0, min(WINDOW_FRAMES, frames)) if frames else None
        for start in starts:
            assert coming is not None
            block, after = coming.result(), start + WINDOW_FRAMES
            if after < frames:
                coming = pool.submit(window, after, min(WINDOW_FRAMES, frames - after))
            yield start, block


def write_sample(path: Path, audio: NDArray[np.float32], rate_hz: int) -> None:
    """A sample (frames, channels) as WAV: 24 bits, or floats where whole numbers would cut off what is over
    full scale.
    """
    over = float(np.abs(audio).max(initial=0.0)) > 1.0
    soundfile.write(path, audio, rate_hz, subtype="FLOAT" if over else "PCM_24", format="WAV")
