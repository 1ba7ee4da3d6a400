"""Strokes of one drum, each with its own strength and noise."""

from __future__ import annotations

import numpy as np

RATE_HZ = 44100


def drum_strokes(seed: int) -> np.ndarray:
    t = np.arange(round(0.3 * RATE_HZ)) / RATE_HZ
    rng = np.random.default_rng(5)
    click = rng.standard_normal(200) * np.exp(-np.arange(200) / 40)
    body = np.sin(2 * np.pi * 180 * t) * np.exp(-t / 0.08)
    body[:200] += 1.5 * click
    return body * (1 + 0.02 * np.random.default_rng(seed).standard_normal())
