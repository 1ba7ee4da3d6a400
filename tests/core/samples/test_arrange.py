"""Samples that come in: measured against known signals, arranged by names and levels."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest

from nubrak.core.samples.arrange import ArrivedSample, arranged, named
from nubrak.core.samples.kit import Instrument, Measured, Sample
from nubrak.core.samples.measure import attack_of, character, measure

RATE = 48000


def stroke(
    hz: float, decay_s: float = 0.15, silence_s: float = 0.0, sign: int = 1, level: float = 0.5
) -> np.ndarray:
    t = np.arange(round(RATE * 1.5)) / RATE
    body = sign * level * np.sin(2 * np.pi * hz * t) * np.exp(-t / decay_s)
    return np.concatenate([np.zeros(round(silence_s * RATE)), body]).astype(np.float32)[:, None]


@pytest.mark.parametrize("hz", [41.0, 55.0, 110.0, 196.0, 440.0])
@pytest.mark.parametrize("sign", [1, -1])
def test_pitch_polarity_length_and_peak_of_a_known_stroke(hz: float, sign: int) -> None:
    audio = stroke(hz, silence_s=0.02, sign=sign)
    attack_s = attack_of(audio[:, 0], RATE)
    assert attack_s == pytest.approx(0.02, abs=0.002)
    found = measure(audio, attack_s, RATE)
    assert found.fundamental_hz == pytest.approx(hz, rel=0.015)
    assert found.first_half_wave == sign
    assert found.length_s == pytest.approx(0.15 * np.log(1000), rel=0.1)  # 60 dB are a factor of 1000
    assert found.peak_db == pytest.approx(20 * np.log10(np.abs(audio).max()), abs=0.01)


def test_noise_has_no_pitch_and_loudness_follows_level() -> None:
    rng = np.random.default_rng(1)
    noise = (
        0.3 * rng.standard_normal((RATE // 2, 2)) * np.exp(-np.arange(RATE // 2) / 4000)[:, None]
    ).astype(np.float32)
    loud, soft = measure(noise, 0.0, RATE), measure(noise / 2, 0.0, RATE)
    assert loud.fundamental_hz is None
    assert loud.loudness_lkfs - soft.loudness_lkfs == pytest.approx(6.02, abs=0.05)
    assert loud.bright_hz == pytest.approx(RATE / 4, rel=0.15), "white noise is centred in its band"


def test_of_two_modes_the_lower_is_the_pitch_not_what_they_have_in_common() -> None:
    both = stroke(186.0) + stroke(331.0)  # a common period would be near 37 Hz
    assert measure(both, 0.0, RATE).fundamental_hz == pytest.approx(186, rel=0.02)


def test_words_of_character_follow_the_measures() -> None:
    deep = Instrument(
        name="x", piece="kick", samples=[Sample(audio="a", measured=measure(stroke(50.0), 0.0, RATE))]
    )
    assert {"deep", "dark", "tuned"} <= set(character(deep))


def arrived(name: str, loudness: float) -> ArrivedSample:
    return ArrivedSample(
        audio=name,
        name=name,
        attack_s=0.0,
        measured=Measured(length_s=0.3, peak_db=-3, loudness_lkfs=loudness),
    )


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
