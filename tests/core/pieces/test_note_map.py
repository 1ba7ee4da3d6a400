"""Note maps as tables: what is written is read back, and what is no table is refused in a sentence."""

from __future__ import annotations

import csv
from io import StringIO

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nubrak.core.pieces.catalogue import PIECES, kinds_apart
from nubrak.core.pieces.note_map import GENERAL_MIDI, NoteMap, from_text, to_text
from nubrak.core.problem import Problem

names = (
    st.text(min_size=1, max_size=80)
    .map(str.strip)
    .filter(lambda name: name and name.isprintable() and len(name) <= 80)
)


@given(names, st.dictionaries(st.sampled_from(sorted(PIECES)), st.integers(0, 127)))
def test_a_map_comes_back_from_its_table(name: str, notes: dict[str, int]) -> None:
    written = NoteMap(name=name, notes=notes)
    read, skipped = from_text(to_text(written))
    assert not skipped and read.name == name
    assert all(read.number_of(piece) == written.number_of(piece) for piece in PIECES)


def test_the_table_is_plain_csv_with_the_names_of_general_midi() -> None:
    rows = list(csv.reader(StringIO(to_text(NoteMap()))))
    assert rows[0] == ["piece", "note", "name"] and rows[1] == ["", "", "General MIDI"]
    kick = next(row for row in rows if row[0] == "kick")
    assert kick == ["kick", "36", GENERAL_MIDI[36]]


def test_lines_that_say_nothing_usable_are_skipped_and_said() -> None:
    read, skipped = from_text("\ufeffPiece,Note\nkick,40\nzither,41\nsnare,200\nride,x\n", "Own")
    assert read.name == "Own" and read.notes == {"kick": 40}
    assert [line.split(":")[0] for line in skipped] == ["Line 3", "Line 4", "Line 5"]


@pytest.mark.parametrize("text", ["", "a,b\n1,2", '"never closed', "x" * 300_000])
def test_what_is_no_table_of_notes_is_refused(text: str) -> None:
    with pytest.raises(Problem) as said:
        from_text(text)
    assert "note" in said.value.what


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
    for table in (
        "note;piece\n35;kick\n",
        "piece\tnote\tname\r\nkick\t35\tFelt\r\n",
        "note,piece\n35,kick\n",
    ):
        assert from_text(table) == (NoteMap(name="Imported", notes={"kick": 35}), [])
    for bad in ("", "a,b\n1,2", '"', "x" * 300_000):
        with pytest.raises(Problem):
            from_text(bad)


def test_how_far_pieces_are_in_kind() -> None:
    assert kinds_apart("snare", "snare") == 0
    assert {kinds_apart("snare", one) for one in ("kick", "rack-tom", "floor-tom")} == {1}
    assert (
        kinds_apart("hi-hat", "crash") == kinds_apart("crash", "ride") == kinds_apart("clap", "shaker") == 1
    )
    assert {kinds_apart("snare", one) for one in ("hi-hat", "clap", "loop", "nothing known")} == {2}
