"""`./nubrak kit` as a command line user meets it."""

from __future__ import annotations

import json
import re
import subprocess
from pathlib import Path

import numpy as np
import soundfile

from nubrak.command.places import ROOT
from nubrak.core.samples import read_sfz
from tests.conftest import RATE_HZ, kit_files, write_wav


def made(*words: str | Path) -> subprocess.CompletedProcess[str]:
    return subprocess.run([str(ROOT / "nubrak"), "kit", *map(str, words)], capture_output=True, text=True)


def test_microphones_become_a_playable_kit_with_aligned_layers(tmp_path: Path) -> None:
    files, out = kit_files(tmp_path), tmp_path / "out"
    done = made(*files, "--out", out, "--name", "lamplit drums", "--microphones", "all")
    assert done.returncode == 0, done.stderr
    report = {one["piece"]: one for one in json.loads((out / "kit.json").read_text())["pieces"]}
    assert report["kick"]["strokes"] == report["snare"]["strokes"] == 10
    assert all("alone for" in one["reason"] for one in report["snare"]["samples"])
    texts = {path.name: path.read_text() for path in out.glob("*.sfz")}
    assert set(texts) == {"lamplit drums close.sfz", "lamplit drums overheads.sfz"}
    for text in texts.values():
        keys = re.findall(r"key=(\d+)", text)
        assert {"36", "38"} <= set(keys)
        for region in read_sfz(text).regions:
            audio, rate_hz = soundfile.read(out / region.sample)
            assert rate_hz == RATE_HZ and np.abs(audio).max() > 0.05
    close = soundfile.read(out / "close" / next(p.name for p in (out / "close").glob("Kick*")))[0]
    over = soundfile.read(out / "overheads" / next(p.name for p in (out / "overheads").glob("Kick*")))[0]
    assert len(close) == len(over), "cut out at one place"
    # the overheads hear the kick 5 ms later, as they did (kit_files)
    first = [int(np.argmax(np.abs(np.atleast_2d(x.T)[0]) > 0.05 * np.abs(x).max())) for x in (close, over)]
    assert abs((first[1] - first[0]) / RATE_HZ - 0.005) < 0.001


def test_what_cannot_be_a_kit_says_so(tmp_path: Path) -> None:
    write_wav(tmp_path / "kick.wav", np.zeros(RATE_HZ, np.float32))
    done = made(tmp_path / "kick.wav", "--out", tmp_path / "out")
    assert done.returncode == 1 and "Record more strokes" in done.stderr and not (tmp_path / "out").exists()
    assert made(tmp_path / "kick.wav", "--out", tmp_path / "o", "--microphones", "some").returncode == 2
    assert made(tmp_path / "none.wav", "--out", tmp_path / "o").returncode == 2
