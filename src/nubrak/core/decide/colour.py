"""Colour: how a part's own strokes sound over the bands, and how far each candidate is from that and from the
spill that is due.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from nubrak.core.signal import db_to_power, power_to_db
from nubrak.core.spill import PartOnsets

# At which a part's own colour is mixed in: from 6 dB over all of the level down to where it is masked.
_GAINS = db_to_power(np.arange(-24.0, 9.0, 3.0))
_MOST_STROKES = 60  # the loudest tell how a part sounds; more make it no surer and cost time


def template(here: PartOnsets, own: NDArray[np.float64], usual: float) -> NDArray[np.float64]:
    """The colour of a part's own strokes: the median power per band, (bands,), of the surest ones, all
    brought to one level.
    """
    rows = np.nonzero((own > 0.5) & (here.level_db > usual - 15.0))[0]
    if len(rows) < 2:
        rows = np.argsort(here.level_db)[::-1][:2]
    if not len(rows):
        return np.full(here.onset_power.shape[1], 1.0 / here.onset_power.shape[1])
    rows = rows[np.argsort(here.level_db[rows])[::-1][:_MOST_STROKES]]
    shape = here.onset_power[rows] / np.maximum(here.onset_power[rows].sum(axis=1, keepdims=True), 1e-20)
    colour = np.maximum(np.median(shape, axis=0).astype(np.float64), 1e-6)
    return np.asarray(colour / colour.sum())


def unlike_own_and_spill(
    here: PartOnsets, colour: NDArray[np.float64], power: NDArray[np.float32], known: NDArray[np.bool_]
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """How unlike each candidate is to the part's own strokes and to the spill due, in dB over the bands that
    carry it, and how much of its level is own, in dB, by the mixture of both that fits best; (n,) each.

    ``colour`` (bands,) is that of the part's own strokes, ``power`` (n, bands) the spill due, ``known`` (n,)
    whether any is.
    """
    onset_db = power_to_db(here.onset_power)
    loudest = onset_db.max(axis=1, keepdims=True)
    matters = np.clip(1.0 - (loudest - onset_db) / 36.0, 0.02, 1.0) * np.where(here.inside, 1.0, 0.4)
    matters /= matters.sum(axis=1, keepdims=True)

    def unlike(model: NDArray[np.float64]) -> NDArray[np.float64]:
        difference = onset_db - power_to_db(model)
        shift = np.einsum("ij,ij->i", matters, difference)
        return np.einsum("ij,ij->i", matters, np.abs(difference - shift[:, None]))

    own = unlike(np.broadcast_to(colour, here.onset_power.shape))
    spill = np.where(known, unlike(power.astype(np.float64) + 1e-14), 30.0)
    level = here.onset_power[:, here.inside].sum(axis=1, dtype=np.float64)
    inside_share = max(float(colour[here.inside].sum()), 1e-6)
    best, best_gain = np.full(len(onset_db), np.inf), np.zeros(len(onset_db))
    matters32, net32 = matters.astype(np.float32), onset_db.astype(np.float32)
    own_model = (level[:, None] * (colour / inside_share)).astype(np.float32) * 2
    spill_model = power * np.float32(2) + np.float32(1e-12)
    for gain in np.concatenate([[0.0], _GAINS]):
        misfit = np.einsum(
            "ij,ij->i", matters32, np.abs(net32 - 10 * np.log10(spill_model + np.float32(gain) * own_model))
        )
        better = misfit < best - 1e-6
        best[better], best_gain[better] = misfit[better], gain
    return np.clip(own, 0, 30), np.clip(spill, 0, 30), 10.0 * np.log10(np.clip(best_gain, 1e-3, 1.0))
