"""The bar that stands for a recording."""

from __future__ import annotations

import numpy as np

from nubrak.core.shape.best_bar import BarOnsets, best_bar
from nubrak.core.tempo.tempo_map import Tempo

TEMPO = Tempo(bpm=120, bar_one_s=1.0)  # bars of two seconds from 1 s on


def played(times: list[float], doubt: dict[float, float] | None = None) -> BarOnsets:
    time_s = np.array(sorted(times))
    return BarOnsets(
        time_s, np.full(len(time_s), 100), np.array([(doubt or {}).get(t, 0.0) for t in time_s.tolist()])
    )


def groove(bars: range, late_s: float = 0.0) -> list[float]:
    return [1.0 + 2 * bar + beat * 0.5 + late_s for bar in bars for beat in range(4)]


def test_a_fill_and_a_slip_are_not_it() -> None:
    kick = groove(range(6))
    kick[4] += 0.06  # a slip in bar 2
    fill = [11.0 + sixteenth * 0.125 for sixteenth in range(16)]  # bar 6 is a fill
    bar = best_bar([played(kick), played(fill)], TEMPO, 13.2)
    assert bar is not None and bar.number in (1, 3, 4, 5)
    assert (bar.start_s, bar.end_s) == (1.0 + 2 * (bar.number - 1), 3.0 + 2 * (bar.number - 1))


def test_of_equal_bars_the_surest_and_the_tightest() -> None:
    times = groove(range(3))
    doubtful = dict.fromkeys(groove(range(1)), 0.5) | {groove(range(2, 3))[0]: 0.2}
    bar = best_bar([played(times, doubtful)], TEMPO, 7.1)
    assert bar is not None and bar.number == 2
    late = groove(range(1)) + groove(range(1, 2), late_s=0.03) + groove(range(2, 3), late_s=0.03)
    tight = best_bar([played(late)], TEMPO, 7.1)
    assert tight is not None and tight.number == 1


def test_without_a_whole_bar_or_strokes_there_is_none() -> None:
    assert best_bar([played([1.0, 1.5])], TEMPO, 2.5) is None
    assert best_bar([played([])], TEMPO, 60.0) is None
    assert best_bar([], TEMPO, 60.0) is None
