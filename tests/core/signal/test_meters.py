"""Meters over the published test signals."""

from __future__ import annotations

import numpy as np

from nubrak.core.signal.meters import EARLY_S, metered


def test_meters_read_the_published_tones() -> None:
    # EBU Tech 3341, test 1: a stereo sine of 1000 Hz at -23 dBFS (peak) reads -23 LUFS momentary.
    t = np.arange(3 * 48000) / 48000
    tone = (10 ** (-23 / 20) * np.sin(2 * np.pi * 1000 * t))[:, None].repeat(2, 1).astype(np.float32)
    early = round(EARLY_S * 48000)
    peak, loud = metered(tone, 48000, early)
    assert len(peak) == len(loud) == 22
    assert np.allclose(loud, -23.0, atol=0.1) and np.allclose(peak, -23.0, atol=0.05)
    silent = metered(np.zeros((48000, 2), np.float32), 48000, 0)
    assert silent[0].max() <= -119 and silent[1].max() <= -119 and len(silent[0]) == len(silent[1]) == 10
