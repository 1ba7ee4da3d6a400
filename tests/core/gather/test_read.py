"""Reading audio. Written and read back through libsndfile by way of soundfile, and checked against the
samples put in.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import soundfile

from nubrak.core.gather import read
from nubrak.core.gather.read import audio_blocks, inspect, read_mono, time_stamp_s
from nubrak.core.problem import Problem
from tests.conftest import stamp_wave, write_wav


def tone(channels: int = 1, rate_hz: int = 44100, length_s: float = 0.5) -> np.ndarray:
    t = np.arange(round(length_s * rate_hz)) / rate_hz
    return np.stack([0.5 * np.sin(2 * np.pi * 440 * t + c) for c in range(channels)], axis=1).astype(
        np.float32
    )


@pytest.mark.parametrize(
    ("ending", "subtype", "tolerance"),
    [
        ("wav", "PCM_16", 2**-15),
        ("wav", "PCM_24", 2**-23),
        ("wav", "PCM_32", 2**-24),
        ("wav", "FLOAT", 0),
        ("wav", "DOUBLE", 0),
        ("aiff", "PCM_24", 2**-23),
        ("flac", "PCM_24", 2**-23),
        ("ogg", "VORBIS", 0.05),
        ("mp3", "MPEG_LAYER_III", 0.2),
    ],
)
def test_every_promised_format_is_read(tmp_path: Path, ending: str, subtype: str, tolerance: float) -> None:
    path = tmp_path / f"a.{ending}"
    soundfile.write(str(path), tone(), 44100, subtype=subtype)
    mono, rate_hz = read_mono(path)
    assert rate_hz == 44100
    assert len(mono) >= 22050
    if ending != "mp3":  # MP3 adds a delay of its own
        assert np.abs(mono[:22050] - tone()[:, 0]).max() <= tolerance


@pytest.mark.parametrize("rate_hz", [8000, 48000, 192000, 384000])
@pytest.mark.parametrize("channels", [1, 2, 8])
def test_rates_and_channel_counts(tmp_path: Path, rate_hz: int, channels: int) -> None:
    path = write_wav(tmp_path / "a.wav", tone(channels, rate_hz), rate_hz)
    facts = inspect(path)
    assert (facts.rate_hz, facts.channels, facts.frames) == (rate_hz, channels, rate_hz // 2)
    assert facts.peak == pytest.approx(0.5, abs=0.01)
    assert sum(len(block) for block in audio_blocks(path, block_frames=1000)) == facts.frames


def test_what_is_not_audio_is_refused_in_a_sentence(tmp_path: Path) -> None:
    empty, text = tmp_path / "empty.wav", tmp_path / "text.wav"
    empty.touch()
    text.write_text("these are not the strokes you are looking for")
    with pytest.raises(Problem, match="is empty"):
        inspect(empty)
    with pytest.raises(Problem, match="could not be read as audio"):
        inspect(text)


def test_no_samples_and_too_many_channels(tmp_path: Path) -> None:
    with pytest.raises(Problem, match="holds no samples"):
        inspect(write_wav(tmp_path / "none.wav", np.zeros((0, 1), np.float32)))
    with pytest.raises(Problem, match="64 channels"):
        inspect(write_wav(tmp_path / "many.wav", np.zeros((100, 64), np.float32)))


def test_rates_out_of_range(tmp_path: Path) -> None:
    with pytest.raises(Problem, match="sample rate of 4000 Hz"):
        inspect(write_wav(tmp_path / "slow.wav", tone(rate_hz=4000), 4000))


def test_a_file_cut_off_keeps_what_is_there_and_says_so(tmp_path: Path) -> None:
    path = write_wav(tmp_path / "whole.wav", tone(length_s=2.0), subtype="PCM_16")
    cut = tmp_path / "cut.wav"
    cut.write_bytes(path.read_bytes()[:50_000])
    facts = inspect(cut)
    assert 24_000 < facts.frames <= 25_000
    mono, _ = read_mono(cut)
    assert np.abs(mono - tone(length_s=2.0)[: len(mono), 0]).max() < 1e-3


def test_what_would_fill_the_disk_when_it_is_unpacked_is_refused_while_it_is_read(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(read, "MOST_SAMPLES", 3 * 44100)
    path = tmp_path / "packed.flac"
    soundfile.write(str(path), np.zeros((44100, 2)), 44100)
    assert inspect(path).frames == 44100
    soundfile.write(str(path), np.zeros((2 * 44100, 2)), 44100)
    with pytest.raises(Problem, match="when it is unpacked"):
        inspect(path)


def test_what_says_beforehand_that_it_is_too_long_is_not_unpacked(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "packed.flac"
    soundfile.write(str(path), np.zeros(3 * 44100), 44100)
    monkeypatch.setattr(read, "LONGEST_S", 2.0)
    monkeypatch.setattr(
        soundfile.SoundFile, "read", lambda *_, **__: pytest.fail("it was read to find out how long it is")
    )
    with pytest.raises(Problem, match="is longer than"):
        inspect(path)


def test_silence_and_numbers_that_are_none(tmp_path: Path) -> None:
    assert "silent" in " ".join(inspect(write_wav(tmp_path / "s.wav", np.zeros((4410, 1), np.float32))).notes)
    broken = tone()
    broken[100] = np.nan
    broken[200] = np.inf
    path = write_wav(tmp_path / "n.wav", broken, subtype="FLOAT")
    facts = inspect(path)
    assert "2 samples were not numbers" in " ".join(facts.notes)
    mono, _ = read_mono(path)
    assert np.isfinite(mono).all() and mono[100] == 0 and mono[200] == 0


@pytest.mark.parametrize("odd", [False, True])
def test_the_time_reference_is_read_as_the_standard_lays_it_down(tmp_path: Path, odd: bool) -> None:
    path = tmp_path / "kick.wav"
    write_wav(path, np.full(4800, 0.1, np.float32), rate_hz=48000)
    plain = path.read_bytes()
    stamp_wave(path, 48000 * 36000 + 24000, odd)
    assert inspect(path).stamp_s == 36000.5
    path.write_bytes(plain)
    stamp_wave(path, 0)
    assert inspect(path).stamp_s is None  # no recorder starts at midnight by chance; an unset field reads 0
    path.write_bytes(plain)
    stamp_wave(path, 1 << 63)
    assert inspect(path).stamp_s is None
    path.write_bytes(b"RIFF\x10\0\0\0WAVEbext\xff\xff\0\0cut")
    assert time_stamp_s(path, 48000) is None


@pytest.mark.parametrize(("right", "cancels"), [(-1.0, True), (-0.5, False), (1.0, False)])
def test_channels_that_cancel_each_other_are_said_and_the_first_is_heard(
    tmp_path: Path, right: float, cancels: bool
) -> None:
    left = tone()[:, 0]
    path = tmp_path / "turned.wav"
    soundfile.write(path, np.stack([left, right * left], axis=1), 44100, subtype="FLOAT")
    facts, (mono, _) = inspect(path), read_mono(path)
    assert facts.cancels == cancels == any("cancel" in note for note in facts.notes)
    assert np.allclose(mono, left if cancels else (1 + right) / 2 * left)
