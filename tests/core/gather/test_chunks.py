"""What a file's header promises, against what it holds."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import soundfile

from nubrak.core.gather import inspect
from nubrak.core.gather.chunks import promised_frames

RATE_HZ = 44100
SOUND = 0.2 * np.random.default_rng(2).standard_normal(3 * RATE_HZ)


@pytest.mark.parametrize(
    ("form", "subtype"), [("WAV", "PCM_16"), ("WAV", "FLOAT"), ("RF64", "PCM_24"), ("AIFF", "PCM_16")]
)
@pytest.mark.parametrize("kept_bytes", [2000, 100_000])
def test_a_file_that_ends_before_its_header_says_so(
    tmp_path: Path, form: str, subtype: str, kept_bytes: int
) -> None:
    path = tmp_path / "take.wav"
    soundfile.write(path, SOUND, RATE_HZ, subtype, format=form)
    assert promised_frames(path) == len(SOUND) and inspect(path).notes == []
    path.write_bytes(path.read_bytes()[:kept_bytes])
    facts = inspect(path)
    assert 0 < facts.frames < len(SOUND)
    assert any("promises 3.0 s" in note and "were kept" in note for note in facts.notes)


def test_a_header_that_does_not_know_its_length_promises_nothing(tmp_path: Path) -> None:
    path = tmp_path / "stream.wav"
    soundfile.write(path, SOUND, RATE_HZ, "PCM_16")
    data = path.read_bytes()
    at = data.index(b"data") + 4
    for unknown in (0xFFFFFFFF, 0x7FFFFFFF, 0):
        path.write_bytes(data[:at] + unknown.to_bytes(4, "little") + data[at + 4 :])
        assert promised_frames(path) is None
    for form, subtype in (("FLAC", "PCM_16"), ("WAV", "IMA_ADPCM")):
        soundfile.write(path, SOUND, RATE_HZ, subtype, format=form)
        assert promised_frames(path) is None
