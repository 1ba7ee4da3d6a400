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
from nubrak.core.prints.bext import chunk, stamp
from nubrak.core.prints.files import Cancelled, PrintSettings, measured, print_file
from nubrak.core.problem import Problem
from nubrak.core.signal.dither import dithered


@pytest.mark.parametrize("bits", [16, 24])
@pytest.mark.parametrize("level", [0.0, 0.25, 0.5, 0.8])
def test_the_error_of_dither_does_not_depend_on_the_signal(bits: int, level: float) -> None:
    # Lipshitz et al.: with triangular dither of two steps the total error has no mean and a power of a
    # quarter of a step squared.
    steps = 1 << (bits - 1)
    audio = np.full((200_000, 1), (1000 + level) / steps)
    error = (dithered(audio.astype(np.float64), bits) >> (32 - bits))[:, 0] - (1000 + level)
    assert error.mean() == pytest.approx(0.0, abs=0.01) and error.var() == pytest.approx(0.25, rel=0.03)


def test_a_soft_tone_survives_sixteen_bits_without_harmonics() -> None:
    rate, count = 48000, 1 << 17
    hz = 1001 * rate / count
    # Under half a step: plain rounding would leave nothing.
    tone = 0.4 / 32768 * np.sin(2 * np.pi * hz * np.arange(count) / rate)
    made = (dithered(tone[:, None].astype(np.float32), 16) >> 16)[:, 0] / 32768
    spectrum = np.abs(np.fft.rfft(made)) * 2 / count
    assert spectrum[1001] == pytest.approx(0.4 / 32768, rel=0.05)
    floor = np.median(spectrum)
    assert all(spectrum[1001 * n] < 6 * floor for n in (2, 3, 4, 5))


def test_dither_is_the_same_however_the_file_is_cut_and_full_scale_is_kept() -> None:
    audio = np.random.default_rng(1).uniform(-1.2, 1.2, (150_000, 2)).astype(np.float32)
    whole = dithered(audio, 16)
    parts = [dithered(audio[a:b], 16, start=a) for a, b in ((0, 777), (777, 70_000), (70_000, 150_000))]
    assert np.array_equal(np.concatenate(parts), whole)
    assert (whole >> 16).max() == 32767 and (whole >> 16).min() == -32768


def test_the_broadcast_chunk_has_its_fields_where_the_standard_puts_them() -> None:
    # EBU Tech 3285: 256 + 32 + 32 + 10 + 8 bytes of text, then the time reference, the version, 64 bytes of
    # UMID, 190 in reserve.
    made = chunk(10 * 3600 * 48000 + 7, "The Moth and the Lamplighter", date="2026-11-25", time="10:00:00")
    assert made[:4] == b"bext" and struct.unpack("<I", made[4:8]) == (602,) and len(made) == 610
    body = made[8:]
    assert (
        body[:28] == b"The Moth and the Lamplighter"
        and body[256:262] == b"Nubrak"
        and body[320:330] == b"2026-11-25"
        and body[330:338] == b"10:00:00"
    )
    assert struct.unpack("<QH", body[338:348]) == (10 * 3600 * 48000 + 7, 1)


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


def test_what_is_over_full_scale_is_counted(tmp_path: Path) -> None:
    loud = np.zeros((1000, 2), np.float32)
    loud[10], loud[20, 0] = 1.5, -1.2
    said = print_file(tmp_path / "p", lambda start, frames: loud[start : start + frames], 1000, RATE)
    assert said.over == 3 and said.peak_db == pytest.approx(20 * np.log10(1.5))
