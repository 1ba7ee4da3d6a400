"""Notes of a part with everything that shapes them, note maps, hits as open lists, copies of one sound."""

from __future__ import annotations

import csv
import json
from io import StringIO

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nubrak.core.decide.settings import FindSettings, Mark
from nubrak.core.find.search import find_candidates
from nubrak.core.flow import PartInput, decide_alone
from nubrak.core.pieces.catalogue import PIECES
from nubrak.core.pieces.note_map import GENERAL_MIDI, NoteMap, from_text, to_text
from nubrak.core.prints.hit_lists import COLUMNS, HitLine, read_hits, to_csv, to_jams, to_json
from nubrak.core.problem import Problem
from nubrak.core.shape.notes import PatternNote, ShapeSettings, shape
from nubrak.core.shape.steps import SetTo
from nubrak.core.shape.timing import Quantise, Timing
from nubrak.core.sort.sameness import same_sounds
from nubrak.core.spill.ringing import rings_s
from nubrak.core.tempo.grid import Grid
from nubrak.core.tempo.tempo_map import Tempo
from tests.conftest import RATE_HZ, decaying_strokes

TIMES = [0.5, 1.02, 1.49, 2.03, 2.5, 2.98]
AUDIO = decaying_strokes(TIMES, [0.5, 0.25, 0.5, 0.3, 0.5, 0.28], length_s=4.0)
FOUND = find_candidates(AUDIO, RATE_HZ)
TEMPO = Tempo(bpm=120)


def shaped(settings_: ShapeSettings, marks: list[Mark] | None = None, **more: object) -> object:
    part = PartInput("Snare", "snare", FOUND, FindSettings(), marks or [])
    return shape(decide_alone(part), settings_, part.marks, PIECES["snare"], TEMPO, **more)  # type: ignore[arg-type]


def test_by_hand_wins_over_curve_steps_and_timing() -> None:
    strict = ShapeSettings(
        steps=[SetTo(kind="set", velocity=80)], timing=Timing(quantise=Quantise(grid=Grid(step=8)))
    )
    mark = Mark(kind="keep", time_s=1.02, velocity=33, note=40, note_s=1.1)
    made = shaped(strict, [mark])
    assert made.velocity.tolist() == [80, 33, 80, 80, 80, 80]
    assert made.time_s.tolist() == pytest.approx([0.5, 1.1, 1.5, 2.0, 2.5, 3.0], abs=1e-4)
    assert made.numbers.tolist() == [38, 40, 38, 38, 38, 38]


def test_as_played_the_notes_stand_on_the_strokes() -> None:
    made = shaped(ShapeSettings())
    assert made.time_s.tolist() == pytest.approx(TIMES, abs=0.0003)
    assert made.velocity[0] == pytest.approx(115, abs=2) and made.velocity[1] == pytest.approx(
        115 / 2**0.5, abs=3
    )  # 6 dB softer


def test_pattern_notes_stand_among_the_recorded_ones() -> None:
    made = shaped(
        ShapeSettings(),
        pattern=[PatternNote(time_s=1.25, velocity=50), PatternNote(time_s=3.5, velocity=60, note=37)],
        mapped=41,
    )
    assert len(made.time_s) == 8 and np.all(np.diff(made.time_s) > 0)
    assert (
        sorted(made.row.tolist())[:2] == [-2, -1]
        and made.number == 41
        and made.numbers.tolist() == [41] * 7 + [37]
    )


def test_lengths_follow_the_next_note_or_the_ring() -> None:
    following = shaped(ShapeSettings(length="next", length_beats=1))
    assert following.length_s[:-1].tolist() == pytest.approx(
        np.diff(following.time_s).tolist()
    ) and following.length_s[-1] == pytest.approx(0.5)
    t = np.arange(2 * RATE_HZ) / RATE_HZ
    ringing = np.where(t >= 0.2, np.exp(-(t - 0.2) / 0.1) * np.sin(2 * np.pi * 300 * t), 0).astype(np.float32)
    found = find_candidates(ringing, RATE_HZ)
    # 30 dB down is ln(10^1.5) time constants later: 0.345 s.
    assert rings_s(found.band_envelope, np.array([0.2]), PIECES["snare"])[0] == pytest.approx(0.345, abs=0.03)


def test_general_midi_names_and_octaves() -> None:
    # General MIDI Level 1 percussion key map (MMA), first, last and some between.
    wanted = {
        35: "Acoustic bass drum",
        38: "Acoustic snare",
        42: "Closed hi-hat",
        46: "Open hi-hat",
        49: "Crash cymbal 1",
        51: "Ride cymbal 1",
        56: "Cowbell",
        70: "Maracas",
        81: "Open triangle",
    }
    assert (
        {key: GENERAL_MIDI[key] for key in wanted} == wanted
        and min(GENERAL_MIDI) == 35
        and max(GENERAL_MIDI) == 81
    )


def test_a_note_map_goes_out_and_comes_back() -> None:
    own = NoteMap(name="Workshop, left hand", notes={"kick": 24, "hi-hat": 61})
    again, skipped = from_text(to_text(own))
    assert again == own and skipped == []
    assert own.number_of("kick") == 24 and own.number_of("snare") == 38
    assert next(iter(csv.reader(StringIO(to_text(own))))) == ["piece", "note", "name"]
    odd, skipped = from_text("piece,note\nkick,35\ngong,3\nsnare,x\nride,200\n")
    assert odd.notes == {"kick": 35} and len(skipped) == 3 and "gong" in skipped[0]
    for bad in ("", "a,b\n1,2", '"', "x" * 300_000):
        with pytest.raises(Problem):
            from_text(bad)


