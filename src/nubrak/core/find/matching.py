"""Matching: every candidate against the templates its source repeats.

A drum in front of its microphone gives nearly the same first milliseconds every time. The clearest strokes of
a source are gathered into a few such sounds, and every candidate is aligned with each of them where it fits
best. The fit says how alike they are; the place says when the stroke began, to the sample, also where
another's spill runs ahead of it or something still rings. It is a matched filter in coloured noise: signal
and template are both whitened by what linear prediction learns from the stretch before the candidate (Turin,
"An introduction to matched filters", IRE Trans. IT-6, 1960).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.fft import next_fast_len, rfft

from nubrak.core.signal import (
    ORDER,
    correlation_of_spectra,
    db_to_power,
    power_ratio_to_db,
    prediction_error_filter,
    prediction_residual,
    windows_at,
)

_LEARN_MS = 15.0  # what prediction learns from: just before, and long enough for its ten taps
_BACK_MS, _AHEAD_MS = 17.0, 14.0  # how far from its place a template may be put
_UNDER_AHEAD_MS = 14.0  # and how far what lies under it
LEAD_MS, BODY_MS = 1.0, 7.0  # a template begins before its attack and ends after it
_RIDGE_DB = -60.0  # under the loudest there is only noise to learn
_AWAY_COSTS = 0.02  # likeness that a millisecond away from the place must be worth
_NEAR_MS = 5.0  # a place so near costs nothing
_AT_ONCE = 64  # candidates at a time: what fits the cache
_LEAST_SHARE = 1e-4  # 40 dB under the loudest stretch nothing is alike
_AS_IS_COSTS = 0.15  # likeness without whitening is worth less: ringing alone is like ringing
_DARK_PART, _DARK_SHARE = 22, 0.5  # half of its energy in the lowest kilohertz


@dataclass(frozen=True)
class TemplateMatches:
    """How each candidate matches each template, (n, k): ``similarity`` 0 to 1, and ``attack_s`` where its
    attack then is.

    ``similarity_under`` and ``attack_under_s`` (n, k) are the same for what is left when the template it is
    most like is taken off: a soft stroke under another's spill. ``under_db`` (n, k) is how loud that then is
    against what was there.
    """

    similarity: NDArray[np.float32]
    attack_s: NDArray[np.float64]
    similarity_under: NDArray[np.float32]
    attack_under_s: NDArray[np.float64]
    under_db: NDArray[np.float32]


@dataclass(frozen=True)
class Templates:
    """The sounds of a source: ``heads`` (k, columns), and how far after its assumed place each one's attack
    lies, ``late`` (k,).
    """

    heads: NDArray[np.float64]
    late: NDArray[np.int64]


def match_templates(
    mono: NDArray[np.float32], attacks: NDArray[np.int64], sounds: Templates, rate_hz: int
) -> TemplateMatches:
    """Candidates at ``attacks`` (n,) over the sounds of their source."""
    if not len(sounds.heads) or not len(attacks):
        none = np.zeros((len(attacks), len(sounds.heads)), np.float32)
        return TemplateMatches(none, none.astype(np.float64), none, none.astype(np.float64), none)
    similarity, places, similarity_under, places_under, under_db = _matched(
        mono, attacks, sounds.heads, rate_hz
    )
    late = sounds.late[: len(sounds.heads)]
    return TemplateMatches(
        similarity, (places + late) / rate_hz, similarity_under, (places_under + late) / rate_hz, under_db
    )


def energies(rows: NDArray[np.floating], width: int, lags: int) -> NDArray[np.float32]:
    """Energy of every stretch of ``width`` columns, of the first ``lags``, (n, lags)."""
    sums = np.empty((len(rows), width + lags))
    sums[:, 0] = 0.0
    np.cumsum(np.square(rows[:, : width + lags - 1]), axis=1, dtype=np.float64, out=sums[:, 1:])
    energy = np.subtract(sums[:, width:], sums[:, :lags], dtype=np.float64).astype(np.float32)
    return np.maximum(energy, np.float32(1e-20), out=energy)


def _per_energy(rows: NDArray[np.float32], width: int, lags: int) -> NDArray[np.float32]:
    """What brings every stretch of ``width`` columns to an energy of one, (n, lags). What lies far under the
    loudest stretch is no stroke, however alike; and single precision has nothing to say there.
    """
    energy = energies(rows, width, lags)
    energy += np.float32(_LEAST_SHARE) * energy.max(axis=1, keepdims=True)
    np.sqrt(energy, out=energy)
    return np.reciprocal(energy, out=energy)


def _matched(
    mono: NDArray[np.float32], attacks: NDArray[np.int64], templates: NDArray[np.float64], rate_hz: int
) -> tuple[
    NDArray[np.float32], NDArray[np.float64], NDArray[np.float32], NDArray[np.float64], NDArray[np.float32]
]:
    """Likeness to every template, (n, k), and the sample at which the template's attack then lies, (n, k);
    and both once more, with the level, for what is left without the likest one.
    """
    back, near, ahead, learn, lead = (
        round(ms * rate_hz / 1000) for ms in (_BACK_MS, _AHEAD_MS, _UNDER_AHEAD_MS, _LEARN_MS, LEAD_MS)
    )
    heads = templates[:, ORDER:].astype(np.float32)
    width = heads.shape[1]
    size = 2 * next_fast_len((back + lead + ahead + width + 2 * ORDER + 1) // 2, real=True)
    spectra = np.conj(rfft(heads, size))
    cost = (_AWAY_COSTS * np.abs(np.arange(back + ahead + 1) - back) * 1000 / rate_hz).astype(np.float32)
    first_cost = cost[: back + near + 1]
    heard = _autocorrelation(heads) * np.where(np.arange(ORDER + 1) == 0, 1.0, 2.0)
    shape = (len(attacks), len(heads))
    similarity, under, under_db = (np.zeros(shape, np.float32) for _ in range(3))
    places, places_under = np.zeros(shape), np.zeros(shape)
    for at in range(0, len(attacks), _AT_ONCE):
        part = slice(at, at + _AT_ONCE)
        begin = attacks[part] - back - lead - learn - ORDER
        window = windows_at(mono, begin, learn + ORDER + back + lead + ahead + width)
        window = window / np.maximum(np.abs(window).max(axis=1, keepdims=True), np.float32(1e-9))
        taps = prediction_error_filter(window[:, : ORDER + learn], learn * db_to_power(_RIDGE_DB)).astype(
            np.float32
        )
        white = np.pad(prediction_residual(window[:, learn:], taps), ((0, 0), (0, ORDER)))
        norm = np.maximum(_autocorrelation(taps) @ heard.T, 1e-12).astype(np.float32)
        backwards = np.conj(rfft(taps, size))
        whole = window[:, learn + ORDER :]
        by_white, best, gain, _ = _fits(white, backwards, spectra, norm, width, first_cost, None)
        as_is, best_as_is = _fits_as_is(whole, spectra, width, first_cost, size, by_white)
        # A dark drum over its own ringing is told by its body, which a short prediction cannot see past.
        plain = as_is > by_white
        similarity[part] = np.where(plain, as_is, by_white)
        places[part] = attacks[part, None] - back + np.where(plain, best_as_is, best)
        rows = np.arange(len(white))
        likest = similarity[part].argmax(axis=1)
        shapes = _filtered_whole(heads, likest, taps)
        columns = best[rows, likest][:, None] + np.arange(width + ORDER)
        left = white.copy()
        left[rows[:, None], columns] -= gain[rows, likest][:, None] * shapes
        was = np.einsum("ij,ij->i", white, white)
        under[part], best, _, share = _fits(left, backwards, spectra, norm, width, cost, was)
        places_under[part] = attacks[part, None] - back + best
        under_db[part] = power_ratio_to_db(share, 1e-6)
    return np.clip(similarity, 0.0, 1.0), places, np.clip(under, 0.0, 1.0), places_under, under_db


def _fits(
    white: NDArray[np.float32],
    backwards: NDArray[np.complex64],
    spectra: NDArray[np.complex64],
    norm: NDArray[np.float32],
    width: int,
    cost: NDArray[np.float32],
    was: NDArray[np.float32] | None,
) -> tuple[NDArray[np.float32], NDArray[np.int64], NDArray[np.float32], NDArray[np.float32]]:
    """Every whitened row against every template: likeness, lag and gain of the best fit, (n, k) each; and
    where ``was`` (n,), an energy, is given, the share of it that the fit carries. ``backwards`` (n, columns)
    is each row's filter in reversed time, as a spectrum.
    """
    lags, size = len(cost), 2 * (spectra.shape[1] - 1)
    per_energy = _per_energy(white, width + ORDER, lags)
    # Whitening the template as well is the same as running the whitened signal backwards through the filter
    # once more. (What that wraps round lies behind the last lag: the transform is longer than rows and filter
    # together.)
    twice = rfft(white, size) * backwards
    shape, rows = (len(white), len(spectra)), np.arange(len(white))
    similarity, gain, share = (np.zeros(shape, np.float32) for _ in range(3))
    lag = np.zeros(shape, np.int64)
    scale, fit, product = 1.0 / np.sqrt(norm), np.empty_like(per_energy), np.empty_like(twice)
    for column, spectrum in enumerate(spectra):
        raw = correlation_of_spectra(twice, spectrum, size, lags, out=product)
        np.multiply(raw, per_energy, out=fit)
        fit *= scale[:, column, None]
        fit -= cost
        best = fit.argmax(axis=1)
        similarity[:, column], lag[:, column] = fit[rows, best] + cost[best] - _far(best, cost), best
        gain[:, column] = raw[rows, best] / norm[:, column]
        if was is not None:
            share[:, column] = (
                np.maximum(raw[rows, best], 0.0) ** 2 / norm[:, column] / np.maximum(was, 1e-12)
            )
    return similarity, lag, gain, share


def _far(lag: NDArray[np.int64], cost: NDArray[np.float32]) -> NDArray[np.float32]:
    """What a fit so far away loses: nothing near, so that likeness stays likeness, more and more beyond
    that.
    """
    return np.maximum(cost[lag] - np.float32(_NEAR_MS * _AWAY_COSTS), np.float32(0))


def _fits_as_is(
    rows: NDArray[np.float32],
    spectra: NDArray[np.complex64],
    width: int,
    cost: NDArray[np.float32],
    size: int,
    known: NDArray[np.float32],
) -> tuple[NDArray[np.float32], NDArray[np.int64]]:
    """Likeness and lag of every row to every dark template without whitening, (n, k) each; a little less is
    thought of it. A bright one is told by its click alone; and where the likeness ``known`` (n, k) is more
    than this could give, it is not asked.
    """
    # Parseval: the energy of a template from its half spectrum, in which inner bins stand for two.
    power = np.abs(spectra) ** 2
    norm = (2.0 * power.sum(axis=1) - power[:, 0] - power[:, -1]) / size
    low = power.shape[1] // _DARK_PART
    dark = power[:, :low].sum(axis=1) > _DARK_SHARE * power.sum(axis=1)
    similarity, lag = (
        np.zeros((len(rows), len(spectra)), np.float32),
        np.zeros((len(rows), len(spectra)), np.int64),
    )
    asked = np.nonzero((known[:, dark] < 1.0 - _AS_IS_COSTS).any(axis=1))[0]
    if not len(asked):
        return similarity, lag
    rows = rows[asked]
    lags, at = len(cost), np.arange(len(rows))
    per_energy = _per_energy(rows, width, lags)
    spectrum = rfft(rows, size)
    for column in np.nonzero(dark)[0].tolist():
        template = spectra[column]
        fit = correlation_of_spectra(
            spectrum, (template / np.sqrt(max(float(norm[column]), 1e-12))), size, lags
        )
        fit *= per_energy
        fit -= cost
        best = fit.argmax(axis=1)
        similarity[asked, column], lag[asked, column] = (
            fit[at, best] + cost[best] - _far(best, cost) - _AS_IS_COSTS,
            best,
        )
    return similarity, lag


def _filtered_whole(
    heads: NDArray[np.float32], which: NDArray[np.int64], taps: NDArray[np.float32]
) -> NDArray[np.float32]:
    """For each row the template it is most like, through the row's own filter, (n, columns + order)."""
    chosen = heads[which]
    out = np.zeros((len(which), heads.shape[1] + ORDER), np.float32)
    for lag in range(ORDER + 1):
        out[:, lag : lag + heads.shape[1]] += taps[:, lag : lag + 1] * chosen
    return out


def _autocorrelation(rows: NDArray[np.floating]) -> NDArray[np.float64]:
    """Lags 0 to ``ORDER`` of each row, (n, order + 1)."""
    rows = rows.astype(np.float64)
    return np.stack(
        [np.einsum("ij,ij->i", rows[:, lag:], rows[:, : rows.shape[1] - lag]) for lag in range(ORDER + 1)],
        axis=1,
    )
