"""A drum by its pitch and its decay."""

from __future__ import annotations

import numpy as np

RATE = 44100


def drum(hz: float, decay_s: float, noise: float = 0.0, seed: int = 0) -> np.ndarray:
    t = np.arange(round(0.9 * RATE)) / RATE
    rng = np.random.default_rng(seed)
    body = np.sin(2 * np.pi * hz * t) * np.exp(-t / decay_s) + noise * rng.standard_normal(len(t)) * np.exp(
        -t / 0.03
    )
    return (0.3 * body).astype(np.float32)
