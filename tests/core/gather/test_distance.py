"""How far a microphone stood, by what others beside it heard first."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.find import Candidates, find_candidates
from nubrak.core.gather.distance import lateness_ms
from tests.conftest import RATE_HZ
from tests.core.sort.made import mixture

LENGTH_S = 10.0
BEATS_S = [0.3 + 0.5 * beat for beat in range(18)]


def late(signal: np.ndarray, ms: float) -> np.ndarray:
    frames = round(ms * RATE_HZ / 1000)
    return np.concatenate([np.zeros(frames, np.float32), signal])[: len(signal)]


def reverberation(signal: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """A second of decaying noise on everything, 60 dB down at its end."""
    t = np.arange(RATE_HZ) / RATE_HZ
    answer = rng.standard_normal(len(t)) * np.exp(-6.9 * t) * np.minimum(t / 0.02, 1.0)
    spectrum = np.fft.rfft(signal, 1 << 20) * np.fft.rfft(answer / np.linalg.norm(answer), 1 << 20)
    return np.fft.irfft(spectrum)[: len(signal)].astype(np.float32)


@pytest.fixture(scope="module")
def drums() -> dict[str, np.ndarray]:
    return {
        "kick": mixture([(at, "kick", 0.9) for at in BEATS_S[::2]], LENGTH_S),
        "snare": mixture([(at, "snare", 0.9) for at in BEATS_S[1::2]], LENGTH_S),
        "hat": mixture([(at + off, "hat-closed", 0.7) for at in BEATS_S for off in (0.0, 0.25)], LENGTH_S),
    }


def heard(signal: np.ndarray) -> Candidates:
    hiss = np.random.default_rng(2).standard_normal(len(signal)) * 1e-4
    return find_candidates((signal + hiss).astype(np.float32), RATE_HZ)


@pytest.mark.parametrize(("far_ms", "wet"), [(4.0, 0.0), (9.0, 0.7), (14.0, 2.0)])
def test_a_far_microphone_is_late_by_its_way_and_one_at_a_drum_is_first(
    drums: dict[str, np.ndarray], far_ms: float, wet: float
) -> None:
    kick, snare, hat = drums["kick"], drums["snare"], drums["hat"]
    close = {
        "kick": kick + 0.05 * late(snare, 2.9) + 0.01 * late(hat, 2.0),
        "snare": snare + 0.08 * late(kick, 2.9) + 0.05 * late(hat, 1.5),
        "hat": hat + 0.2 * late(snare, 1.5) + 0.05 * late(kick, 3.0),
    }
    far = 0.3 * late(kick + snare + 0.5 * hat, far_ms)
    found = {name: heard(one) for name, one in close.items()}
    found["far"] = heard(far + wet * reverberation(far, np.random.default_rng(5)))
    for name, one in found.items():
        late_ms = lateness_ms(one, [other for beside, other in found.items() if beside != name])
        if name == "far":
            assert late_ms == pytest.approx(far_ms, abs=1.0)
        else:
            assert late_ms is None, name


def test_too_little_tells_nothing(drums: dict[str, np.ndarray]) -> None:
    one = heard(drums["kick"][: 2 * RATE_HZ])
    assert lateness_ms(one, [heard(drums["snare"])]) is None and lateness_ms(one, []) is None
