"""What stages do, as it is drawn: spectra before and after, the curve of the filters, how far dynamics turns
down, and what brings before and after to one loudness.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.signal import welch

from nubrak.core.mix.chain import Played, Stage, through
from nubrak.core.mix.dynamics import LEVEL_STEP, DynamicsStage, gain_db, reach_samples
from nubrak.core.mix.equaliser import CutsStage, EqualiserStage, response_db, sections_of
from nubrak.core.signal import Stretch

LOWEST_DB = -120.0
_WINDOW = 8192  # of a spectrum: 5 Hz apart at 44.1 kHz, so that a kick's lowest is told from its second
_SMOOTH = 1 / 12  # octaves to each side


def drawn_hz(count: int = 240) -> NDArray[np.float64]:
    """The frequencies that are drawn, (count,): as far apart for the ear everywhere."""
    return np.geomspace(20.0, 20000.0, count)


def spectrum_db(sound: NDArray[np.float32], rate_hz: int, at_hz: NDArray[np.float64]) -> NDArray[np.float64]:
    """How loud sound (frames, channels) is around each frequency (n,), (n,) in dBFS a third of an octave
    wide: Welch's mean over its whole length.
    """
    if not len(sound) or not sound.any():
        return np.full(len(at_hz), LOWEST_DB)
    size = min(_WINDOW, len(sound))
    columns, density = welch(sound.astype(np.float64), rate_hz, nperseg=size, axis=0)
    power = np.concatenate([[0.0], np.cumsum(density.sum(axis=1))])
    edges = np.stack([at_hz * 2**-_SMOOTH, at_hz * 2**_SMOOTH])
    low, high = np.interp(edges, np.append(columns, columns[-1]), power)
    # What it has between two edges, as if it went on over a third of an octave.
    third = (2 ** (1 / 6) - 2 ** (-1 / 6)) / (2**_SMOOTH - 2**-_SMOOTH)
    level = 10 * np.log10(np.maximum((high - low) * columns[1] * third, 10 ** (LOWEST_DB / 10)))
    return np.asarray(level)


def curve_db(chain: list[Stage], at_hz: NDArray[np.float64], rate_hz: int) -> NDArray[np.float64]:
    """What the filters of a chain that are on do to each frequency (n,), (n,) in dB."""
    out = np.zeros(len(at_hz))
    for stage in chain:
        if stage.on and isinstance(stage, CutsStage | EqualiserStage):
            out += response_db(sections_of(stage, rate_hz), at_hz, rate_hz)
    return out


def turned_down_db(
    chain: list[Stage], number: int, plain: Stretch, played: Played, start: int, frames: int, columns: int
) -> NDArray[np.float64]:
    """How far the dynamics at ``number`` of a chain turns down what comes to it, from sample ``start`` on:
    the most in each of ``columns`` equal stretches, (columns,) in dB, 0 and more.
    """
    stage = chain[number]
    if not isinstance(stage, DynamicsStage) or not frames:
        return np.zeros(columns)
    early = min(reach_samples(stage, played.rate_hz), start)
    sound = through(chain[:number], plain, played, start - early, frames + early)
    down = gain_db(sound.astype(np.float64), stage, played.rate_hz)
    edges = (early + np.linspace(0, frames, columns + 1)[:-1]).astype(np.int64) // LEVEL_STEP
    return np.maximum.reduceat(down, np.minimum(edges, len(down) - 1))
