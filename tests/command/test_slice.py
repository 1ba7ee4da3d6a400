"""`./nubrak slice` as a command line user meets it."""

from __future__ import annotations

import json
import subprocess
from pathlib import Path

import mido
import numpy as np
import soundfile

from nubrak.command.places import ROOT
from nubrak.core.samples import read_sfz
from tests.conftest import RATE_HZ, write_wav
from tests.core.sort.made import beat, mixture


def cut_up(*words: str | Path) -> subprocess.CompletedProcess[str]:
    return subprocess.run([str(ROOT / "nubrak"), "slice", *map(str, words)], capture_output=True, text=True)


def test_a_loop_becomes_slices_that_replay_it_and_follow_another_tempo(tmp_path: Path) -> None:
    loop, out = mixture(beat(), 4.5), tmp_path / "out"
    write_wav(tmp_path / "moth.wav", loop)
    done = cut_up(tmp_path / "moth.wav", "--out", out, "--bpm", "120", "--to-bpm", "100")
    assert done.returncode == 0, done.stderr
    report = json.loads((out / "slices.json").read_text())
    assert report["bpm"] == 120 and len(report["slices"]) > 10
    assert {"kick", "snare"} <= {word for one in report["slices"] for word in one["struck"].split()}
    rebuilt, now = np.zeros(len(loop) + RATE_HZ), 0.0
    sounds = {(one["channel"], one["note"]): soundfile.read(out / one["file"])[0] for one in report["slices"]}
    for message in mido.MidiFile(out / "moth.mid"):
        now += message.time
        if message.type == "note_on" and message.velocity:
            sound = sounds[message.channel + 1, message.note]
            begin = round(now * RATE_HZ)
            rebuilt[begin : begin + len(sound)] += sound
    original = soundfile.read(tmp_path / "moth.wav")[0]
    assert np.abs(rebuilt[: len(original)] - original).max() < 10 ** (-90 / 20)
    assert len(read_sfz((out / "moth.sfz").read_text()).regions) == len(report["slices"])
    moved, rate_hz = soundfile.read(out / report["moved"])
    assert rate_hz == RATE_HZ and abs(len(moved) - len(original) * 1.2) <= 1


def test_by_the_grid_it_wants_a_tempo_and_bad_words_are_answered(tmp_path: Path) -> None:
    write_wav(tmp_path / "one.wav", mixture(beat()[:1], 1.0))
    done = cut_up(tmp_path / "one.wav", "--out", tmp_path / "out", "--by", "1/16")
    assert done.returncode == 1 and "--bpm" in done.stderr and not (tmp_path / "out").exists()
    assert cut_up(tmp_path / "one.wav", "--out", tmp_path / "out", "--by", "1/7").returncode == 2
    assert cut_up(tmp_path / "none.wav", "--out", tmp_path / "out").returncode == 2
    (tmp_path / "text.wav").write_text("no sound")
    done = cut_up(tmp_path / "text.wav", "--out", tmp_path / "out")
    assert done.returncode == 1 and "could not be read" in done.stderr and "Traceback" not in done.stderr
    done = cut_up(
        tmp_path / "one.wav", "--out", tmp_path / "grid", "--by", "1/8 triplets", "--bpm", "120", "--matched"
    )
    assert done.returncode == 0, done.stderr
    assert len(json.loads((tmp_path / "grid" / "slices.json").read_text())["slices"]) >= 5
