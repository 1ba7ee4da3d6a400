"""MIDI files that are damaged, endless or huge."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nubrak.core.midi.read import MOST_BYTES, read_midi
from nubrak.core.problem import Problem
from tests.core.midi.notes import file_of

GOOD = file_of()


@pytest.mark.parametrize(
    ("data", "said"),
    [
        (b"", "does not begin"),
        (b"RIFF", "does not begin"),
        (b"MThd", "damaged"),
        (GOOD[:30], "damaged"),
        (GOOD[:-20], "damaged"),
        (GOOD[:8] + b"\x00\x02" + GOOD[10:], "format 2"),
        (GOOD[:12] + b"\xe7\x28" + GOOD[14:], "film frames"),
        (b"MThd\0\0\0\6\0\0\0\1\3\xc0MTrk\0\0\0\4\0\x24\x40\0", "damaged"),  # running status without a status
        (b"\0" * (MOST_BYTES + 1), "MB"),
    ],
)
def test_damaged_files_are_refused_in_a_sentence(data: bytes, said: str) -> None:
    with pytest.raises(Problem, match=said):
        read_midi(data)


def test_notes_that_never_end_and_huge_deltas_are_kept_and_said() -> None:
    body = bytes([0x00, 0x99, 36, 100, 0xFF, 0xFF, 0xFF, 0x7F, 0x99, 38, 100, 0x00, 0xFF, 0x2F, 0x00])
    read = read_midi(b"MThd\0\0\0\6\0\0\0\1\3\xc0MTrk" + len(body).to_bytes(4, "big") + body)
    # 268435455 ticks of 960 to the half second are 38 hours: later than a day.
    assert len(read.tracks[0].time_s) == 1
    assert any("never end" in one for one in read.said) and any(
        "later than a day" in one for one in read.said
    )


@settings(max_examples=150, deadline=None)
@given(st.data())
def test_bytes_changed_anywhere_end_in_notes_or_in_a_sentence(data: st.DataObject) -> None:
    bad = bytearray(GOOD)
    for _ in range(data.draw(st.integers(1, 6))):
        bad[data.draw(st.integers(0, len(bad) - 1))] = data.draw(st.integers(0, 255))
    cut = data.draw(st.integers(0, len(bad)))
    try:
        read = read_midi(bytes(bad[: cut if data.draw(st.booleans()) else None]))
    except Problem as problem:
        assert len(str(problem)) > 20
    else:
        for track in read.tracks:
            assert (
                np.all(np.diff(track.time_s) >= 0)
                and np.all(track.length_s >= 0)
                and track.velocity.min() >= 1
                and track.velocity.max() <= 127
            )


def test_a_million_events_are_refused_at_once() -> None:
    body = bytes([0x00, 0x99, 36, 100]) + bytes([0x01, 36, 100]) * 1_000_000 + bytes([0x00, 0xFF, 0x2F, 0x00])
    with pytest.raises(Problem, match="MB"):
        read_midi(b"MThd\0\0\0\6\0\0\0\1\3\xc0MTrk" + len(body).to_bytes(4, "big") + body)
