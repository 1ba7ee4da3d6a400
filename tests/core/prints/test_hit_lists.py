"""Notes of a part with everything that shapes them, note maps, hits as open lists, copies of one sound."""

from __future__ import annotations

import json

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nubrak.core.prints.hit_lists import COLUMNS, HitLine, read_hits, to_csv, to_jams, to_json
from nubrak.core.problem import Problem

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


def test_a_name_that_is_none_of_ours_stays_with_its_hits() -> None:
    table = "time_s,piece,part\n0.5,Surdo,Row 3\n1.0,kick,Row 4\n1.5,Surdo,Row 3\n"
    lines = read_hits(table)
    assert [(one.piece, one.part) for one in lines] == [
        ("else", "Surdo"),
        ("kick", "Row 4"),
        ("else", "Surdo"),
    ]
    jams = {"annotations": [{"namespace": "onset", "sandbox": {"piece": "Surdo"}, "data": [{"time": 0.5}]}]}
    assert [(one.piece, one.part) for one in read_hits(json.dumps(jams))] == [("else", "Surdo")]


@pytest.mark.parametrize(
    "bad",
    [
        '{"hits": [{"time_s": ' + "1" * 5000 + "}]}",
        '{"hits": [{"time_s": NaN}]}',
        '{"hits": [{"time_s": 1, "velocity": Infinity}]}',
        '{"annotations": [{"namespace": "note_midi", "data": [{"time": NaN, "value": NaN}]}]}',
        '{"annotations": [{"namespace": "note_midi", "data": [{"time": 1, "value": 1e400}]}], "hits": 3}',
        '{"hits": ' + "[" * 100_000,
    ],
)
def test_numbers_that_are_none_are_refused_or_read_as_nothing(bad: str) -> None:
    try:
        assert [one.note for one in read_hits(bad)] == [37]
    except Problem as problem:
        assert problem.kept == "Nothing was changed."


def test_columns_of_a_table_are_those_of_a_hit() -> None:
    assert set(COLUMNS) == set(HitLine.model_fields)
    assert read_hits('{"annotations": 4}') == []
