"""`./nubrak convert` as a command line user meets it."""

from __future__ import annotations

import json
import subprocess
from collections import Counter
from pathlib import Path

import mido
import numpy as np

from nubrak.command.places import ROOT
from tests.conftest import RATE_HZ, decaying_strokes, kit_files, stamp_wave, write_wav
from tests.core.sort.made import beat, mixture


def convert(*words: str | Path) -> subprocess.CompletedProcess[str]:
    return subprocess.run([str(ROOT / "nubrak"), "convert", *map(str, words)], capture_output=True, text=True)


def test_a_kit_of_two_microphones(tmp_path: Path) -> None:
    times = {"kick": [0.5, 1.5, 2.5], "snare": [1.0, 2.0, 3.0]}
    own = {
        name: decaying_strokes(times[name], [0.8, 0.7, 0.75], 3.5, hz=hz, seed=seed)
        for seed, (name, hz) in enumerate((("kick", 60), ("snare", 190)))
    }
    for name, spill in (("kick", "snare"), ("snare", "kick")):
        # Each hears the other 2 ms later and 24 dB softer.
        late = np.concatenate([np.zeros(round(0.002 * RATE_HZ), np.float32), own[spill]])[: len(own[spill])]
        write_wav(tmp_path / f"{name}.wav", own[name] + 0.06 * late)
    done = convert(tmp_path / "kick.wav", tmp_path / "snare.wav", "--out", tmp_path / "out")
    assert done.returncode == 0, done.stderr
    found = json.loads((tmp_path / "out" / "hits.json").read_text())["sources"]
    assert [source["file"] for source in found] == ["kick.wav", "snare.wav"] and [
        source["piece"] for source in found
    ] == ["kick", "snare"]
    for source in found:
        assert np.allclose([hit["time_s"] for hit in source["hits"]], times[source["piece"]], atol=0.001)
        assert set(source["hits"][0]) == {
            "time_s",
            "piece",
            "note",
            "velocity",
            "level_db",
            "articulation",
            "group",
            "ghost",
            "doubt",
            "piece_doubt",
            "reason",
        }
    assert len(mido.MidiFile(tmp_path / "out" / "all.mid").tracks) == 3
    assert {path.name for path in (tmp_path / "out").iterdir()} == {
        "all.mid",
        "hits.json",
        "kick.mid",
        "snare.mid",
    }


def test_pieces_may_be_named_and_equal_names_do_not_overwrite(tmp_path: Path) -> None:
    (tmp_path / "b").mkdir()
    paths = [
        write_wav(tmp_path / where / "take.wav", decaying_strokes([0.2], [0.5], 0.6)) for where in ("", "b")
    ]
    done = convert(*paths, "--piece", "clap", "--piece", "conga", "--out", tmp_path / "o")
    assert done.returncode == 0 and {p.name for p in (tmp_path / "o").glob("*.mid")} == {
        "take.mid",
        "take_.mid",
        "all.mid",
    }
    assert [s["piece"] for s in json.loads((tmp_path / "o" / "hits.json").read_text())["sources"]] == [
        "clap",
        "conga",
    ]


def test_a_folder_of_microphones_is_paired_and_joined_and_every_hit_says_why(tmp_path: Path) -> None:
    files = kit_files(tmp_path)
    done = convert(*files, "--out", tmp_path / "out")
    assert done.returncode == 0, done.stderr
    found = {
        source["piece"]: source
        for source in json.loads((tmp_path / "out" / "hits.json").read_text())["sources"]
    }
    assert found["kick"]["files"] == ["Kick In.wav", "Kick Out.wav"] and found["crash"]["files"] == [
        "OH L.wav",
        "OH R.wav",
    ]
    assert np.allclose(
        [hit["time_s"] for hit in found["kick"]["hits"]], [0.3 + n for n in range(10)], atol=0.001
    )
    assert np.allclose(
        [hit["time_s"] for hit in found["snare"]["hits"]], [0.8 + n for n in range(10)], atol=0.001
    )
    assert all(
        hit["reason"].startswith("Counts") and 0 <= hit["doubt"] <= 0.5
        for source in found.values()
        for hit in source["hits"]
    )
    assert "Kick In.wav, Kick Out.wav: Kick, 10 hits" in done.stdout


def test_what_the_files_are_may_be_said(tmp_path: Path) -> None:
    loop = write_wav(tmp_path / "take.wav", decaying_strokes([0.2, 0.6, 1.0], [0.5, 0.5, 0.5], 1.6))
    for source_is, piece in (("loop", "loop"), ("mouth", "mouth"), ("hand", "else")):
        assert convert(loop, "--source-is", source_is, "--out", tmp_path / source_is).returncode == 0
        (source,) = json.loads((tmp_path / source_is / "hits.json").read_text())["sources"]
        # A moment may hold more than one piece.
        moments = sorted({round(hit["time_s"], 2) for hit in source["hits"]})
        assert source["piece"] == piece and np.allclose(moments, [0.2, 0.6, 1.0], atol=0.001)
    assert convert(loop, "--source-is", "trumpet", "--out", tmp_path / "x").returncode == 2


