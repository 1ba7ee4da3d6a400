"""Lock on generated cases with known truth, and against an exhaustive search of every offset and both
polarities.
"""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray
from scipy.signal import butter, sosfiltfilt

from nubrak.core.layer import lock as core
from nubrak.core.layer.lock import HIGH_HZ, LOW_HZ, REACH_S, WORTH_DB, Lock, Sounding
from nubrak.core.layer.lock_settings import LockSettings

RATE = 44100


def locked(
    recording: NDArray[np.float32],
    hits: NDArray[np.int64],
    sample: NDArray[np.float32],
    attack: int,
    rate_hz: int,
    settings: LockSettings | None = None,
) -> Lock:
    """One sound on every hit, each at its own level."""
    sounds = [Sounding(sample, attack, np.arange(len(hits)), np.ones(len(hits)))]
    return core.find_lock(recording, hits, sounds, rate_hz, settings)


def drum(
    rng: np.random.Generator, hz: float, ring_s: float, click: float = 0.4, length_s: float = 0.4
) -> NDArray[np.float64]:
    """A drum that falls in pitch, with a click of noise at its attack."""
    t = np.arange(round(length_s * RATE)) / RATE
    phase = 2 * np.pi * np.cumsum(hz * (1 + 0.8 * np.exp(-t / 0.02))) / RATE
    return np.sin(phase + rng.uniform(0, 0.6)) * np.exp(-t / ring_s) * (
        1 - np.exp(-t / 0.0006)
    ) + click * rng.standard_normal(len(t)) * np.exp(-t / 0.004)


def take(
    rng: np.random.Generator, sound: NDArray[np.float64], hits: NDArray[np.int64], spill: float, noise: float
) -> NDArray[np.float32]:
    """A recording of one sound at many hits, each a little different in strength, with another drum's spill
    and hiss under it.
    """
    out = noise * rng.standard_normal(int(hits[-1]) + RATE)
    other = drum(rng, 75.0, 0.15)
    for hit in hits:
        out[hit : hit + len(sound)] += rng.uniform(0.5, 1.0) * sound[: len(out) - hit]
        at = int(hit + rng.integers(-12000, 12000))
        if 0 <= at < len(out) - len(other):
            out[at : at + len(other)] += spill * other
    return out.astype(np.float32)


HITS = np.cumsum(np.full(24, 22050)) + np.random.default_rng(3).integers(-2000, 2000, 24)


@pytest.mark.parametrize("delay_ms", [-4.0, -2.3, -0.5, 0.0, 0.7, 1.9, 4.0])
@pytest.mark.parametrize("polarity", [1, -1])
def test_the_same_sound_is_found_to_the_sample(delay_ms: float, polarity: int) -> None:
    rng = np.random.default_rng(round(10 * delay_ms) + 100)
    sound = drum(rng, 62.0, 0.12)
    delay = round(delay_ms * RATE / 1000)
    recording = take(rng, sound, HITS + delay, spill=0.25, noise=0.01)
    lead = np.zeros(300)
    found = locked(recording, HITS, (polarity * np.concatenate([lead, sound])).astype(np.float32), 300, RATE)
    assert found.polarity == polarity and abs(found.offset_samples - delay) <= 1
    assert found.similarity > 0.6 and found.gain_db >= -0.05 and found.over_wrong_db > 3


def in_low_band(signal: NDArray[np.floating]) -> NDArray[np.float64]:
    return np.asarray(
        sosfiltfilt(
            butter(4, [LOW_HZ, HIGH_HZ], "bandpass", fs=RATE, output="sos"), signal.astype(np.float64)
        )
    )


def different(seed: int) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """A recording of one drum, and another drum as a layer."""
    rng = np.random.default_rng(seed)
    recording = take(rng, drum(rng, rng.uniform(50, 110), 0.1), HITS, spill=0.2, noise=0.01)
    layer = drum(rng, rng.uniform(45, 130), rng.uniform(0.05, 0.2), click=rng.uniform(0, 1))
    return recording, (layer * rng.choice([-1, 1])).astype(np.float32)


def low_energy(
    recording: NDArray[np.float32], layer: NDArray[np.float32], offset: int, polarity: int
) -> float:
    total, layer_low = in_low_band(recording), in_low_band(np.pad(layer, (4000, 4000)))
    for hit in HITS:
        begin = hit + offset - 4000
        total[begin : begin + len(layer_low)] += polarity * layer_low[: len(total) - begin]
    return float(total @ total)


@pytest.mark.parametrize("seed", range(8))
def test_the_widest_place_is_as_big_as_the_best_of_an_exhaustive_search(seed: int) -> None:
    recording, layer = different(seed)
    found = locked(recording, HITS, layer, 0, RATE).widest
    reach = round(REACH_S * RATE)
    best = max(
        low_energy(recording, layer, offset, polarity)
        for offset in range(-reach, reach + 1, 4)
        for polarity in (1, -1)
    )
    ours = low_energy(recording, layer, found.offset_samples, found.polarity)
    assert 10 * np.log10(best / ours) < 0.3
    as_it_is = low_energy(recording, layer, 0, 1)
    assert found.gain_db == pytest.approx(10 * np.log10(ours / as_it_is), abs=0.6)


