"""Samples that come in: measured against known signals, arranged by names and levels."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest

from nubrak.core.samples.arrange import ArrivedSample, arranged, named
from nubrak.core.samples.kit import Measured


def arrived(name: str, loudness: float, **measured: float) -> ArrivedSample:
    known = {"length_s": 0.3, "peak_db": -3, "loudness_lkfs": loudness, "bright_hz": 900.0, **measured}
    return ArrivedSample(audio=name, name=name, attack_s=0.0, measured=Measured.model_validate(known))


@pytest.mark.parametrize(
    ("name", "stem", "strength", "turn", "number"),
    [
        ("kick_v2_rr3.wav", "kick", 2.0, 3, None),
        ("Snare-Soft-2.wav", "snare", 1.0, None, 2),
        ("RackTom ff 01.aif", "rack tom", 6.0, None, 1),
        ("snare 3 4.wav", "snare", 3.0, 4, None),
        ("tom2_vel100_take1.flac", "tom", 100.0, 1, 2),
        ("lantern box.wav", "lantern box", None, None, None),
        ("SD_Hit_010_RR2.wav", "sd", None, 2, 10),
        ("clap hit 3.wav", "clap", None, 3, None),
        ("kicks/07.wav", "07", None, None, None),
    ],
)
def test_names_say_strength_and_turn(
    name: str, stem: str, strength: float | None, turn: int | None, number: int | None
) -> None:
    found = named(name)
    assert (found.stem, found.strength, found.turn, found.number) == (stem, strength, turn, number)


def test_strengths_and_turns_by_name() -> None:
    files = [arrived(f"snare_v{v}_rr{r}.wav", -30 + 6 * v + 0.3 * r) for v in (1, 2, 3) for r in (1, 2)]
    [made] = arranged(files)
    assert made.piece == "snare" and len(made.samples) == 6
    assert [s.name for s in made.round_robin(1)] == ["snare_v1_rr1.wav", "snare_v1_rr2.wav"]
    assert [s.name for s in made.round_robin(127)] == ["snare_v3_rr1.wav", "snare_v3_rr2.wav"]
    ranges = sorted({(s.low_velocity, s.high_velocity) for s in made.samples})
    assert (
        ranges[0][0] == 1 and ranges[-1][1] == 127 and all(a[1] + 1 == b[0] for a, b in pairwise(ranges))
    ), "no gap, no overlap"
    # 6 dB under the loudest is 127 * 10 ** (-6 / 40) by the published law.
    assert {s.velocity for s in made.round_robin(1)} == {round(127 * 10 ** (-12 / 40))}


def test_plain_numbers_are_strengths_where_the_level_follows_them_and_turns_where_not() -> None:
    [rising] = arranged([arrived(f"kick {n}.wav", -40 + 5 * n) for n in range(1, 6)])
    assert len({(s.low_velocity, s.high_velocity) for s in rising.samples}) == 5
    [level] = arranged([arrived(f"kick {n}.wav", -20 + 0.5 * (n % 2)) for n in range(1, 6)])
    assert {(s.low_velocity, s.high_velocity) for s in level.samples} == {(1, 127)} and len(
        level.round_robin(64)
    ) == 5


def test_files_brought_to_one_level_share_the_range_evenly() -> None:
    [made] = arranged([arrived(f"clap {word}.wav", -20.0) for word in ("soft", "medium", "hard")])
    assert sorted({(s.low_velocity, s.high_velocity) for s in made.samples}) == [(1, 42), (43, 85), (86, 127)]
    assert [s.name for s in made.round_robin(10)] == ["clap soft.wav"] and {
        s.velocity for s in made.samples
    } == {127}


def test_a_folder_of_several_instruments_comes_apart() -> None:
    made = arranged(
        [arrived(f"{piece}/{piece} {n}.wav", -20.0) for piece in ("kick", "snare", "crash") for n in (1, 2)]
    )
    assert [(one.piece, len(one.samples)) for one in made] == [("crash", 2), ("kick", 2), ("snare", 2)]


def test_numbered_one_shots_that_do_not_sound_like_one_drum_stay_apart() -> None:
    rng = np.random.default_rng(5)
    files = [
        arrived(
            f"Kicks/Kick {k:03d}.wav",
            -12.0 + rng.uniform(-4, 4),
            fundamental_hz=float(rng.uniform(45, 75)),
            length_s=float(rng.uniform(0.15, 0.9)),
            bright_hz=float(rng.uniform(150, 900)),
        )
        for k in range(1, 41)
    ]
    made = arranged(files)
    assert [one.name for one in made] == [f"Kick {k:03d}" for k in range(1, 41)]
    assert {one.piece for one in made} == {"kick"}


@pytest.mark.parametrize("what", ["fundamental_hz", "length_s", "bright_hz"])
def test_toms_numbered_one_and_two_stay_apart_if_one_measure_tells_them(what: str) -> None:
    same = {"fundamental_hz": 90.0, "length_s": 0.5, "bright_hz": 400.0}
    other = same | {what: same[what] * 2.2}
    assert len(arranged([arrived("Tom 1.wav", -12, **same), arrived("Tom 2.wav", -12, **same)])) == 1
    assert len(arranged([arrived("Tom 1.wav", -12, **same), arrived("Tom 2.wav", -12, **other)])) == 2


def test_every_file_is_a_sound_of_its_own_where_that_is_chosen() -> None:
    files = [arrived(f"snare_v{v}_rr{r}.wav", -30 + 6 * v) for v in (1, 2, 3) for r in (1, 2)]
    made = arranged(files, each=True)
    assert [one.name for one in made] == [f"snare_v{v}_rr{r}" for v in (1, 2, 3) for r in (1, 2)]
    assert all({(s.low_velocity, s.high_velocity) for s in one.samples} == {(1, 127)} for one in made)


def test_names_keep_every_letter() -> None:
    files = [arrived(f"Döner_v{v}.wav", -30 + 6 * v) for v in (1, 2)] + [arrived("太鼓 大.wav", -12)]
    assert [one.name for one in arranged(files)] == ["Döner", "太鼓 大"]
