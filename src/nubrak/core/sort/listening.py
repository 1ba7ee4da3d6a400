"""Listening: what sorting keeps of every candidate of a source, from its audio alone, once.

Per candidate: how likely each sound is, what it sounds like (a coarse spectrum at its attack and a little
later), its spectrum before and at the attack, and where it stands on axes that a person can read: dark to
bright, short to long.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from nubrak.core.find import Candidates
from nubrak.core.sort.moment_spectra import LONG_EDGES_HZ, MomentSpectra, moment_spectra
from nubrak.core.sort.network import taught, tell
from nubrak.core.sort.sounds import SOUNDS

VERSION = 2  # a new number makes what is kept anew
_AROUND = (0, 2, 3)  # of the long windows: before the attack, over it and after it
_AT, _LATER = 2, 4  # of the long windows: over the attack, and 35 ms after it
_COARSE = 4  # bands of the long windows in one of the coarse spectrum
_BANDS = len(LONG_EDGES_HZ) - 1
_COLUMNS = len(SOUNDS) + 2 + 2 * _BANDS // _COARSE + len(_AROUND) * _BANDS
_FALL_DB = 30.0  # what a sound has faded by when it is heard as gone (common practice)
# Where the middle of each long window that begins with or after the attack lies, in s.
_MIDDLE_S = (np.array([-512, 512, 1536, 2560, 4096, 6144, 9216, 13312, 17408]) + 1024) / 44100
_SHORTEST_S, _LONGEST_S = 0.02, 2.0


@dataclass(frozen=True)
class Sounding:
    """Of each candidate: ``log_odds`` (n, sounds) as the network tells them,
    ``brightness_hz`` (n,) the middle of its spectrum, ``ring_s`` (n,) how long it takes to fade, and
    ``colour`` (n, 28) its coarse spectrum in dB at the attack and later. ``around_db`` (n, 3, 56) is its
    spectrum before, over and after the attack.
    """

    log_odds: NDArray[np.float64]
    brightness_hz: NDArray[np.float64]
    ring_s: NDArray[np.float64]
    colour: NDArray[np.float64]
    around_db: NDArray[np.float64] = field(default_factory=lambda: np.zeros((0, len(_AROUND), _BANDS)))

    def __len__(self) -> int:
        return len(self.brightness_hz)


def listen(mono: NDArray[np.float32], found: Candidates, rate_hz: int) -> Candidates:
    """Candidates of a signal ``mono`` (frames,) with what sorting keeps of them."""
    spectra = moment_spectra(mono, found.time_s, rate_hz)
    log_odds = tell(spectra, found.time_s, found.rise_db, taught())
    return replace(found, sounding=_kept(log_odds, spectra))


def sounding_of(found: Candidates) -> Sounding | None:
    """What was kept of candidates; None where their source was not listened to for this."""
    kept = found.sounding.astype(np.float64)
    if len(kept) != len(found) or kept.shape[1] != _COLUMNS:
        return None
    return _read(kept)


def _read(kept: NDArray[np.float64]) -> Sounding:
    count = len(SOUNDS)
    colour, around = np.split(kept[:, count + 2 :], [2 * _BANDS // _COARSE], axis=1)
    return Sounding(
        kept[:, :count],
        2.0 ** kept[:, count],
        2.0 ** kept[:, count + 1],
        colour,
        around.reshape(len(kept), len(_AROUND), _BANDS),
    )


def sounding_from(log_odds: NDArray[np.floating], spectra: MomentSpectra) -> Sounding:
    """What would be kept of moments, from what a network tells of their spectra."""
    kept = _kept(log_odds, spectra).astype(np.float64)
    return _read(kept)


def _kept(log_odds: NDArray[np.floating], spectra: MomentSpectra) -> NDArray[np.float16]:
    """Columns in the order that ``sounding_of`` reads."""
    power = 10.0 ** (spectra.long / 10.0)
    # What rang before is taken off, so that a hat over a ringing kick stands where hats stand.
    own = np.maximum(power - power[:, :1], 0.02 * power)
    bands = own.shape[2] // _COARSE
    coarse = own.reshape(len(own), own.shape[1], bands, _COARSE).sum(axis=3)
    colour = 10.0 * np.log10(np.maximum(coarse[:, (_AT, _LATER)].reshape(len(own), 2 * bands), 1e-8))
    columns = [log_odds, np.log2(_brightness_hz(own))[:, None], np.log2(_ring_s(own))[:, None], colour]
    columns.append(spectra.long[:, _AROUND].reshape(len(own), len(_AROUND) * _BANDS))
    return np.concatenate(columns, axis=1).astype(np.float16)


def _brightness_hz(power: NDArray[np.float32]) -> NDArray[np.float32]:
    """Where, on a scale of octaves, the middle of the spectrum at the attack lies, (n,): loudness weighs by
    its square root, so that a hat's hiss counts beside a thud.
    """
    centres = np.log2(np.sqrt(LONG_EDGES_HZ[1:] * LONG_EDGES_HZ[:-1]))
    weight = np.sqrt(power[:, _AT]) + 1e-9
    return np.asarray(2.0 ** (weight @ centres / weight.sum(axis=1)))


def _ring_s(power: NDArray[np.float32]) -> NDArray[np.float32]:
    """How long a sound takes to fade by ``_FALL_DB``, (n,) in s: from how fast it falls until it first rises
    again.
    """
    level = 10.0 * np.log10(np.maximum(power[:, _AT:].sum(axis=2), 1e-9))
    falls = np.minimum.accumulate(
        np.concatenate([np.ones((len(level), 1)), np.diff(level, axis=1) < 1.5], axis=1), axis=1
    )
    weight = falls * (level > level[:, :1] - 45.0)
    weight[:, :3] = 1.0
    time = _MIDDLE_S[None] - (weight * _MIDDLE_S).sum(axis=1, keepdims=True) / weight.sum(
        axis=1, keepdims=True
    )
    slope = (weight * time * level).sum(axis=1) / np.maximum((weight * time**2).sum(axis=1), 1e-9)
    return np.clip(_FALL_DB / np.maximum(-slope, 1e-3), _SHORTEST_S, _LONGEST_S)