def test_stamped_files_keep_their_distance(tmp_path: Path) -> None:
    for name, stamp in (("kick.wav", 48000 * 36000), ("snare.wav", 48000 * 36000 + 24000)):
        write_wav(
            tmp_path / name,
            decaying_strokes(
                [0.3, 0.9], [0.6, 0.6], 1.5, rate_hz=48000, hz=60 if name == "kick.wav" else 190
            ),
            rate_hz=48000,
        )
        stamp_wave(tmp_path / name, stamp)
    assert convert(tmp_path / "kick.wav", tmp_path / "snare.wav", "--out", tmp_path / "out").returncode == 0
    found = {
        source["piece"]: [hit["time_s"] for hit in source["hits"]]
        for source in json.loads((tmp_path / "out" / "hits.json").read_text())["sources"]
    }
    assert np.allclose(found["kick"], [0.3, 0.9], atol=0.001) and np.allclose(
        found["snare"], [0.8, 1.4], atol=0.001
    )


def test_wrong_words_and_wrong_files(tmp_path: Path) -> None:
    good = write_wav(tmp_path / "kick.wav", decaying_strokes([0.2], [0.5], 0.6))
    bad = tmp_path / "bad.wav"
    bad.write_bytes(b"nothing")
    assert convert(tmp_path / "missing.wav", "--out", tmp_path / "o").returncode == 2
    assert convert(good, "--piece", "zither", "--out", tmp_path / "o").returncode == 2
    assert convert(good, "--piece", "kick", "--piece", "snare", "--out", tmp_path / "o").returncode == 2
    assert not (tmp_path / "o").exists()
    partly = convert(good, bad, "--out", tmp_path / "o")
    assert (
        partly.returncode == 1
        and "bad.wav" in partly.stderr
        and "It was left out" in partly.stderr
        and (tmp_path / "o" / "kick.mid").exists()
    )
    none = convert(bad, "--out", tmp_path / "p")
    assert none.returncode == 1 and "nothing was written" in none.stderr and not (tmp_path / "p").exists()


def test_files_belong_together_as_they_do_in_a_session(tmp_path: Path) -> None:
    midday = 48000 * 3600 * 12
    for name, seconds in (("Kick_01.wav", 0), ("Kick_02.wav", 20)):
        audio = decaying_strokes([0.3, 0.9], [0.6, 0.6], 1.5, rate_hz=48000, hz=60)
        stamp_wave(write_wav(tmp_path / name, audio, rate_hz=48000), midday + seconds * 48000)
    room = write_wav(tmp_path / "Room.wav", decaying_strokes([0.3], [0.2], 1.5, rate_hz=48000), rate_hz=48000)
    done = convert(tmp_path / "Kick_01.wav", tmp_path / "Kick_02.wav", room, "--out", tmp_path / "out")
    assert done.returncode == 0, done.stderr
    kick, heard = json.loads((tmp_path / "out" / "hits.json").read_text())["sources"]
    assert kick["files"] == ["Kick_01.wav", "Kick_02.wav"]
    assert np.allclose([hit["time_s"] for hit in kick["hits"]], [0.3, 0.9, 20.3, 20.9], atol=0.001)
    # A room is heard only: it plays no notes of its own.
    assert heard["piece"] == "room" and heard["hits"] == []
    assert {path.name for path in (tmp_path / "out").glob("*.mid")} == {"Kick_01.mid", "all.mid"}


def test_a_loop_is_written_as_the_pieces_that_play_it(tmp_path: Path) -> None:
    write_wav(tmp_path / "moth.wav", mixture(beat(), 4.0))
    done = convert(
        tmp_path / "moth.wav", "--source-is", "loop", "--channels", "each", "--out", tmp_path / "out"
    )
    assert done.returncode == 0, done.stderr
    (source,) = json.loads((tmp_path / "out" / "hits.json").read_text())["sources"]
    pieces = Counter(hit["piece"] for hit in source["hits"])
    assert (pieces["kick"], pieces["snare"], len(pieces)) == (4, 4, 3)
    assert 14 <= pieces["hi-hat"] <= 16, "one under a loud snare may be missed"
    times = [hit["time_s"] for hit in source["hits"]]
    assert times == sorted(times)
    hat = next(hit for hit in source["hits"] if hit["piece"] == "hi-hat")
    assert (hat["articulation"], hat["note"], hat["group"]) == ("closed", 42, "hi-hat/closed")
    assert 0 <= hat["doubt"] <= 1 and 0 <= hat["piece_doubt"] <= 1 and isinstance(source["doubtful"], list)
    # A track for each piece after the tempo's own, nothing twice, a channel each.
    file = mido.MidiFile(tmp_path / "out" / "all.mid")
    notes = [m for track in file.tracks for m in track if m.type == "note_on" and m.velocity]
    assert len(file.tracks) == 4
    assert Counter(m.note for m in notes) == {36: 4, 38: 4, 42: pieces["hi-hat"]}
    assert len({m.channel for m in notes}) == 3
    names = {path.name for path in (tmp_path / "out").iterdir()}
    assert names == {"all.mid", "hits.json", "moth_kick.mid", "moth_snare.mid", "moth_hi-hat.mid"}


def test_help_names_the_pieces_of_a_loop() -> None:
    said = " ".join(convert("--help").stdout.split())
    for name in ("side stick", "half open", "mid tom", "bell", "woodblock", "sound A"):
        assert name in said
