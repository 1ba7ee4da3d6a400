"""First and last strokes of trimmed files, whatever the piece; nothing is made of what only rings."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import pytest
from numpy.typing import NDArray

from nubrak.core.decide import Decisions, FindSettings
from nubrak.core.find import find_candidates
from nubrak.core.flow import PartInput, decide_alone
from tests.plain_strokes import STROKES

RATE_HZ = 44100
PIECES = {
    "kick": "kick",
    "snare": "snare",
    "rack-tom": "rack-tom",
    "floor-tom": "floor-tom",
    "hat-closed": "hi-hat",
    "hat-open": "hi-hat",
    "ride": "ride",
    "tambourine": "tambourine",
}
BEFORE_MS = [0.0, 0.1, 0.25, 0.5, 1.0, 1.5, 2.0, 3.0, 4.0, 6.0, 8.0, 10.0, 13.0, 16.0, 20.0]
NEAR_S = 0.005


@lru_cache(maxsize=16)
def recording(drum: str) -> tuple[NDArray[np.float32], list[int]]:
    """Eight strokes of a drum over hiss, and the samples at which each is within 40 dB of its peak."""
    rng = np.random.default_rng([3, *drum.encode()])
    out = 1e-4 * rng.standard_normal(8 * RATE_HZ)
    attacks = []
    for place in range(8):
        stroke = STROKES[drum](rng, float(rng.uniform(0.6, 1.0)), RATE_HZ)
        begin = round((0.3 + 0.55 * place + float(rng.uniform(0, 0.1))) * RATE_HZ)
        out[begin : begin + len(stroke)] += stroke
        attacks.append(begin + int(np.argmax(np.abs(stroke) >= np.abs(stroke).max() / 100)))
    return out.astype(np.float32), attacks


def decided(audio: NDArray[np.float32], drum: str, span_s: tuple[float, float] | None = None) -> Decisions:
    part = PartInput("part", PIECES[drum], find_candidates(audio, RATE_HZ), FindSettings(), [])
    return decide_alone(part, span_s)


def is_hit(decisions: Decisions, time_s: float) -> bool:
    hits = decisions.time_s[decisions.counts]
    return bool(len(hits) and np.abs(hits - time_s).min() < NEAR_S)


@pytest.mark.parametrize("drum", PIECES)
def test_the_first_stroke_is_found_however_closely_a_file_is_trimmed(drum: str) -> None:
    audio, attacks = recording(drum)
    lost = [
        before_ms
        for before_ms in BEFORE_MS
        if not is_hit(
            decided(audio[attacks[0] - round(before_ms / 1000 * RATE_HZ) :], drum), before_ms / 1000
        )
    ]
    assert lost == []


@pytest.mark.parametrize("drum", PIECES)
def test_the_last_stroke_is_found_where_the_file_ends_soon_after(drum: str) -> None:
    audio, attacks = recording(drum)
    for after_ms in (10.0, 20.0, 40.0):
        end = attacks[-1] + round(after_ms / 1000 * RATE_HZ)
        assert is_hit(decided(audio[:end], drum), attacks[-1] / RATE_HZ), after_ms


# A wash that goes on is hardly to be told from its own attack; `./nubrak benchmark edges` counts those.
@pytest.mark.parametrize("drum", sorted(set(PIECES) - {"hat-open", "ride"}))
def test_nothing_is_made_of_what_rings_where_a_file_begins(drum: str) -> None:
    audio, attacks = recording(drum)
    for after_ms in (120.0, 200.0, 300.0):
        begin = attacks[0] + round(after_ms / 1000 * RATE_HZ)
        decisions = decided(audio[begin:], drum)
        assert not np.any(decisions.time_s[decisions.counts] < 0.03), after_ms


@pytest.mark.parametrize("off_ms", [-4.0, -1.0, 0.0, 1.0])
def test_the_first_and_last_stroke_of_a_range_count(off_ms: float) -> None:
    audio, attacks = recording("snare")
    begin_s, end_s = attacks[2] / RATE_HZ - off_ms / 1000, attacks[5] / RATE_HZ + 0.01
    decisions = decided(audio, "snare", (begin_s, end_s))
    assert np.count_nonzero(decisions.counts) == 4
