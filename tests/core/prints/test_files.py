"""Dither by its statistics, the broadcast chunk read back, prints read back through libsndfile and against
the windows they are made of.
"""

from __future__ import annotations

import struct
from pathlib import Path

import numpy as np
import pytest
import soundfile

from nubrak.core.gather.read import inspect
from nubrak.core.prints.bext import stamp
from nubrak.core.prints.files import (
    WINDOW_FRAMES,
    Cancelled,
    PrintSettings,
    measured,
    print_file,
    write_sample,
)
from nubrak.core.problem import Problem


@pytest.mark.parametrize("frames", [1000, 1001])
def test_a_stamped_file_reads_as_before_and_at_its_time(tmp_path: Path, frames: int) -> None:
    audio = np.random.default_rng(2).uniform(-1, 1, (frames, 1))
    path = tmp_path / "a.wav"
    soundfile.write(str(path), audio, 44100, subtype="PCM_24")
    before, _ = soundfile.read(str(path))
    stamp(path, 36000 * 44100, "snare")
    after, _ = soundfile.read(str(path))
    assert (
        np.array_equal(before, after)
        and path.stat().st_size == struct.unpack("<I", path.read_bytes()[4:8])[0] + 8
    )
    assert inspect(path).stamp_s == pytest.approx(36000.0)
    with pytest.raises(ValueError, match="RIFF"):
        (tmp_path / "b.flac").write_bytes(b"fLaC" + bytes(40))
        stamp(tmp_path / "b.flac", 0, "")


RATE = 44100
SOUND = (0.4 * np.random.default_rng(5).standard_normal((700_000, 2))).clip(-0.98, 0.98).astype(np.float32)


def window(start: int, frames: int) -> np.ndarray:
    return SOUND[start : start + frames]


@pytest.mark.parametrize(
    ("form", "depth", "step"),
    [
        ("wav", "16", 2**-15),
        ("wav", "24", 2**-23),
        ("flac", "16", 2**-15),
        ("flac", "24", 2**-23),
        ("aiff", "24", 2**-23),
        ("aiff", "float", 1e-9),
    ],
)
def test_every_form_reads_back_as_what_was_heard(tmp_path: Path, form: str, depth: str, step: float) -> None:
    said = print_file(
        tmp_path / "p",
        window,
        len(SOUND),
        RATE,
        PrintSettings.model_validate({"form": form, "depth": depth}),
        3600.0,
        "moth",
    )
    read, rate = soundfile.read(str(tmp_path / "p"))
    assert (
        rate == RATE and read.shape == SOUND.shape and np.abs(read - SOUND).max() <= 1.6 * step
    )  # a step and a half is the most that dither moves
    assert (
        said.frames == len(SOUND)
        and said.over == 0
        and 10 ** (said.peak_db / 20) == pytest.approx(np.abs(SOUND).max())
    )
    assert said.loudness_lkfs == pytest.approx(measured(window, len(SOUND), RATE).loudness_lkfs, abs=0.01)
    assert (inspect(tmp_path / "p").stamp_s == pytest.approx(3600.0)) if form == "wav" else True


def test_another_rate_keeps_length_place_and_pass_band(tmp_path: Path) -> None:
    t = np.arange(5 * RATE) / RATE
    tone = (0.5 * np.sin(2 * np.pi * 1000 * t))[:, None].repeat(2, 1).astype(np.float32)
    click = tone * 0
    click[2 * RATE] = 0.9
    for name, sound in (("tone", tone), ("click", click)):
        settings = PrintSettings(rate_hz=48000, depth="float", channels="mono")
        print_file(
            tmp_path / name,
            lambda start, frames, sound=sound: sound[start : start + frames],
            len(sound),
            RATE,
            settings,
        )
    read, rate = soundfile.read(str(tmp_path / "tone"))
    assert rate == 48000 and read.shape == (5 * 48000,)
    at = np.arange(len(read)) / 48000
    assert np.abs(read - 0.5 * np.sin(2 * np.pi * 1000 * at))[1000:-1000].max() < 1e-5, (
        "in place and unchanged to 100 dB"
    )
    assert abs(int(np.argmax(np.abs(soundfile.read(str(tmp_path / "click"))[0]))) - 2 * 48000) <= 1


def test_a_print_that_is_cancelled_or_cannot_be_leaves_no_file(tmp_path: Path) -> None:
    with pytest.raises(Cancelled):
        print_file(tmp_path / "p", window, len(SOUND), RATE, go_on=lambda share: share < 0.5)
    with pytest.raises(Problem, match="whole numbers"):
        print_file(tmp_path / "p", window, len(SOUND), RATE, PrintSettings(form="flac", depth="float"))

    def full(start: int, frames: int) -> np.ndarray:
        if start:
            raise OSError(28, "No space left on device")
        return window(start, frames)

    with pytest.raises(Problem, match="disk is full"):
        print_file(tmp_path / "p", full, len(SOUND), RATE)
    assert list(tmp_path.iterdir()) == []


def test_every_window_is_asked_for_once_and_in_order(tmp_path: Path) -> None:
    asked: list[tuple[int, int]] = []

    def counted(start: int, frames: int) -> np.ndarray:
        asked.append((start, frames))
        return np.full((frames, 2), start / 1e9, np.float32)

    frames = 3 * WINDOW_FRAMES + 7
    print_file(tmp_path / "p", counted, frames, RATE, PrintSettings(depth="float"))
    assert asked == [(k * WINDOW_FRAMES, min(WINDOW_FRAMES, frames - k * WINDOW_FRAMES)) for k in range(4)]
    read, _ = soundfile.read(str(tmp_path / "p"), dtype="float32")
    firsts = [read[k * WINDOW_FRAMES, 0] for k in range(4)]
    assert np.allclose(firsts, [k * WINDOW_FRAMES / 1e9 for k in range(4)]) and len(read) == frames
    assert print_file(tmp_path / "empty", counted, 0, RATE).frames == 0


def test_what_is_over_full_scale_is_counted(tmp_path: Path) -> None:
    loud = np.zeros((1000, 2), np.float32)
    loud[10], loud[20, 0] = 1.5, -1.2
    said = print_file(tmp_path / "p", lambda start, frames: loud[start : start + frames], 1000, RATE)
    assert said.over == 3 and said.peak_db == pytest.approx(20 * np.log10(1.5))


def test_a_sample_over_full_scale_is_written_as_floats(tmp_path: Path) -> None:
    for peak, kept in ((0.9, "PCM_24"), (1.4, "FLOAT")):
        sound = np.array([[0.1], [peak], [-0.2]], np.float32)
        write_sample(tmp_path / "one.wav", sound, 44100)
        assert soundfile.info(tmp_path / "one.wav").subtype == kept
        np.testing.assert_allclose(soundfile.read(tmp_path / "one.wav")[0], sound[:, 0], atol=1e-6)
