"""Odd inputs: most get past the head of their format, and no reader answers with anything but a sentence."""

from __future__ import annotations

import struct
from pathlib import Path

import numpy as np
import pytest

from benchmarks.fuzz import tried
from benchmarks.fuzz.readers import readers
from nubrak.core.gather import inspect
from nubrak.core.gather.read import time_stamp_s
from nubrak.core.midi import read_midi
from nubrak.core.prints import read_hits
from nubrak.core.problem import Problem
from tests.conftest import write_wav


@pytest.mark.parametrize("name", list(readers()))
def test_what_they_are_made_from_is_whole_and_what_is_made_of_it_is_answered(
    name: str, tmp_path: Path
) -> None:
    reader = readers()[name]
    for whole in reader.whole:
        reader.read(whole, tmp_path / "whole")
    one = tried(name, seconds=300.0, seed=1, most=150)
    assert one.inputs == 150
    assert not one.faults, "\n".join(one.faults)
    assert one.read >= 5 or len(one.said) >= 5, "hardly any gets past its head"


def test_the_same_seed_makes_the_same_inputs() -> None:
    for reader in readers().values():
        first, second = (reader.mutate(reader.whole[0], np.random.default_rng(9)) for _ in range(2))
        assert first == second


def test_a_chunk_that_claims_gigabytes_is_not_read_into_memory(tmp_path: Path) -> None:
    path = write_wav(tmp_path / "a.wav", np.zeros(100, np.float32))
    data = path.read_bytes()
    claims = b"ds64" + struct.pack("<I", 0xFFFFFFF0) + struct.pack("<QQQ", 0, 0, 0)
    path.write_bytes(b"RF64" + data[4:12] + claims + data[12:])
    assert time_stamp_s(path, 44100) is None


def test_a_number_too_large_for_a_note_is_answered() -> None:
    note = '{"time": 0.5, "duration": 0, "value": 1' + "0" * 400 + ', "confidence": null}'
    lines = read_hits('{"annotations": [{"namespace": "note_midi", "data": [' + note + "]}]}")
    assert lines[0].note == 37


def test_what_is_no_file_at_all_is_a_sentence(tmp_path: Path) -> None:
    path = tmp_path / "a.wav"
    path.write_bytes(b"\0" * 100)
    with pytest.raises(Problem):
        inspect(path)
    with pytest.raises(Problem):
        read_midi(b"")
