"""Mouth percussion: a syllable counts once, from its consonant on; what is struck apart stays apart."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray
from scipy.signal import butter, sosfilt

from nubrak.core.decide.settings import FindSettings, Mark
from nubrak.core.decide.states import Decisions
from nubrak.core.find.search import find_candidates
from nubrak.core.find.slow_onset import begins_at
from nubrak.core.flow import PartInput, decide_alone
from nubrak.core.pieces.file_names import guess_from_name
from nubrak.core.pieces.material import MaterialId

RATE_HZ = 44100
Syllable = tuple[
    float, float, float, float
]  # level of the consonant, its length in s, level of the vowel, pitch in Hz


def syllable(kind: Syllable, rng: np.random.Generator) -> NDArray[np.float64]:
    """A burst of noise that goes over into a voice, as in "kah" or "boo"; its first sample is its attack."""
    burst, burst_s, voice, hz = kind
    t = np.arange(round(0.2 * RATE_HZ)) / RATE_HZ
    noise = sosfilt(
        butter(2, [1500, 9000], "bandpass", fs=RATE_HZ, output="sos"), rng.standard_normal(len(t))
    )
    noise[0] = 1.0
    vowel = np.where(
        t >= burst_s, np.minimum((t - burst_s) / 0.008, 1.0) * np.exp(-np.maximum(t - burst_s, 0) / 0.05), 0.0
    )
    return (
        burst * noise * np.exp(-t / (0.5 * burst_s + 0.02))
        + voice * vowel * np.sign(np.sin(2 * np.pi * hz * t)) * 0.7
    )


def take(starts_s: list[float], kinds: list[Syllable], seed: int = 4) -> NDArray[np.float32]:
    rng = np.random.default_rng(seed)
    out = rng.standard_normal(round((starts_s[-1] + 1.0) * RATE_HZ)) * 1e-4
    for start_s, kind in zip(starts_s, kinds, strict=True):
        sound = syllable(kind, rng)
        begin = round(start_s * RATE_HZ)
        out[begin : begin + len(sound)] += sound
    return out.astype(np.float32)


KAH, BOO, TSS = (0.06, 0.04, 0.5, 210.0), (0.1, 0.015, 0.6, 90.0), (0.25, 0.08, 0.0, 100.0)


@pytest.mark.parametrize(
    ("piece", "material"), [("mouth", None), ("else", "mouth"), ("clap", "mouth"), ("loop", "mouth")]
)
def test_a_syllable_is_one_stroke_from_its_consonant_on(piece: str, material: MaterialId | None) -> None:
    starts_s = [0.5 + 0.21 * n + 0.004 * (n % 3) for n in range(24)]
    audio = take(starts_s, [(KAH, BOO, TSS)[n % 3] for n in range(24)])
    decided = decide_alone(
        PartInput("mouth", piece, find_candidates(audio, RATE_HZ), FindSettings(material=material), [])
    )
    found = decided.time_s[decided.counts]
    assert len(found) == len(starts_s)
    assert np.abs(found - starts_s).max() < 0.003
    # Its level is that of its loudest part, the vowel.
    level = decided.level_db[decided.counts]
    assert level[0::3].min() > level[2::3].max()


def test_a_soft_stroke_well_ahead_of_a_loud_one_is_its_own() -> None:
    starts_s = [0.5, 0.63, 1.2, 1.33]
    audio = take(starts_s, [(0.05, 0.01, 0.12, 90.0), BOO] * 2)
    decided = decide_alone(
        PartInput("mouth", "else", find_candidates(audio, RATE_HZ), FindSettings(material="mouth"), [])
    )
    assert np.allclose(decided.time_s[decided.counts], starts_s, atol=0.003)


def test_marks_speak_of_the_whole_syllable_or_of_one_step_of_it() -> None:
    audio = take([0.5, 1.0, 1.5], [KAH, BOO, KAH])
    found = find_candidates(audio, RATE_HZ)
    steps_s = found.time_s[(found.time_s > 1.45) & (found.time_s < 1.6)]
    assert len(steps_s) >= 2 and steps_s[-1] > 1.53

    def decided(*marks: Mark) -> Decisions:
        return decide_alone(PartInput("mouth", "mouth", found, FindSettings(), list(marks)))

    before = decided()
    hit_s = float(before.time_s[before.counts][2])
    # Kept as it is: neither its place nor its strength changes. Given a velocity: it is that hit's. Dropped:
    # it is gone.
    kept = decided(Mark(kind="keep", time_s=hit_s, velocity=99))
    assert np.allclose(kept.time_s[kept.counts], before.time_s[before.counts])
    assert np.allclose(kept.level_db[kept.counts], before.level_db[before.counts])
    dropped = decided(Mark(kind="drop", time_s=hit_s))
    assert np.allclose(dropped.time_s[dropped.counts], before.time_s[before.counts][:2])
    moved = decided(Mark(kind="keep", time_s=hit_s, to_s=hit_s + 0.004))
    assert np.allclose(moved.time_s[moved.counts][2], hit_s + 0.004)
    # A step kept at its own place is a hit there, beside the one that begins the syllable.
    both = decided(Mark(kind="keep", time_s=float(steps_s[-1])))
    assert np.abs(both.time_s[both.counts] - steps_s[-1]).min() < 1e-6
    # Whatever is dropped of it that does not count takes nothing else away.
    row = int(np.nonzero(~before.counts & (before.time_s > 1.45) & (before.time_s < 1.6))[0][-1])
    if abs(before.time_s[row] - hit_s) > 0.001:
        assert (
            decided(Mark(kind="drop", time_s=float(before.time_s[row]))).counts.sum() == before.counts.sum()
        )


@pytest.mark.parametrize(
    "name", ["beatbox take 2.wav", "MouthPercussion.wav", "mouth_drums.flac", "Voice 01.wav"]
)
def test_a_take_by_mouth_is_known_by_its_name(name: str) -> None:
    guess = guess_from_name(name)
    assert guess is not None and guess.piece == "mouth"


@given(
    st.lists(
        st.tuples(st.floats(0.004, 0.2), st.floats(-60, 0), st.floats(-70, 0), st.floats(0, 40)),
        min_size=1,
        max_size=30,
    )
)
def test_a_sound_begins_at_or_before_its_steps_and_only_at_one_that_rises(
    steps: list[tuple[float, float, float, float]],
) -> None:
    gap_s, level_db, before_db, rise_db = (np.array(column) for column in zip(*steps, strict=True))
    time_s = np.cumsum(gap_s)
    began = begins_at(time_s, level_db, before_db, rise_db, longest_s=0.1, rise_needed_db=8.0)
    rows = np.arange(len(began))
    moved = began != rows
    assert (began <= rows).all() and (began[began] == began).all()
    assert (time_s - time_s[began] <= 0.1 + 1e-9).all()
    assert (rise_db[began[moved]] >= 8.0).all() and (level_db[moved] - level_db[began[moved]] <= 40.0).all()
    # What lies between belongs to the same sound.
    for row in rows[moved]:
        assert (began[began[row] : row] == began[row]).all()
