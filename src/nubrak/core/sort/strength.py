"""How hard a piece was struck where others are struck with it: its own share of the sound.

The spectra of a source's moments are told apart into the sounds struck in them: each sound has one spectrum,
learnt first from where it stands alone, and at each moment a gain; what rang before is known and added. Gains
and spectra are found by multiplicative updates (Févotte and Idier, "Algorithms for nonnegative matrix
factorization with the beta-divergence", 2011) at a beta of one half, between Itakura and Saito's divergence
and Kullback and Leibler's, which lets a soft hat weigh beside a loud kick. Few steps are taken: more fit what
is not there.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from nubrak.core.pieces import PIECES
from nubrak.core.sort.listening import Sounding
from nubrak.core.sort.moment_spectra import LONG_EDGES_HZ
from nubrak.core.sort.sorting import COUNTS_FROM, Sorted
from nubrak.core.sort.sounds import piece_of

# Chosen on loops of made drums and of sound fonts; all by how well levels are ordered under others.
_FIRST_STEPS, _SPECTRUM_STEPS, _LAST_STEPS = 2, 3, 5
_OWN_COLUMNS = 4  # the power by which columns count where a sound outweighs the others struck with it
_RINGS_ON = np.array([0.6, 0.48])  # of what rang before, in the windows of the attack
_RINGS_MOST = 0.7  # of what is heard
_OUTSIDE = 0.03  # of a sound that never stands alone, beside the band in which its piece speaks
_NEVER_ALONE = 0.25  # quantile of the moments that such a sound begins with
_ALONE = 0.2  # how likely all others may be where a sound stands alone
_FEWEST = 2  # strokes alone that the others are brought to
_FLOOR = 1e-7
Array = NDArray[np.float64]


def own_share_db(sort: Sorted, sounds: tuple[str, ...], strength_db: Array, band_db: Array) -> Array:
    """The level of a piece's share at each candidate, (n,) in dB; ``strength_db`` (n,) is what its strength
    is measured by where it stands alone, ``band_db`` (n,) what the band it speaks in holds. A share is never
    louder than the whole.
    """
    own = sort.only(sounds).probability.max(axis=1, initial=0.0) > COUNTS_FROM
    alone = (sort.only(sounds).of_any() > 0.5) & (sort.without(sounds).of_any() < _ALONE)
    if not own.any() or not len(sort.sounding.around_db):
        return np.minimum(band_db, strength_db)
    share_db = shares_db(sort, sounds)
    if np.count_nonzero(alone) >= _FEWEST:
        apart_db = float(np.median((strength_db - share_db)[alone]))
    else:
        apart_db = float(np.median((np.minimum(band_db, strength_db) - share_db)[own]))
    return np.where(alone, strength_db, np.minimum(share_db + apart_db, strength_db))


def shares_db(sort: Sorted, sounds: tuple[str, ...]) -> Array:
    """How loud these sounds are at each candidate by their share of its spectrum, (n,) in dB; at those where
    they are not struck, as loud as they could be.
    """
    struck = sort.probability > COUNTS_FROM
    columns = np.nonzero(struck.any(axis=0))[0]
    own = np.array([sort.sounds[k] in sounds for k in columns], bool)
    struck = struck[:, columns]
    likeliest = np.where(own, sort.probability[:, columns], -1.0).argmax(axis=1)
    unsaid = ~struck[:, own].any(axis=1)
    heard, rang = _heard(sort.sounding)
    rows = struck.any(axis=1)
    spectra = _started([sort.sounds[k] for k in columns], struck[rows], heard[rows], rang[rows])
    spectra, _ = _told_apart(spectra, struck[rows], heard[rows], rang[rows], _FIRST_STEPS, _SPECTRUM_STEPS)
    struck[unsaid, likeliest[unsaid]] = True
    _, gains = _told_apart(spectra, struck, heard, rang, _LAST_STEPS)
    return np.asarray(10.0 * np.log10(gains[:, own].sum(axis=1) + _FLOOR))


def _heard(sounding: Sounding) -> tuple[Array, Array]:
    """Power around each attack, (n, windows x bands), and what of it rang before."""
    power = 10.0 ** (sounding.around_db / 10.0)
    heard = power[:, 1:].reshape(len(power), power.shape[2] * len(_RINGS_ON))
    rang = (power[:, :1] * _RINGS_ON[None, :, None]).reshape(heard.shape)
    return heard + _FLOOR, np.minimum(rang, _RINGS_MOST * heard) + _FLOOR


def _started(names: list[str], struck: NDArray[np.bool_], heard: Array, rang: Array) -> Array:
    """The spectrum of each sound to begin with, (sounds, windows x bands): the mean of its strokes alone."""
    out, lone = np.empty((len(names), heard.shape[1])), struck.sum(axis=1) == 1
    for k, name in enumerate(names):
        alone = struck[:, k] & lone
        if alone.any():
            own = np.maximum(heard[alone] - rang[alone], 0.02 * heard[alone])
            out[k] = np.exp(np.log(own / own.sum(axis=1, keepdims=True)).mean(axis=0))
        else:
            piece = PIECES[piece_of(name)]
            inside = (LONG_EDGES_HZ[1:] > piece.low_hz) & (LONG_EDGES_HZ[:-1] < piece.high_hz)
            band = np.tile(np.where(inside, 1.0, _OUTSIDE), len(_RINGS_ON))
            out[k] = band * np.quantile(heard[struck[:, k]], _NEVER_ALONE, axis=0)
    return out / out.sum(axis=1, keepdims=True)


def _told_apart(
    spectra: Array, struck: NDArray[np.bool_], heard: Array, rang: Array, steps: int, relearnt: int = 0
) -> tuple[Array, Array]:
    """Spectra (sounds, columns), after some steps learnt anew ``relearnt`` times, and gains (n, sounds) that
    together with what rang before make what is heard.
    """
    gains = _begun(spectra, struck, np.maximum(heard - rang, 0.02 * heard))
    for step in range(steps + relearnt):
        of_gain, of_model = _pull(gains @ spectra + rang, heard)
        gains = gains * (of_gain @ spectra.T) / (of_model @ spectra.T)
        if step >= steps:
            of_gain, of_model = _pull(gains @ spectra + rang, heard)
            spectra = spectra * (gains.T @ of_gain + _FLOOR) / (gains.T @ of_model + _FLOOR)
            size = spectra.sum(axis=1)
            spectra, gains = spectra / size[:, None], gains * size
    return spectra, gains


def _begun(spectra: Array, struck: NDArray[np.bool_], own: Array) -> Array:
    """Gains to begin with, (n, sounds): each sound's by the columns in which it outweighs the others."""
    out = np.zeros(struck.shape)
    for together in np.unique(struck, axis=0):
        rows, k = np.nonzero((struck == together).all(axis=1))[0], np.nonzero(together)[0]
        if len(k):
            counts = (spectra[k] / spectra[k].sum(axis=0)) ** _OWN_COLUMNS
            out[np.ix_(rows, k)] = (own[rows] @ counts.T) / (counts * spectra[k]).sum(axis=1)
    return out


def _pull(model: Array, heard: Array) -> tuple[Array, Array]:
    """Both sides of the gradient of the beta divergence, at a beta of one half."""
    of_model = 1.0 / np.sqrt(model)
    return heard * of_model / model, of_model
