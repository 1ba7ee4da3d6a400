"""SFZ: texts as other programs write them, what is left out named, and what we write read by a reader of its
own.
"""

from __future__ import annotations

import re

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from sfzlint.parser import validate_s

from nubrak.core.layer.plan import plan_layer
from nubrak.core.layer.settings import Layer
from nubrak.core.problem import Problem
from nubrak.core.samples.arrange import ArrivedSample
from nubrak.core.samples.kit import Instrument, Kit, Measured, Sample
from nubrak.core.samples.sfz import inside, instruments_of, keys_of, louder_by, read_sfz, write_sfz
from nubrak.core.shape.notes import Notes

MEASURED = Measured(length_s=0.3, peak_db=-3, loudness_lkfs=-20)


def files(*names: str) -> dict[str, ArrivedSample]:
    return {name: ArrivedSample(audio=name, name=name, attack_s=0.01, measured=MEASURED) for name in names}


TEXT = r"""
// the stage hands' snare
<control> default_path=Samples\
<global> ampeg_release=0.3 cutoff=4000
<group> key=38 lovel=1 hivel=63 seq_length=2
<region> seq_position=2 sample=Snare soft 2.wav volume=-3.5 tune=-20
<region> seq_position=1 sample=Snare soft 1.wav
<group> key=d2 lovel=64
<region> sample=sub/Snare hard.wav offset=441
ampeg_attack=0.002 ampeg_hold=0.1 ampeg_decay=0.5 ampeg_sustain=0
<group> key=46 group=2 off_by=1 /* the open hat
is silenced */ <region> sample=open.wav
<group> key=42 group=1
<region> sample=closed.wav
<region> sample=release.wav trigger=release
<region> sample=..\..\secret.wav
<region> sample=*sine
<region> sample=gone.wav
"""
FILES = files(
    "Samples/Snare soft 1.wav",
    "Samples/Snare soft 2.wav",
    "Samples/sub/Snare hard.wav",
    "Samples/open.wav",
    "Samples/closed.wav",
)


def test_the_common_subset_is_read_and_the_rest_is_named() -> None:
    read = read_sfz(TEXT)
    made = {one.key: one for one in instruments_of(read, FILES, dict.fromkeys(FILES, 44100))}
    assert set(made) == {38, 42, 46}, "d2 is 38 where c4 is 60"
    snare = made[38]
    assert snare.piece == "snare" and [s.name for s in snare.round_robin(40)] == [
        "Snare soft 1.wav",
        "Snare soft 2.wav",
    ]
    soft, [hard] = snare.round_robin(40)[1], snare.round_robin(100)
    assert (soft.level_db, soft.tune_semitones, soft.low_velocity, soft.high_velocity) == (-3.5, -0.2, 1, 63)
    assert (hard.begin_s, hard.attack_s, hard.attack_ms, hard.hold_ms, hard.decay_ms) == (
        0.01,
        0.01,
        2.0,
        100.0,
        500.0,
    )
    assert made[46].silenced_by == [42] and made[42].silenced_by == []
    said = " ".join(read.skipped)
    for word in ("cutoff", "release", "outside", "sine", "gone.wav"):
        assert word in said, word


@pytest.mark.parametrize(
    ("path", "plain"),
    [
        ("a/b.wav", "a/b.wav"),
        (r"a\..\b.wav", "b.wav"),
        ("../b.wav", None),
        (r"..\..\b.wav", None),
        ("/etc/b.wav", None),
        (r"C:\b.wav", None),
        ("a/../../b", None),
        ("a\0b", None),
    ],
)
def test_a_path_never_leads_out_of_its_folder(path: str, plain: str | None) -> None:
    assert inside(path) == plain


def test_a_text_without_regions_says_so() -> None:
    for text in ("", "hello", "<region>", "<group> key=3", "\0\0\0"):
        with pytest.raises(Problem, match="no region"):
            read_sfz(text)


@settings(max_examples=200, deadline=None)
@given(st.text(alphabet='<>=/\\*#regionsamplkyv.0123456789- \n"', max_size=300))
def test_any_text_is_read_or_refused_in_a_sentence(text: str) -> None:
    try:
        read = read_sfz("<region> sample=a.wav key=36 " + text)
        instruments_of(read, files("a.wav"), {"a.wav": 44100})
    except Problem as problem:
        assert problem.what


