"""What a sample is: pitch, polarity, length, loudness, character."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.samples.kit import Instrument, Sample
from nubrak.core.samples.measure import attack_of, character, measure

RATE = 48000


def stroke(
    hz: float, decay_s: float = 0.15, silence_s: float = 0.0, sign: int = 1, level: float = 0.5
) -> np.ndarray:
    t = np.arange(round(RATE * 1.5)) / RATE
    body = sign * level * np.sin(2 * np.pi * hz * t) * np.exp(-t / decay_s)
    return np.concatenate([np.zeros(round(silence_s * RATE)), body]).astype(np.float32)[:, None]


@pytest.mark.parametrize("hz", [41.0, 55.0, 110.0, 196.0, 440.0])
@pytest.mark.parametrize("sign", [1, -1])
def test_pitch_polarity_length_and_peak_of_a_known_stroke(hz: float, sign: int) -> None:
    audio = stroke(hz, silence_s=0.02, sign=sign)
    attack_s = attack_of(audio[:, 0], RATE)
    assert attack_s == pytest.approx(0.02, abs=0.002)
    found = measure(audio, attack_s, RATE)
    assert found.fundamental_hz == pytest.approx(hz, rel=0.015)
    assert found.first_half_wave == sign
    assert found.length_s == pytest.approx(0.15 * np.log(1000), rel=0.1)  # 60 dB are a factor of 1000
    assert found.peak_db == pytest.approx(20 * np.log10(np.abs(audio).max()), abs=0.01)


def test_noise_has_no_pitch_and_loudness_follows_level() -> None:
    rng = np.random.default_rng(1)
    noise = (
        0.3 * rng.standard_normal((RATE // 2, 2)) * np.exp(-np.arange(RATE // 2) / 4000)[:, None]
    ).astype(np.float32)
    loud, soft = measure(noise, 0.0, RATE), measure(noise / 2, 0.0, RATE)
    assert loud.fundamental_hz is None
    assert loud.loudness_lkfs - soft.loudness_lkfs == pytest.approx(6.02, abs=0.05)
    assert loud.bright_hz == pytest.approx(RATE / 4, rel=0.15), "white noise is centred in its band"


def test_of_two_modes_the_lower_is_the_pitch_not_what_they_have_in_common() -> None:
    both = stroke(186.0) + stroke(331.0)  # a common period would be near 37 Hz
    assert measure(both, 0.0, RATE).fundamental_hz == pytest.approx(186, rel=0.02)


def test_words_of_character_follow_the_measures() -> None:
    deep = Instrument(
        name="x", piece="kick", samples=[Sample(audio="a", measured=measure(stroke(50.0), 0.0, RATE))]
    )
    assert {"deep", "dark", "tuned"} <= set(character(deep))
