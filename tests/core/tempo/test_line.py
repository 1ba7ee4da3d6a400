"""The tempo as a line of points over the bars."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nubrak.core.tempo.line import TempoPoint, with_points
from nubrak.core.tempo.tempo_map import Tempo, beats_at

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
    at_s = np.array([change.time_s for change in drawn.changes])
    bars = [1.0, *(beats_at(drawn, at_s) / drawn.bar_beats + 1.0)]
    assert bars == pytest.approx(sorted(wanted), abs=1e-3)
    assert [drawn.bpm, *(change.bpm for change in drawn.changes)] == [wanted[bar] for bar in sorted(wanted)]


def test_a_point_stays_on_its_bar_when_what_goes_before_it_changes() -> None:
    """Worked by hand: four bars of 4 at 120 last 8 s, at 60 16 s."""
    tempo = Tempo(known="set", bar_one_s=1.0)
    fast = with_points(tempo, [TempoPoint(bar=1, bpm=120), TempoPoint(bar=5, bpm=90)])
    slow = with_points(fast, [TempoPoint(bar=1, bpm=60), TempoPoint(bar=5, bpm=90)])
    assert [one.time_s for one in fast.changes] == pytest.approx([9.0])
    assert [one.time_s for one in slow.changes] == pytest.approx([17.0])
    assert beats_at(slow, np.array([17.0 + 60 / 90])).tolist() == pytest.approx([17.0])