@pytest.mark.parametrize("seed", range(8))
@pytest.mark.parametrize("most_ms", [0.0, 0.3, 1.0])
def test_the_attack_of_a_different_sound_stays_on_the_hit(seed: int, most_ms: float) -> None:
    recording, layer = different(seed)
    settings = LockSettings(most_offset_ms=most_ms)
    found = locked(recording, HITS, layer, 0, RATE, settings)
    assert not found.same_sound and abs(found.offset_samples) <= most_ms * RATE / 1000
    assert np.all(found.each_samples == found.offset_samples) and found.wanders_ms == 0.0
    ours = low_energy(recording, layer, found.offset_samples, found.polarity)
    gain_db = 10 * np.log10(ours / low_energy(recording, layer, 0, 1))
    moved = (found.polarity, found.offset_samples) != (1, 0)
    # A decibel as this core measures it; the sum of the whole recording says nearly the same.
    assert gain_db > 0.6 if moved else gain_db == 0.0


@pytest.mark.parametrize("seed", range(8))
def test_a_different_sound_is_flipped_where_that_gains_a_decibel_and_not_for_less(seed: int) -> None:
    recording, layer = different(seed)
    flip_db = 10 * np.log10(low_energy(recording, layer, 0, -1) / low_energy(recording, layer, 0, 1))
    found = locked(recording, HITS, layer, 0, RATE, LockSettings(polarity_only=True))
    assert found.offset_samples == 0
    if abs(flip_db - WORTH_DB) > 0.3:
        assert found.polarity == (-1 if flip_db > WORTH_DB else 1)


def test_two_tones_of_one_pitch_keep_their_attacks_together() -> None:
    t = np.arange(12000) / RATE
    tone = np.sin(2 * np.pi * 190 * t) * np.exp(-t / 0.1)
    other = np.sin(2 * np.pi * 190 * t + 1.9) * np.exp(-t / 0.12) * np.minimum(t / 0.004, 1.0)
    recording = take(np.random.default_rng(4), tone, HITS, 0.0, 0.001)
    found = locked(recording, HITS, other.astype(np.float32), 0, RATE)
    assert abs(found.offset_samples) <= 0.3 * RATE / 1000 and found.gain_db >= 0


def test_a_recording_that_wanders_is_followed_within_a_millisecond() -> None:
    rng = np.random.default_rng(5)
    sound = drum(rng, 70.0, 0.1)
    wander = rng.integers(-30, 31, len(HITS))
    found = locked(take(rng, sound, HITS + 60 + wander, 0.0, 0.001), HITS, sound.astype(np.float32), 0, RATE)
    # Half of the offsets drawn evenly from ±30 samples lie within 15 of the middle: 0.34 ms.
    assert found.wanders_ms == pytest.approx(0.34, abs=0.12)
    assert (
        np.abs(found.each_samples - 60 - wander).max() <= 12
        and np.abs(found.each_samples - found.offset_samples).max() <= 45
    )


def test_one_clipped_stroke_outvotes_nobody() -> None:
    rng = np.random.default_rng(6)
    sound = drum(rng, 62.0, 0.12)
    recording = take(rng, sound, HITS + 88, 0.1, 0.01)
    recording[HITS[7] : HITS[7] + 12000] = -40 * np.roll(sound, 150)[:12000]
    found = locked(recording, HITS, sound.astype(np.float32), 0, RATE)
    assert found.polarity == 1 and abs(found.offset_samples - 88) <= 1


def test_silence_and_no_hits_lock_nothing() -> None:
    quiet = locked(np.zeros(RATE, np.float32), np.array([1000, 20000]), np.zeros(4000, np.float32), 0, RATE)
    assert (quiet.polarity, quiet.offset_samples, quiet.gain_db) == (1, 0, 0.0)
    assert locked(
        np.ones(RATE, np.float32), np.zeros(0, np.int64), np.ones(400, np.float32), 0, RATE
    ).each_samples.shape == (0,)
    silent = locked(np.zeros(RATE, np.float32), np.array([1000, 20000]), np.ones(4000, np.float32), 0, RATE)
    assert np.isfinite(silent.gain_db) and abs(silent.offset_samples) <= 221


def test_samples_that_take_turns_lock_together() -> None:
    rng = np.random.default_rng(8)
    sound = drum(rng, 62.0, 0.12)
    recording = take(rng, sound, HITS + 50, 0.1, 0.01)
    rows = np.arange(len(HITS))
    softer = (0.3 * sound).astype(np.float32)
    sounds = [
        Sounding(-sound.astype(np.float32), 0, rows[::2], np.ones(12)),
        Sounding(-np.pad(softer, (100, 0)), 100, rows[1::2], np.full(12, 2.0)),
    ]
    found = core.find_lock(recording, HITS, sounds, RATE)
    assert (
        found.polarity == -1 and abs(found.offset_samples - 50) <= 1 and len(found.each_samples) == len(HITS)
    )


def test_a_cymbal_without_low_end_goes_by_its_attack_or_stays() -> None:
    rng = np.random.default_rng(9)
    t = np.arange(8000) / RATE
    hat = np.diff(np.pad(rng.standard_normal(8000) * np.exp(-t / 0.03), (1, 0)))
    same = locked(take(rng, hat, HITS + 33, 0.0, 0.001), HITS, -hat.astype(np.float32), 0, RATE)
    assert same.polarity == -1 and same.offset_samples == 33
    other = np.diff(np.pad(rng.standard_normal(8000) * np.exp(-t / 0.03), (1, 0)))
    unlike = locked(take(rng, hat, HITS + 33, 0.0, 0.001), HITS, other.astype(np.float32), 0, RATE)
    assert (unlike.polarity, unlike.offset_samples) == (1, 0) and unlike.similarity < 0.25
