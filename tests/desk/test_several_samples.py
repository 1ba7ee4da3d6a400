"""Several sample files in one request."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
import soundfile

from nubrak.core.problem import Problem
from nubrak.core.samples import arranged
from nubrak.desk.desk import Desk
from nubrak.desk.several_samples import take_several
from tests.conftest import decaying_strokes


def _body(path: Path, files: list[tuple[str, bytes]], sizes: list[int] | None = None) -> Path:
    sizes = sizes or [len(data) for _, data in files]
    heads = [{"name": name, "size": size} for (name, _), size in zip(files, sizes, strict=True)]
    path.write_bytes(json.dumps(heads).encode() + b"\n" + b"".join(data for _, data in files))
    return path


def _wav(path: Path, seed: int) -> bytes:
    sound = decaying_strokes([0.01], [0.5], 0.3, hz=150 + 60 * seed, seed=seed).astype(np.float32)
    soundfile.write(path, sound, 44100)
    return path.read_bytes()


def test_all_come_in_with_their_folders_and_what_is_no_sample_is_named(desk: Desk, tmp_path: Path) -> None:
    good = [(f"Straße/Döner {k}.wav", _wav(tmp_path / "a.wav", k)) for k in range(3)]
    files = [good[0], ("Straße/notes.wav", b"no audio"), good[1], ("empty.wav", b""), good[2]]
    came = take_several(desk, _body(tmp_path / "body", files))
    assert [one.name for one in came.arrived] == [name for name, _ in good]
    assert ["notes.wav" in came.refused[0], "empty.wav" in came.refused[1]] == [True, True]
    assert all(desk.facts(one.audio).rate_hz == 44100 for one in came.arrived)
    assert [one.name for one in arranged(came.arrived)] == ["Döner 0", "Döner 1", "Döner 2"]


def test_one_that_is_cut_off_is_said_and_those_before_it_stay(desk: Desk, tmp_path: Path) -> None:
    files = [("a.wav", _wav(tmp_path / "a.wav", 1)), ("b.wav", _wav(tmp_path / "b.wav", 2)[:400])]
    came = take_several(desk, _body(tmp_path / "body", files, [len(files[0][1]), 50_000]))
    assert [one.name for one in came.arrived] == ["a.wav"] and "cut off" in came.refused[0]


@pytest.mark.parametrize("body", [b"", b"{}\nx", b'[{"name":"a"}]\nx', b"\xff\xfe"])
def test_a_body_without_names_is_refused_whole(desk: Desk, tmp_path: Path, body: bytes) -> None:
    (tmp_path / "body").write_bytes(body)
    with pytest.raises(Problem) as said:
        take_several(desk, tmp_path / "body")
    assert "Nothing was kept" in said.value.kept
