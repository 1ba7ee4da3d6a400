"""Drive: no aliases, no delay, as loud as before."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.mix.drive import REACH_SAMPLES, DriveStage, driven

RATE_HZ = 48000


def sine(hz: float, level: float, frames: int = 1 << 15) -> np.ndarray:
    t = np.arange(frames) / RATE_HZ
    return np.repeat(level * np.sin(2 * np.pi * hz * t)[:, None], 2, axis=1)


@pytest.mark.parametrize("drive_db", [6.0, 12.0, 18.0])
@pytest.mark.parametrize("cycles", [683, 1361, 3413, 5003])
def test_what_folds_back_lies_80_db_under_the_sine(drive_db: float, cycles: int) -> None:
    """A sine of a whole number of cycles: everything that is no multiple of it was folded back."""
    frames = 1 << 15
    sound = sine(cycles * RATE_HZ / frames, 0.5, frames + 2 * REACH_SAMPLES)
    out = driven(sound, DriveStage(drive_db=drive_db))[REACH_SAMPLES : REACH_SAMPLES + frames, 0]
    spectrum = np.abs(np.fft.rfft(out * np.blackman(frames)))
    aliases = spectrum.copy()
    for k in range(0, frames // 2, cycles):
        aliases[max(k - 4, 0) : k + 5] = 0
    assert 20 * np.log10(aliases.max() / spectrum.max()) < -80


def test_it_is_neither_late_nor_early() -> None:
    # So softly driven it changes nothing, and the difference says whether it is in time to a fraction.
    sound = sine(2000.0, 0.001, 4096)
    out = driven(sound, DriveStage(drive_db=1.0))
    inner = slice(REACH_SAMPLES, -REACH_SAMPLES)
    scale = float(out[inner, 0] @ sound[inner, 0] / (sound[inner, 0] @ sound[inner, 0]))
    residue = out[inner] - scale * sound[inner]
    assert 20 * np.log10(np.abs(residue).max() / np.abs(sound).max()) < -70


def test_level_is_made_up_and_no_drive_is_none() -> None:
    sound = sine(500.0, 0.25, 8192)
    for drive_db in (3.0, 9.0, 18.0):
        out = driven(sound, DriveStage(drive_db=drive_db))[500:-500]
        assert 20 * np.log10(np.abs(out).max() / 0.25) == pytest.approx(0.0, abs=0.3)
    assert driven(sound, DriveStage(drive_db=0.0)) is sound
