"""The player: what a voice makes of a sample, which sample each note gets, what silences it; filters against
SciPy, pitch by counting.
"""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.signal import freqz_sos
from scipy.signal.windows import blackmanharris, kaiser

from nubrak.core.layer.plan import plan_layer, render_layer
from nubrak.core.layer.settings import HitOffset, Layer
from nubrak.core.layer.voice import Voice, cuts, made_ready
from nubrak.core.samples.kit import Instrument, Sample
from nubrak.core.shape.notes import Notes

RATE = 44100


def notes(
    times: list[float], velocity: list[int] | int = 100, numbers: list[int] | None = None, beats: float = 0.5
) -> Notes:
    each = np.array(velocity if isinstance(velocity, list) else [velocity] * len(times))
    return Notes(np.array(times), each, 38, 10, beats, None if numbers is None else np.array(numbers))


def instrument(*samples: Sample) -> Instrument:
    return Instrument(name="I", piece="snare", samples=list(samples))


ONES = np.ones((RATE, 1), np.float32)


def ones(sample: Sample, voice: Voice) -> tuple[np.ndarray, int]:
    return made_ready(ONES, sample.attack_s, RATE, voice)


@pytest.mark.parametrize("slope", [6, 12, 24])
@pytest.mark.parametrize("hz", [150.0, 1000.0])
def test_cuts_have_the_slope_they_say(slope: int, hz: float) -> None:
    low, high = (
        cuts(Voice.model_validate({f"{kind}_cut_hz": hz, f"{kind}_cut_slope": slope}), RATE)
        for kind in ("low", "high")
    )
    for sections, octave_out in ((low, hz / 2), (high, hz * 2)):
        _, response = freqz_sos(
            sections, worN=[hz, octave_out, octave_out / 2 if sections is low else octave_out * 2], fs=RATE
        )
        level = 20 * np.log10(np.abs(response))
        assert level[0] == pytest.approx(-3.01, abs=0.02)  # a Butterworth filter is 3 dB down at its edge
        assert level[2] - level[1] == pytest.approx(-slope, abs=1.6)
    assert cuts(Voice(), RATE) is None


@pytest.mark.parametrize("semitones", [-12.0, -5.0, 0.5, 7.0, 12.0])
def test_tuning_moves_the_pitch_and_keeps_it_still(semitones: float) -> None:
    t = np.arange(RATE) / RATE
    tone = np.sin(2 * np.pi * 440 * t).astype(np.float32)[:, None]
    ready, attack = made_ready(tone, 0.1, RATE, Voice(tune_semitones=semitones))
    ratio = 2 ** (semitones / 12)
    assert len(ready) == pytest.approx(RATE / ratio, abs=2) and attack == round(0.1 / ratio * RATE)
    middle = ready[2000:-2000, 0]
    crossings = np.nonzero((middle[:-1] < 0) & (middle[1:] >= 0))[0]
    exact = crossings + middle[crossings] / (middle[crossings] - middle[crossings + 1])
    periods = np.diff(exact) / RATE
    assert 1 / periods.mean() == pytest.approx(440 * ratio, rel=1e-5)
    assert periods.std() / periods.mean() < 2e-4, "no wobble"
    # soxr's very high quality: what it adds beside the tone lies under -100 dB
    spectrum = np.abs(np.fft.rfft(middle * blackmanharris(len(middle)))) ** 2
    peak = int(spectrum.argmax())
    beside = np.delete(spectrum, np.arange(max(peak - 60, 0), peak + 61))
    assert 10 * np.log10(beside.max() / spectrum[peak]) < -90


def test_start_envelope_and_polarity_act_from_the_attack_on() -> None:
    ramp = np.zeros((RATE, 1), np.float32)
    ramp[1000:, 0] = 1.0
    ready, attack = made_ready(ramp, 1000 / RATE, RATE, Voice(start_ms=10, polarity=-1))
    assert ready[attack, 0] == -1.0 and len(ready) == RATE - 1000 - 441 + attack
    shaped, attack = made_ready(ramp, 1000 / RATE, RATE, Voice(attack_ms=10, hold_ms=50, decay_ms=100))
    at = {ms: float(shaped[attack + round(ms * RATE / 1000), 0]) for ms in (5, 30, 60, 110, 200)}
    assert at[5] == pytest.approx(0.5, abs=0.01) and at[30] == 1.0
    # 60 dB within 100 ms after the hold of 50: 10 ms in, 6 dB; 60 ms in, 36 dB
    assert (
        20 * np.log10(at[60]) == pytest.approx(-6.0, abs=0.1)
        and 20 * np.log10(at[110]) == pytest.approx(-36.0, abs=0.1)
        and at[200] == 0
    )


def test_round_robin_never_repeats_and_does_not_depend_on_the_window() -> None:
    kit = instrument(
        *[Sample(audio=f"s{i}", low_velocity=1, high_velocity=60) for i in range(3)],
        *[Sample(audio=f"l{i}", low_velocity=61, high_velocity=127) for i in range(2)],
    )
    velocity = np.random.default_rng(1).integers(1, 128, 200).tolist()
    plan = plan_layer(Layer(instrument=kit), notes(np.arange(200) * 0.1, velocity), RATE)
    soft = [plan.samples[i].audio for i, v in zip(plan.sample, velocity, strict=True) if v <= 60]
    loud = [plan.samples[i].audio for i, v in zip(plan.sample, velocity, strict=True) if v > 60]
    assert all(a != b for one in (soft, loud) for a, b in pairwise(one)) and set(soft) == {"s0", "s1", "s2"}