LINES = st.lists(
    st.builds(
        HitLine,
        part=st.text(st.characters(codec="utf-8", exclude_categories=["Cs", "Cc"]), min_size=1, max_size=20),
        piece=st.sampled_from(["kick", "snare"]),
        time_s=st.floats(0, 9000),
        note_time_s=st.floats(0, 9000),
        velocity=st.integers(1, 127),
        note=st.integers(0, 127),
        strength_db=st.none() | st.floats(-90, 0),
        doubt=st.none() | st.floats(0, 1),
    ),
    min_size=1,
    max_size=12,
)


@settings(max_examples=60, deadline=None)
@given(LINES)
def test_lists_come_back_as_they_left(lines: list[HitLine]) -> None:
    assert read_hits(to_csv(lines)) == lines
    assert read_hits(to_json(lines, "Act one", 60.0)) == lines
    assert sorted(read_hits(to_jams(lines, "Act one", 60.0)), key=str) == sorted(lines, key=str)


def test_a_jams_file_has_what_its_format_asks_for() -> None:
    line = HitLine(part="Kick", piece="kick", time_s=1.5, note_time_s=1.5, velocity=99, note=36, doubt=0.25)
    made = json.loads(to_jams([line], "Act one", 60.0))
    # Humphrey et al. 2014: annotations with metadata, namespace and observations of time, duration, value and
    # confidence.
    assert set(made) == {"annotations", "file_metadata", "sandbox"}
    assert made["file_metadata"]["duration"] == 60.0 and {"title", "jams_version", "identifiers"} <= set(
        made["file_metadata"]
    )
    annotation = made["annotations"][0]
    assert annotation["namespace"] == "note_midi" and {
        "annotation_metadata",
        "sandbox",
        "data",
        "time",
        "duration",
    } <= set(annotation)
    assert annotation["data"] == [{"time": 1.5, "duration": 0.0, "value": 36.0, "confidence": 0.75}]


def test_onsets_annotated_elsewhere_are_taken_in() -> None:
    onsets = {"namespace": "onset", "data": [{"time": 0.5, "duration": 0, "value": None, "confidence": None}]}
    other = {"annotations": [onsets, {"namespace": "chord", "data": []}], "file_metadata": {}}
    lines = read_hits(json.dumps(other))
    assert len(lines) == 1 and lines[0].time_s == 0.5


@pytest.mark.parametrize(
    "bad",
    [
        "",
        "{",
        "{}",
        '{"hits": 3}',
        "a,b\n1,2\n",
        "time_s\n-4\n",
        "time_s,velocity\n1,400\n",
        '{"hits": [3]}',
        '{"hits": [{"time_s": "soon"}]}',
    ],
)
def test_lists_that_are_none_are_refused_in_a_sentence(bad: str) -> None:
    with pytest.raises(Problem, match="Nothing was changed"):
        read_hits(bad)


def test_columns_of_a_table_are_those_of_a_hit() -> None:
    assert set(COLUMNS) == set(HitLine.model_fields)
    assert read_hits('{"annotations": 4}') == []


def test_programmed_drums_null_and_played_ones_do_not() -> None:
    rng = np.random.default_rng(6)
    t = np.arange(round(0.25 * RATE_HZ)) / RATE_HZ
    sounds = [
        np.exp(-t / 0.03) * (rng.standard_normal(len(t)) * np.exp(-t / 0.01) + np.sin(2 * np.pi * hz * t))
        for hz in (180.0, 205.0)
    ]
    times = np.arange(16) * 0.3 + 0.2
    out = rng.standard_normal(round(5.5 * RATE_HZ)) * 1e-5
    which = rng.integers(0, 2, 16)
    for at, sound, velocity in zip(times, which, rng.uniform(0.2, 0.8, 16), strict=True):
        # At ticks, which rarely fall on samples: shifted by a part of one.
        begin = at * RATE_HZ
        spectrum = np.fft.rfft(sounds[sound], 2 * len(t)) * np.exp(
            -2j * np.pi * np.arange(len(t) + 1) / (2 * len(t)) * (begin % 1)
        )
        piece = np.fft.irfft(spectrum)[: len(t)]
        out[int(begin) : int(begin) + len(t)] += velocity * piece
    found = same_sounds(out.astype(np.float32), times, RATE_HZ)
    assert found.programmed and np.all(found.group >= 0)
    assert len(set(zip(which.tolist(), found.group.tolist(), strict=True))) == 2
    assert np.median(found.residual_db[found.residual_db > -119]) < -40
    played = np.concatenate(
        [
            np.random.default_rng(n).standard_normal(round(0.3 * RATE_HZ))
            * np.exp(-np.arange(round(0.3 * RATE_HZ)) / RATE_HZ / 0.03)
            for n in range(12)
        ]
    )
    alive = same_sounds(played.astype(np.float32), np.arange(12) * 0.3, RATE_HZ)
    assert not alive.programmed and np.all(alive.group < 0)
    assert not same_sounds(out.astype(np.float32), times[:1], RATE_HZ).programmed
