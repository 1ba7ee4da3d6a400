"""A packed kit comes back as it went, and what a zip holds beside samples does no harm."""

from __future__ import annotations

import zipfile
from pathlib import Path

import numpy as np
import pytest

from nubrak.core.gather import inspect
from nubrak.core.problem import Problem
from nubrak.core.samples import Instrument, Kit, Sample, louder_by
from nubrak.core.signal import db_to_gain
from nubrak.desk.desk import Desk
from nubrak.desk.kit_zip import arranged_zip
from nubrak.desk.samples import packed_kit
from nubrak.store.audio import put_audio
from tests.conftest import decaying_strokes, write_wav


def stored(desk: Desk, path: Path) -> str:
    return put_audio(desk.engine, path, path.name, inspect(path))


@pytest.fixture
def kit(desk: Desk, tmp_path: Path) -> Kit:
    soft, hard, opened = (
        write_wav(tmp_path / f"{name}.wav", decaying_strokes([0.02], [level], 0.4, seed=seed))
        for seed, (name, level) in enumerate((("soft", 0.2), ("hard", 0.7), ("open", 0.5)))
    )
    snare = Instrument(
        name="Paper snare",
        piece="snare",
        samples=[
            Sample(audio=stored(desk, soft), name="soft.wav", high_velocity=70, velocity=60, attack_s=0.02),
            Sample(audio=stored(desk, hard), name="hard.wav", low_velocity=71, velocity=120, attack_s=0.02),
        ],
    )
    hat = Instrument(
        name="Open hat",
        piece="hi-hat",
        key=46,
        silenced_by=[42],
        samples=[Sample(audio=stored(desk, opened), name="open.wav", attack_s=0.02)],
    )
    return Kit(name="Lantern kit", instruments={"s": snare, "h": hat})


def test_a_packed_kit_is_read_back(desk: Desk, kit: Kit) -> None:
    path = packed_kit(desk, kit)
    read = arranged_zip(desk, path, "Lantern kit.zip")
    path.unlink()
    assert not read.skipped
    by_piece = {one.piece: one for one in read.instruments}
    assert set(by_piece) == {"snare", "hi-hat"}
    snare, hat = by_piece["snare"], by_piece["hi-hat"]
    assert [(one.low_velocity, one.high_velocity) for one in snare.samples] == [(1, 70), (71, 127)]
    assert hat.key == 46
    for back, sent in zip(snare.samples, kit.instruments["s"].samples, strict=True):
        there, here = desk.cache.decoded(back.audio), desk.cache.decoded(sent.audio)
        louder_db = louder_by(kit)[sent.audio]
        assert len(there) == len(here)
        assert np.abs(there - here * db_to_gain(louder_db)).max() < 2**-22, "24 bits of it"
        # At the velocity that it was struck with, it is as loud as it was.
        heard_db = back.level_db + 40 * np.log10(sent.velocity / back.velocity) + louder_db
        assert heard_db == pytest.approx(sent.level_db, abs=0.01)
        assert back.attack_s == pytest.approx(sent.attack_s, abs=0.002)


def test_samples_without_a_text_are_arranged_by_name_and_what_is_odd_is_said(
    desk: Desk, tmp_path: Path
) -> None:
    wave = write_wav(tmp_path / "Clap.wav", decaying_strokes([0.02], [0.5], 0.4))
    path = tmp_path / "odd.zip"
    with zipfile.ZipFile(path, "w") as files:
        files.write(wave, "deep/in/Clap.wav")
        files.write(wave, "__MACOSX/deep/._Clap.wav")
        files.writestr("../../outside.wav", b"RIFF nothing")
        files.writestr("notes.txt", "not a sample")
    read = arranged_zip(desk, path, "odd.zip")
    assert [one.name for one in read.instruments] == ["Clap"]
    assert len(read.skipped) == 1 and "outside.wav" in read.skipped[0]
    assert not list(tmp_path.parent.rglob("outside.wav"))


@pytest.mark.parametrize("what", ["damaged", "cut", "empty"])
def test_what_is_no_kit_is_refused_and_leaves_nothing(
    desk: Desk, kit: Kit, tmp_path: Path, what: str
) -> None:
    path = tmp_path / "bad.zip"
    if what == "damaged":
        path.write_bytes(b"PK\x03\x04" + b"x" * 200)
    elif what == "cut":
        whole = packed_kit(desk, kit)
        path.write_bytes(whole.read_bytes()[:3000])
        whole.unlink()
    else:
        with zipfile.ZipFile(path, "w") as files:
            files.writestr("readme.txt", "nothing that sounds")
    before = set(desk.uploads.iterdir())
    with pytest.raises(Problem, match=r"bad\.zip"):
        arranged_zip(desk, path, "bad.zip")
    assert set(desk.uploads.iterdir()) == before
