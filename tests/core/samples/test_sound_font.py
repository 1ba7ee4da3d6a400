"""Reading sound fonts: what zones add up to, what is left out, and what damaged files are told."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nubrak.core.problem import Problem
from nubrak.core.samples import read_sound_font
from nubrak.core.samples.sound_font import Generator as G
from tests.conftest import decaying_strokes
from tests.core.samples.fonts import MadeFont, span


def a_kit(vorbis: bool = False) -> MadeFont:
    font = MadeFont(vorbis)
    drum = font.sample("Paper drum", decaying_strokes([0.0], [0.5], 0.3, hz=180))
    edge = font.sample("Paper edge", decaying_strokes([0.0], [0.5], 0.2, hz=900))
    made = font.instrument(
        "Drum",
        {G.ATTENUATION: 50, G.PAN: 100},
        {G.KEYS: span(38, 40), G.VELOCITIES: span(0, 90), G.SAMPLE: drum, G.FINE_TUNE: 10},
        {G.KEYS: span(38, 40), G.VELOCITIES: span(91, 127), G.SAMPLE: edge, G.ATTENUATION: 20},
    )
    font.preset(
        "Paper kit",
        {G.FINE_TUNE: 5},
        {G.INSTRUMENT: made, G.KEYS: span(0, 38), G.ATTENUATION: 7, G.ROOT_KEY: 12},
    )
    font.preset("Strings", {G.INSTRUMENT: made}, bank=0)
    return font


def test_a_presets_zone_adds_to_its_instruments_and_ranges_meet() -> None:
    font = read_sound_font(a_kit().data)
    assert font.name == "Lanterns" and [one.name for one in font.samples] == ["Paper drum", "Paper edge"]
    (kit,) = font.kits  # the percussion bank alone
    assert kit.name == "Paper kit" and len(kit.regions) == 2
    soft, hard = kit.regions
    assert (soft.low_key, soft.high_key, soft.low_velocity, soft.high_velocity) == (38, 38, 1, 90)
    # The instrument's first zone stands for all that do not say it themselves; the preset's is added.
    assert soft.amount(G.ATTENUATION) == 57 and hard.amount(G.ATTENUATION) == 27
    assert soft.amount(G.PAN) == hard.amount(G.PAN) == 100
    assert soft.amount(G.FINE_TUNE) == 15 and hard.amount(G.FINE_TUNE) == 5
    assert soft.amount(G.ROOT_KEY) == -1, "which key a sample has is not a preset's to say"


@pytest.mark.parametrize("vorbis", [False, True])
def test_samples_sound_as_they_were_put_in(vorbis: bool) -> None:
    audio = decaying_strokes([0.0], [0.5], 0.3, hz=180)
    made = MadeFont(vorbis)
    made.preset("Kit", {G.INSTRUMENT: made.instrument("I", {G.SAMPLE: made.sample("One", audio)})})
    sound, _ = read_sound_font(made.data).frames(0)
    assert len(sound) == len(audio)
    assert np.corrcoef(sound, audio)[0, 1] > (0.97 if vorbis else 0.999999)
    assert np.abs(sound).max() == pytest.approx(np.abs(audio).max(), rel=0.2 if vorbis else 1e-3)


def test_what_is_left_out_is_said_and_twins_come_once() -> None:
    made = a_kit()
    made.instruments[0][1][1] |= {G.REVERB: 200, 6: 30}
    # From the modulation wheel to the pitch; and one of nothing, which switches a default off.
    made.modulators[1] = [(0x0081, 51, 50, 0, 0), (0x0102, 8, 0, 0x0D02, 0)]
    made.preset("Paper kit again", *made.presets[0][3], program=3)
    said = read_sound_font(made.data).skipped
    assert said == [
        "Left out: modulators (1 place).",
        "Left out: reverb (1 place).",
        "Left out: what sways in pitch (1 place).",
        "“Paper kit again” is the same as “Paper kit” and came in once.",
    ]


@pytest.mark.parametrize("kept", [0, 3, 11, 60, 200, 0.3, 0.7, 0.99])
def test_a_file_that_is_cut_off_is_refused(kept: float) -> None:
    data = a_kit().data
    with pytest.raises(Problem) as raised:
        read_sound_font(data[: int(kept * len(data)) if isinstance(kept, float) else kept])
    assert raised.value.kept == "Nothing was kept." and raised.value.todo


def test_what_names_something_that_is_not_there_is_refused() -> None:
    for zone in ({G.INSTRUMENT: 7}, {G.INSTRUMENT: 1}):
        made = a_kit()
        made.preset("Wrong", zone, program=1)
        with pytest.raises(Problem, match="instrument that is not there"):
            read_sound_font(made.data)
    made = a_kit()
    made.instrument("Wrong", {G.SAMPLE: 9})
    with pytest.raises(Problem, match="sample that is not there"):
        read_sound_font(made.data)


def test_a_font_without_drums_says_so() -> None:
    made = MadeFont()
    made.preset(
        "Strings", {G.INSTRUMENT: made.instrument("I", {G.SAMPLE: made.sample("S", np.ones(99))})}, bank=0
    )
    with pytest.raises(Problem, match="no drum kit"):
        read_sound_font(made.data)


@settings(max_examples=150, deadline=None)
@given(st.lists(st.tuples(st.integers(0, 2000), st.integers(0, 255)), min_size=1, max_size=12))
def test_whatever_is_broken_in_the_tables_is_a_problem_or_is_read(breaks: list[tuple[int, int]]) -> None:
    data = bytearray(a_kit().data)
    for back, value in breaks:
        data[-1 - back % min(len(data), 1200)] = value
    try:
        font = read_sound_font(bytes(data))
        for number in range(len(font.samples)):
            font.frames(number)
    except (Problem, ValueError):
        pass