def test_what_is_written_reads_back_as_the_same_sound() -> None:
    kit = Kit(
        name="Stage",
        instruments={
            "s": Instrument(
                name="Bench snare",
                piece="snare",
                key=38,
                samples=[
                    Sample(
                        audio="a", low_velocity=1, high_velocity=60, velocity=45, attack_s=0.02, level_db=-2
                    ),
                    Sample(audio="b", low_velocity=1, high_velocity=60, velocity=45, tune_semitones=0.5),
                    Sample(
                        audio="c", low_velocity=61, high_velocity=127, velocity=110, hold_ms=50, decay_ms=300
                    ),
                ],
            ),
            "o": Instrument(
                name="Open", piece="hi-hat", key=46, silenced_by=[42], samples=[Sample(audio="d")]
            ),
            "h": Instrument(name="Closed", piece="hi-hat", samples=[Sample(audio="e")]),
        },
    )
    paths = {name: f"samples/{name} x.wav" for name in "abcde"}
    text = write_sfz(kit, paths, dict.fromkeys("abcde", 48000))
    # A reader of our own making would forgive our own mistakes: sfzlint's grammar reads it and its list of
    # opcodes knows each of them.
    complaints: list[tuple[str, str]] = []
    found = validate_s(text, err_cb=lambda kind, said, token, name: complaints.append((kind, said)))
    assert [said for kind, said in complaints if kind == "ERR"] == [] and len(found.regions) == 5
    assert found.regions[0]["sample"] == "samples/a x.wav" and float(found.regions[0]["hivel"]) == 60
    regions = [line for line in text.splitlines() if line.startswith("<region>")]
    assert len(regions) == 5 and all(re.search(r" sample=samples/\w x\.wav$", line) for line in regions)
    assert all(-144 <= float(re.search(r"volume=(\S+)", line)[1]) <= 6.0 for line in regions)  # type: ignore[index]
    assert "offset=936" in regions[0], "half a millisecond before the attack at 0.02 s of 48000 Hz"
    came = {
        path: ArrivedSample(audio=name, name=path, attack_s=0.02, measured=MEASURED)
        for name, path in paths.items()
    }
    back = {one.key: one for one in instruments_of(read_sfz(text), came, dict.fromkeys("abcde", 48000))}
    assert set(back) == {38, 46, 42} and back[46].silenced_by == [42]
    notes = Notes(np.arange(20) / 4, np.linspace(5, 127, 20).astype(np.int64), 38, 10, 0.5)
    ours, theirs = (
        plan_layer(Layer(instrument=one), notes, 48000) for one in (kit.instruments["s"], back[38])
    )
    assert [ours.samples[i].audio for i in ours.sample] == [theirs.samples[i].audio for i in theirs.sample]
    louder_db = np.array([louder_by(kit)[ours.samples[i].audio] for i in ours.sample])
    heard_db = 20 * np.log10(theirs.gain) + louder_db - 20 * np.log10(ours.gain)
    assert np.abs(heard_db).max() < 0.01, "with its files, the text is as loud as the kit"


@pytest.mark.parametrize("text", ["/*a", "/*a*/", "<a", "=", "<region>x=", "//", "/* <region> sample=x.wav"])
def test_four_megabytes_of_anything_are_read_in_one_pass(text: str) -> None:
    # Were it not one pass, this would take hours.
    with pytest.raises(Problem):
        read_sfz(text * (4_000_000 // len(text)))


def test_regions_inherit_what_is_understood_and_nothing_else() -> None:
    group = "<group>" + " ".join(f"of_ours_{number}=1" for number in range(20_000)) + " lovel=7\n"
    read = read_sfz(group + "<region> sample=a.wav key=36\n" * 3000)
    assert len(read.regions) == 3000
    assert all(set(one.opcodes) == {"sample", "key", "lovel"} for one in read.regions)
    assert len(read.skipped) == 201 and read.skipped[-1] == "19800 more things are left out."


def test_a_name_longer_than_any_file_system_takes_is_left_out() -> None:
    read = read_sfz(
        f"<control> default_path={'x' * 5000}/ <region> sample=a.wav <control> <region> sample=b.wav key=36"
    )
    assert [one.sample for one in read.regions] == ["b.wav"] and "too long" in read.skipped[0]


@pytest.mark.parametrize(
    "name", ["<group> key=1", "a // b", "/* c", "volume=12", "Döner 50 &amp; more", "x <region> sample=y.wav"]
)
def test_any_name_and_piece_comes_back_as_it_left(name: str) -> None:
    sounds = {"a": Instrument(name=name, piece="cowbell", samples=[Sample(audio="a", name="Kick 1.wav")])}
    text = write_sfz(Kit(name=name, instruments=sounds), {"a": "samples/Kick 1.wav"}, {"a": 48000})
    complaints: list[tuple[str, str]] = []
    validate_s(text, err_cb=lambda kind, said, token, name: complaints.append((kind, said)))
    assert [said for kind, said in complaints if kind == "ERR"] == []
    came = {"samples/Kick 1.wav": ArrivedSample(audio="a", name="k", attack_s=0.0, measured=MEASURED)}
    [back] = instruments_of(read_sfz(text), came, {"a": 48000})
    assert (back.name, back.piece) == (name, "cowbell")


def test_what_has_no_key_of_its_own_lands_on_no_other_drums() -> None:
    def one(name: str, piece: str, key: int | None = None) -> Instrument:
        return Instrument(name=name, piece=piece, key=key, samples=[Sample(audio="a")])

    kit = Kit(
        name="K",
        instruments={
            "c": one("Closed", "hi-hat", 42),
            "o": one("Open", "hi-hat", 46),
            "h": one("Half open", "hi-hat", 46),
            "x": one("Crash", "crash"),
            "s": one("Splash", "crash"),
            "t": one("Rack tom", "rack-tom"),
            "f": one("Floor tom", "floor-tom"),
            "g": one("Low floor tom", "floor-tom"),
        },
    )
    keys = keys_of(kit)
    # General MIDI Level 1 percussion key map (MMA): 41 to 50 are toms, hats and crash 1; 55 is the splash.
    assert keys["s"] == 55 and keys["g"] == 41 and len(set(keys.values())) == 8
    assert not 35 <= keys["h"] <= 57


def test_more_sounds_than_keys_are_refused_and_not_laid_over_each_other() -> None:
    every = {str(k): Instrument(name="x", piece="else", samples=[Sample(audio="a")]) for k in range(129)}
    with pytest.raises(ValueError, match="129"):
        keys_of(Kit(name="K", instruments=every))
    every.popitem()
    assert len(set(keys_of(Kit(name="K", instruments=every)).values())) == 128
