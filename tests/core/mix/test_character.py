"""Steps cut again and a filter that moves with the bars."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.mix.chain import Played, through
from nubrak.core.mix.character import RecutStage, StepCut, SweepStage
from nubrak.core.tempo import Tempo, TempoChange
from tests.core.mix.made import stretch_of

RATE_HZ = 48000
TEMPO = Tempo(known="set", bpm=120.0, bar_one_s=0.25)
STEP = RATE_HZ // 4  # an eighth at 120
BAR_ONE = RATE_HZ // 4
FRAMES = 8 * RATE_HZ
SOUND = (0.3 * np.random.default_rng(6).standard_normal((FRAMES, 2))).astype(np.float32)
JOINT = round(0.002 * RATE_HZ)


plain = stretch_of(SOUND)


def cut(*steps: StepCut, tempo: Tempo = TEMPO) -> np.ndarray:
    stage = RecutStage(step=8, steps=list(steps))
    return through([stage], plain, Played(RATE_HZ, np.zeros(0, np.int64), tempo), 0, FRAMES)


def inside(step: int) -> slice:
    """A step but for where it meets the next one."""
    return slice(BAR_ONE + step * STEP, BAR_ONE + (step + 1) * STEP - JOINT)


def test_each_way_does_what_it_says_and_the_rest_is_as_it_was() -> None:
    out = cut("as played", "repeat", "reverse", "stutter 3", "silent", "as played", "as played", "as played")
    assert np.array_equal(out[inside(0)], SOUND[inside(0)])
    assert np.array_equal(out[inside(1)], SOUND[inside(0)])
    whole = slice(BAR_ONE + 2 * STEP, BAR_ONE + 3 * STEP)
    assert np.array_equal(out[whole][:-JOINT], SOUND[whole][::-1][:-JOINT])
    third = STEP // 3
    for k in range(3):
        at = BAR_ONE + 3 * STEP + k * third
        assert np.array_equal(out[at : at + third - JOINT], SOUND[inside(3)][: third - JOINT])
    assert not out[inside(4)].any()
    assert np.array_equal(
        out[BAR_ONE + 5 * STEP : BAR_ONE + 8 * STEP], SOUND[BAR_ONE + 5 * STEP : BAR_ONE + 8 * STEP]
    )
    # After eight steps it begins again; before bar 1 it is the end of the bar before.
    assert np.array_equal(out[inside(9)], SOUND[inside(8)])
    assert np.array_equal(out[: BAR_ONE - JOINT], SOUND[: BAR_ONE - JOINT])


def test_pieces_meet_without_a_step_in_level() -> None:
    """Where a constant is cut into pieces it stays one, but for silence."""
    stage = RecutStage(step=16, steps=["repeat", "reverse", "stutter 4", "as played"])
    ones = lambda _, n: np.ones((n, 2), np.float32)  # noqa: E731
    out = through([stage], ones, Played(RATE_HZ, np.zeros(0, np.int64), TEMPO), RATE_HZ, 2 * RATE_HZ)
    assert np.allclose(out, 1.0, atol=1e-6)


def test_steps_follow_a_tempo_that_changes() -> None:
    tempo = Tempo(known="set", bpm=120.0, changes=[TempoChange(time_s=2.0, bpm=60.0)])
    out = cut("as played", "silent", tempo=tempo)
    # Before two seconds an eighth is a quarter of a second, then half of one.
    for begin_s, end_s, silent in (
        (0.25, 0.49, True),
        (0.5, 0.74, False),
        (2.5, 2.99, True),
        (3.0, 3.49, False),
    ):
        part = slice(round(begin_s * RATE_HZ), round(end_s * RATE_HZ))
        assert out[part].any() != silent
        assert silent or np.array_equal(out[part], SOUND[part])


@pytest.mark.parametrize(("takes", "hz"), [("highs", 500.0), ("lows", 500.0)])
def test_a_sweep_stands_where_it_says_at_its_beginning_and_half_way(takes: str, hz: float) -> None:
    """Where a filter of two poles with a ring of 0.707 stands, it takes 3 dB (Butterworth)."""
    stage = SweepStage.model_validate(
        {"takes": takes, "from_hz": hz, "to_hz": 4 * hz, "every_beats": 64, "ring": 2**-0.5}
    )
    t = np.arange(40 * RATE_HZ) / RATE_HZ
    for at_s, tone_hz in ((0.25, hz), (16.25, 4 * hz)):
        tone = np.sin(2 * np.pi * tone_hz * t).astype(np.float32)[:, None].repeat(2, axis=1)

        def sounding(start: int, frames: int, tone: np.ndarray = tone) -> np.ndarray:
            return tone[start % RATE_HZ : start % RATE_HZ + frames]

        played = Played(RATE_HZ, np.zeros(0, np.int64), TEMPO)
        begin = round(at_s * RATE_HZ) - 2400
        out = through([stage], sounding, played, begin, 4800)
        level = 10 * np.log10(2 * np.mean(out**2))
        assert level == pytest.approx(-3.0, abs=0.25)
