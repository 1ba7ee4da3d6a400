"""Time stamps in Broadcast Wave files (EBU Tech 3285), in large ones too (RF64, EBU Tech 3306)."""

from __future__ import annotations

import struct
from pathlib import Path

import numpy as np
import pytest
import soundfile

from nubrak.core.gather import time_stamp_s
from nubrak.core.gather.chunks import chunks_of
from nubrak.core.prints import bext
from nubrak.core.prints.bext import chunk

RATE_HZ = 48000


@pytest.mark.parametrize("form", ["WAV", "RF64"])
@pytest.mark.parametrize("frames", [1, 480, 481])
def test_a_stamped_file_says_its_moment_and_sounds_as_before(tmp_path: Path, form: str, frames: int) -> None:
    path = tmp_path / "stamped.wav"
    sound = np.random.default_rng(0).integers(-9000, 9000, frames).astype(np.int16)
    soundfile.write(path, sound, RATE_HZ, "PCM_16", format=form)
    assert time_stamp_s(path, RATE_HZ) is None
    bext.stamp(path, 3600 * RATE_HZ + 12345, "Act one, the lamplighter’s entrance")
    assert time_stamp_s(path, RATE_HZ) == pytest.approx(3600 + 12345 / RATE_HZ, abs=1e-9)
    with path.open("rb") as file:
        kinds = [one.kind for one in chunks_of(file)]
    assert kinds.index(b"bext") < kinds.index(b"data") and (form == "WAV" or kinds[0] == b"ds64")
    # libsndfile still reads it as what it is, to the last sample
    assert soundfile.info(path).format == form
    read, rate_hz = soundfile.read(path, dtype="int16")
    assert rate_hz == RATE_HZ and np.array_equal(read, sound)


def test_the_length_of_a_large_file_stands_where_the_standard_says(tmp_path: Path) -> None:
    path = tmp_path / "large.wav"
    soundfile.write(path, np.zeros(100, np.int16), RATE_HZ, "PCM_16", format="RF64")
    bext.stamp(path, 1, "")
    head = path.read_bytes()[:28]
    assert head[4:8] == b"\xff\xff\xff\xff" and head[12:16] == b"ds64"
    assert int.from_bytes(head[20:28], "little") == path.stat().st_size - 8


def test_what_is_no_wave_file_is_left_as_it_is(tmp_path: Path) -> None:
    path = tmp_path / "sound.flac"
    soundfile.write(path, np.zeros(100, np.int16), RATE_HZ, "PCM_16", format="FLAC")
    before = path.read_bytes()
    with pytest.raises(ValueError, match="only a RIFF or RF64"):
        bext.stamp(path, 1, "")
    assert path.read_bytes() == before and time_stamp_s(path, RATE_HZ) is None


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


def test_a_long_file_is_moved_on_block_by_block(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(bext, "_BLOCK_BYTES", 700)
    path = tmp_path / "long.wav"
    sound = np.random.default_rng(1).integers(-9000, 9000, 5000).astype(np.int16)
    soundfile.write(path, sound, RATE_HZ, "PCM_16")
    bext.stamp(path, 77, "")
    assert np.array_equal(soundfile.read(path, dtype="int16")[0], sound)
