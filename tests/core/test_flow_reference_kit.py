"""A performance on real recorded drums through a kit's microphones, truth known: hits, times, strengths, and
who leaks into whom.

The drums are Debian's fluid-soundfont-gm rendered by fluidsynth; distances, spill and room are
`benchmarks/microphones.py`'s. The kit is one that the evidence was never taught on. Scores are mir_eval's;
the full table is `./nubrak benchmark accuracy`.
"""

from __future__ import annotations

from functools import lru_cache

import mir_eval
import numpy as np
import pytest
from scipy.stats import spearmanr

from benchmarks.microphones import Recording, overheads_as_one, record
from benchmarks.sounds import RATE_HZ, Kit, available
from benchmarks.styles import perform
from nubrak.core.decide.settings import FindSettings
from nubrak.core.decide.states import Decisions
from nubrak.core.find.search import find_candidates
from nubrak.core.flow import PartInput, Weighed, decide_part, weigh_all

pytestmark = pytest.mark.skipif(not available(), reason="fluidsynth and fluid-soundfont-gm are not installed")


@lru_cache(maxsize=1)
def kit() -> tuple[Recording, Weighed, dict[str, Decisions]]:
    recording = record(Kit("brush kit", "general", 40), perform("straight rock", 26, 4), 4)
    parts = {
        name: PartInput(name, name, find_candidates(audio, RATE_HZ), FindSettings(), [], frozenset([name]))
        for name, audio in overheads_as_one(recording).items()
    }
    weighed = weigh_all(parts)
    return (
        recording,
        weighed,
        {
            name: decide_part(part, weighed.evidence[name], weighed.stroke_probability[name])
            for name, part in parts.items()
        },
    )


def test_close_microphones_need_hardly_a_correction() -> None:
    recording, _, decided = kit()
    right = found = true = 0
    errors_ms: list[float] = []
    for name in recording.close:
        times, truth = decided[name].time_s[decided[name].counts], recording.attacks_s[name, name]
        pairs = mir_eval.util.match_events(truth, times, 0.010)
        right, found, true = right + len(pairs), found + len(times), true + len(truth)
        errors_ms += [1000 * abs(times[j] - truth[i]) for i, j in pairs]
    assert true > 150 and 2 * right / (found + true) >= 0.97
    assert np.median(errors_ms) <= 0.3


def test_strength_keeps_the_order_it_was_played_in() -> None:
    recording, _, decided = kit()
    for name in ("kick", "snare", "hi-hat"):
        rows = np.nonzero(decided[name].counts)[0]
        pairs = mir_eval.util.match_events(recording.attacks_s[name, name], decided[name].time_s[rows], 0.010)
        order = spearmanr(
            [recording.velocity[name][i] for i, _ in pairs],
            [decided[name].strength_db[rows[j]] for _, j in pairs],
        )[0]
        assert order >= 0.94, name


def test_the_spill_map_is_the_room_it_was_recorded_in() -> None:
    recording, weighed, _ = kit()
    off_ms = [
        1000 * abs(leak.delay_s - (recording.delay_s[source, target] - recording.delay_s[source, source]))
        for (source, target), leak in weighed.kit.leaks.items()
        if leak.timed and source in recording.close and target in recording.close
    ]
    # 1 ms is 34 cm of air at 343 m/s; soft spill shows its beginning late
    assert len(off_ms) >= 8 and np.median(off_ms) < 1.0
