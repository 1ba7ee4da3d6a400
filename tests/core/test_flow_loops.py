"""Whole loops: soft strokes under what rings, several pieces at one moment, and how much it costs to look
closely.
"""

from __future__ import annotations

from collections.abc import Mapping

import mir_eval
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray

from benchmarks.loops import mix_down
from benchmarks.performances import moments
from benchmarks.sounds import RATE_HZ, Kit, available
from benchmarks.styles import perform
from nubrak.core.decide.settings import FindSettings, Mark
from nubrak.core.find.search import CLOSE_RISE_DB, LEAST_RISE_DB, find_candidates
from nubrak.core.find.slow_onset import first_of_each
from nubrak.core.flow import PartInput, decide_alone
from nubrak.core.pieces.material import MATERIALS
from nubrak.demo.strokes import STROKES as MADE
from nubrak.demo.strokes import Stroke
from tests.plain_strokes import STROKES


def loop(
    strokes: list[tuple[float, str, float]], length_s: float, drums: Mapping[str, Stroke] = STROKES
) -> NDArray[np.float32]:
    """Strokes (time in s, sound, strength) of ``drums`` in one microphone; each begins with its first
    sample.
    """
    out = np.random.default_rng(2).standard_normal(round(length_s * RATE_HZ)) * 1e-4
    for number, (time_s, sound, strength) in enumerate(strokes):
        audio = drums[sound](np.random.default_rng(number), strength, RATE_HZ)
        begin = round(time_s * RATE_HZ)
        out[begin : begin + len(audio)] += audio[: len(out) - begin]
    return (out / np.abs(out).max() * 0.8).astype(np.float32)


def hits_s(audio: NDArray[np.float32], marks: list[Mark] | None = None) -> NDArray[np.float64]:
    decided = decide_alone(
        PartInput("loop", "loop", find_candidates(audio, RATE_HZ, closely=True), FindSettings(), marks or [])
    )
    return decided.time_s[decided.counts]


@pytest.mark.parametrize("drums", [STROKES, MADE], ids=["plain", "made"])
@pytest.mark.parametrize("second", ["kick", "snare"])
def test_strokes_of_two_pieces_at_one_moment_are_one_hit_at_the_first_of_them(
    second: str, drums: Mapping[str, Stroke]
) -> None:
    apart_s = [0.0, 0.003, 0.006, 0.009, 0.011] * 3
    strokes = [(0.4 + 0.5 * n, "hat-closed", 0.8) for n in range(15)] + [
        (0.4 + 0.5 * n + apart, second, 0.9) for n, apart in enumerate(apart_s)
    ]
    found = hits_s(loop(sorted(strokes), 8.5, drums))
    assert len(found) == 15
    away_s = found - [0.4 + 0.5 * n for n in range(15)]
    assert away_s.min() > -0.001, "nothing sounds before"
    # One made hat, with a snare 6 ms after it, is found 3 ms late: half way to the snare.
    late = 1 if drums is MADE and second == "snare" else 0
    assert np.sort(np.abs(away_s))[14 - late] < 0.002


def test_a_flam_stays_two_hits() -> None:
    strokes = [(0.4 + n, "snare", 0.9) for n in range(6)] + [(0.4 + n - 0.03, "snare", 0.4) for n in range(6)]
    assert np.allclose(
        hits_s(loop(sorted(strokes), 7.0)), sorted(time_s for time_s, _, _ in strokes), atol=0.003
    )


def test_a_place_kept_by_hand_stands_beside_the_first_of_its_moment() -> None:
    audio = loop(
        [(0.4, "hat-closed", 0.8), (0.416, "kick", 0.9), (1.2, "snare", 0.8), (1.7, "kick", 0.9)], 2.4
    )
    found = find_candidates(audio, RATE_HZ, closely=True)
    second_s = float(found.time_s[np.argmin(np.abs(found.time_s - 0.416))])
    assert abs(second_s - 0.416) < 0.01 and len(hits_s(audio)) == 3
    kept = hits_s(audio, [Mark(kind="keep", time_s=second_s)])
    assert np.abs(kept - second_s).min() < 1e-6 and np.abs(kept - 1.2).min() < 0.003


@pytest.mark.skipif(not available(), reason="fluidsynth and fluid-soundfont-gm are not installed")
@pytest.mark.parametrize("style", ["swung ride", "tom-heavy"])
def test_a_kit_and_a_style_that_were_never_taught(style: str) -> None:
    audio, attacks_s = mix_down(Kit("brush kit", "general", 40), perform(style, 12.0, 23), 23)
    truth_s = moments(attacks_s, (MATERIALS["loop"].hold_off_ms or 0) / 1000)
    f, precision, _ = mir_eval.onset.f_measure(truth_s, hits_s(audio), window=0.025)
    assert f > 0.86 and precision > 0.86


def test_looking_closely_finds_all_that_is_found_otherwise_and_more() -> None:
    strokes = [
        (0.3 + 0.25 * n, "crash" if n == 0 else "snare", 0.9 if n % 4 == 0 else 0.12) for n in range(16)
    ]
    audio = loop(strokes, 5.0)
    usual, close = find_candidates(audio, RATE_HZ), find_candidates(audio, RATE_HZ, closely=True)
    assert len(close) > len(usual) and CLOSE_RISE_DB < LEAST_RISE_DB
    away_s = np.abs(close.time_s[None] - usual.time_s[:, None]).min(axis=1)
    assert np.mean(away_s < 0.003) > 0.95


@given(st.lists(st.tuples(st.floats(0, 0.1), st.booleans()), min_size=1, max_size=40))
def test_moments_begin_with_a_stroke_and_are_no_longer_than_they_may_be(
    steps: list[tuple[float, bool]],
) -> None:
    time_s, strokes = np.cumsum([gap for gap, _ in steps]), np.array([stroke for _, stroke in steps])
    first, rows = first_of_each(time_s, strokes, 0.022), np.arange(len(steps))
    assert (first[~strokes] == rows[~strokes]).all() and strokes[first[strokes]].all()
    assert (first[first] == first).all() and (time_s - time_s[first] < 0.022).all()
    begins = time_s[strokes & (first == rows)]
    assert (np.diff(begins) >= 0.022).all()
