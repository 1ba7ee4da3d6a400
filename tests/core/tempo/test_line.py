"""The tempo as a line of points over the bars."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nubrak.core.tempo.line import TempoPoint, points_of, with_points
from nubrak.core.tempo.tempo_map import Tempo, TempoChange, beats_at

POINTS = st.lists(
    st.builds(TempoPoint, bar=st.integers(1, 60).map(float), bpm=st.floats(40, 240)), min_size=1, max_size=8
)
TEMPOS = st.builds(
    Tempo,
    known=st.just("set"),
    bpm=st.floats(40, 240),
    beats_per_bar=st.sampled_from([3, 4, 6]),
    beat_unit=st.sampled_from([4, 8]),
    bar_one_s=st.floats(0, 8),
)


@given(TEMPOS, POINTS)
def test_points_stand_on_their_bars_and_are_read_back(tempo: Tempo, points: list[TempoPoint]) -> None:
    drawn = with_points(tempo, points)
    assert drawn.bar_one_s == tempo.bar_one_s
    held = {point.bar: point.bpm for point in points}
    first = min(held)
    wanted = {1.0: held[first]} | {bar: bpm for bar, bpm in held.items() if bar > 1}
    found = {round(point.bar, 3): point.bpm for point in points_of(drawn)}
    assert list(found) == sorted(wanted)
    assert all(found[bar] == pytest.approx(bpm) for bar, bpm in wanted.items())


def test_a_point_stays_on_its_bar_when_what_goes_before_it_changes() -> None:
    """Worked by hand: four bars of 4 at 120 last 8 s, at 60 16 s."""
    tempo = Tempo(known="set", bar_one_s=1.0)
    fast = with_points(tempo, [TempoPoint(bar=1, bpm=120), TempoPoint(bar=5, bpm=90)])
    slow = with_points(fast, [TempoPoint(bar=1, bpm=60), TempoPoint(bar=5, bpm=90)])
    assert [one.time_s for one in fast.changes] == pytest.approx([9.0])
    assert [one.time_s for one in slow.changes] == pytest.approx([17.0])
    assert beats_at(slow, np.array([17.0 + 60 / 90])).tolist() == pytest.approx([17.0])


def test_the_line_of_a_map_begins_at_bar_one() -> None:
    """A change before bar 1 says how fast bar 1 begins."""
    tempo = Tempo(known="set", bpm=100, bar_one_s=4.0, changes=[TempoChange(time_s=2.0, bpm=120)])
    assert [(one.bar, one.bpm) for one in points_of(tempo)] == [(1.0, 120.0)]
    later = tempo.model_copy(update={"changes": [TempoChange(time_s=6.0, bpm=80)]})
    second = points_of(later)[1]
    assert second.bpm == 80 and second.bar == pytest.approx(1 + 2.0 * 100 / 60 / 4)