@settings(max_examples=30, deadline=None)
@given(st.integers(0, 2 * RATE), st.integers(1, 8000), st.sampled_from(["whole", "note"]), st.booleans())
def test_windows_join_whatever_cuts_a_sound_short(start: int, frames: int, length: str, chokes: bool) -> None:
    layer = Layer.model_validate(
        {
            "instrument": instrument(Sample(audio="x", attack_s=0.002)),
            "length": length,
            "silenced_by": [42] if chokes else [],
            "offset_samples": -17,
        }
    )
    line = notes([0.1, 0.3, 0.31, 0.9, 1.2], [90, 80, 120, 30, 100], [46, 46, 42, 46, 42], beats=0.25)
    whole = render_layer(layer, line, ones, RATE, 0, 3 * RATE)
    assert np.array_equal(render_layer(layer, line, ones, RATE, start, frames), whole[start : start + frames])


def test_a_closed_hat_silences_an_open_one_and_nothing_else_does() -> None:
    layer = Layer(
        instrument=instrument(Sample(audio="x", velocity=100)),
        notes=[46],
        silenced_by=[42, 44],
        level_db=0,
        fade_ms=10,
    )
    out = render_layer(layer, notes([0.1, 0.2, 0.5], 100, [46, 38, 42]), ones, RATE, 0, RATE)[:, 0]
    assert out[round(0.25 * RATE)] == 1.0, "a snare does not"
    assert out[round(0.505 * RATE)] == pytest.approx(0.5, abs=0.01) and out[round(0.511 * RATE)] == 0, (
        "faded within 10 ms"
    )
    assert out[round(0.55 * RATE)] == 0, "the closed one has no sound in this layer"


def test_ranges_ghosts_and_single_offsets() -> None:
    line = notes([0.1 * i for i in range(1, 13)], [110, 30, 112, 28, 108, 33, 111, 31, 109, 29, 113, 30])
    kit = instrument(Sample(audio="x"))
    assert plan_layer(Layer(instrument=kit, low_velocity=110), line, RATE).row.tolist() == [0, 2, 6, 10]
    assert plan_layer(Layer(instrument=kit, strokes="ghosts"), line, RATE).row.tolist() == [1, 3, 5, 7, 9, 11]
    assert plan_layer(Layer(instrument=kit, strokes="full"), line, RATE).row.tolist() == [0, 2, 4, 6, 8, 10]
    layer = Layer(instrument=kit, offset_samples=10, each=[HitOffset(time_s=0.2, offset_samples=-5)])
    assert plan_layer(layer, line, RATE).begin[:3].tolist() == [4410 + 10, 8820 - 5, 13230 + 10]


@pytest.mark.parametrize("semitones", [-12.0, -5.0, 3.0, 7.0, 12.0])
def test_tuning_keeps_the_pass_band_and_lets_no_alias_through(semitones: float) -> None:
    # The figures are those soxr states for its very high quality: a pass band flat to under 0.1 dB and images
    # more than 100 dB down.
    rate, count = 44100, 1 << 16
    ratio = 2 ** (semitones / 12)
    window = kaiser(count // 4, 22.0)  # side lobes under -160 dB
    # Of its noise, in bins (Harris 1978).
    bandwidth = len(window) * float((window**2).sum()) / float(window.sum()) ** 2

    def levels(hz: float) -> tuple[float, float]:
        tone = (0.5 * np.sin(2 * np.pi * hz * np.arange(count) / rate)).astype(np.float32)[:, None]
        made, _ = made_ready(tone, 0.0, rate, Voice(tune_semitones=semitones))
        middle = made[len(made) // 4 : len(made) // 4 + len(window), 0].astype(float) * window
        spectrum = np.abs(np.fft.rfft(middle)) / (0.25 * window.sum())
        at = round(hz * ratio / rate * len(window))
        near = slice(max(at - 10, 0), at + 11)
        inside = float(np.sqrt((spectrum[near] ** 2).sum() / bandwidth))
        rest = spectrum.copy()
        rest[near] = 0
        return 20 * np.log10(max(inside, 1e-12)), 20 * np.log10(float(rest.max()))

    for hz in (100.0, 1000.0, 8000.0):
        if hz * ratio < 0.45 * rate:
            passed, rest = levels(hz)
            assert abs(passed) < 0.1 and rest < -100.0, (hz, passed, rest)
    if ratio > 1:
        above = 0.49 * rate  # over half the rate once tuned up: nothing of it may come back lower down
        passed, rest = levels(above)
        assert max(passed, rest) < -100.0


def test_tuned_up_and_down_again_is_the_same_sound() -> None:
    rng = np.random.default_rng(4)
    sound = np.convolve(rng.standard_normal(20000), np.hanning(64), "same").astype(np.float32)[:, None]
    there, _ = made_ready(sound, 0.0, 44100, Voice(tune_semitones=-7.0))
    back, _ = made_ready(there, 0.0, 44100, Voice(tune_semitones=7.0))
    middle = slice(2000, 17000)
    assert np.abs(back[middle] - sound[middle]).max() < 1e-4 * np.abs(sound).max()
