"""Exemplars: the sounds a source repeats, and every candidate laid over them.

A drum in front of its microphone gives nearly the same first milliseconds every time. The clearest strokes of a source are
gathered into a few such sounds, and every candidate is laid over each of them where it fits best. The fit says how alike they are;
the place says when the stroke began, to the sample, also where another's spill runs ahead of it or something still rings.
Laying over is a matched filter in coloured noise: signal and exemplar are both whitened by what linear prediction learns from
the stretch before the candidate (Turin, "An introduction to matched filters", IRE Trans. IT-6, 1960).
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray
from scipy.fft import irfft, next_fast_len, rfft

from nubrak.core.prediction import ORDER, prediction_error_filter, unexplained
from nubrak.core.windows import windows_at

MOST = 8
_LEARN_MS = 15.0
_BACK_MS, _AHEAD_MS = 17.0, 14.0  # how far from its place a candidate may be laid
_UNDER_AHEAD_MS = 14.0  # and how far what lies under it
_LEAD_MS, _BODY_MS = 1.0, 7.0  # an exemplar begins before its attack and ends after it
_RIDGE_DB = -60.0
_AWAY_COSTS = 0.02  # likeness that a millisecond away from the place must be worth
_NEAR_MS = 5.0
_ALIKE = 0.85
_ALIKE_ENOUGH = 0.6
_AT_ONCE = 64
_LOOKED_AT = 100
_CLEAN_DB = (-28.0, -20.0, -14.0)
_SPAN_DB = 32.0
_UNDER_PEAK = 0.01  # 40 dB under the peak, as an attack is defined
_SAMPLES_NEAR = 6
_STILL_FALLS = 0.6
_LEAST_SHARE = 1e-4
_AS_IS_COSTS = 0.15
_DARK_PART, _DARK_SHARE = 22, 0.5  # half of its energy in the lowest kilohertz


@dataclass(frozen=True)
class Likeness:
    """How each candidate lies over each exemplar, (n, k): ``alike`` 0 to 1, and ``attack_s`` where its attack then is.

    ``alike_under`` and ``attack_under_s`` (n, k) are the same for what is left when the exemplar it is most like is taken off: a
    soft stroke under another's spill. ``under_db`` (n, k) is how loud that then is against what was there.
    """

    alike: NDArray[np.float32]
    attack_s: NDArray[np.float64]
    alike_under: NDArray[np.float32]
    attack_under_s: NDArray[np.float64]
    under_db: NDArray[np.float32]


@dataclass(frozen=True)
class Exemplars:
    """The sounds of a source: ``heads`` (k, columns), and how far after its assumed place each one's attack lies, ``late`` (k,)."""

    heads: NDArray[np.float64]
    late: NDArray[np.int64]


def exemplars_of(mono: NDArray[np.float32], attacks: NDArray[np.int64], level_db: NDArray[np.float64], before_db: NDArray[np.float64], rate_hz: int) -> tuple[Exemplars, Likeness]:
    """The sounds that a source repeats, and its candidates at ``attacks`` (n,) of ``mono`` (frames,) laid over them.

    ``level_db`` (n,) is their level, ``before_db`` (n,) how far under it stands what rang before. Without a clear stroke there
    are no sounds.
    """
    sounds = Exemplars(_exemplars(mono, attacks, level_db, before_db, rate_hz), np.zeros(MOST, np.int64))
    likeness = lay_over(mono, attacks, sounds, rate_hz)
    if not len(sounds.heads):
        return sounds, likeness
    late = np.zeros(len(sounds.heads), np.int64)
    best = likeness.alike.argmax(axis=1)
    for column in range(len(late)):
        theirs = likeness.alike[:, column] * (best == column)
        rows = np.nonzero(theirs > max(_ALIKE_ENOUGH, 0.8 * float(theirs.max())))[0]
        if len(rows) >= 3:
            laid = np.round(likeness.attack_s[rows, column] * rate_hz).astype(np.int64)
            late[column] = _true_attack(mono, attacks[rows], laid, likeness.alike[rows, column], rate_hz)
    late_s = late / rate_hz
    return Exemplars(sounds.heads, late), replace(likeness, attack_s=likeness.attack_s + late_s, attack_under_s=likeness.attack_under_s + late_s)


def lay_over(mono: NDArray[np.float32], attacks: NDArray[np.int64], sounds: Exemplars, rate_hz: int) -> Likeness:
    """Candidates at ``attacks`` (n,) over the sounds of their source."""
    if not len(sounds.heads) or not len(attacks):
        none = np.zeros((len(attacks), len(sounds.heads)), np.float32)
        return Likeness(none, none.astype(np.float64), none, none.astype(np.float64), none)
    alike, places, alike_under, places_under, under_db = _matched(mono, attacks, sounds.heads, rate_hz)
    late = sounds.late[: len(sounds.heads)]
    return Likeness(alike, (places + late) / rate_hz, alike_under, (places_under + late) / rate_hz, under_db)


def _exemplars(mono: NDArray[np.float32], attacks: NDArray[np.int64], level_db: NDArray[np.float64], before_db: NDArray[np.float64], rate_hz: int) -> NDArray[np.float64]:
    """The sounds that the clearest strokes repeat, (k, columns), each with its attack ``_LEAD_MS`` after its ``ORDER`` first samples."""
    rows = _clearest(level_db, before_db)
    lead, body, around = (round(ms * rate_hz / 1000) for ms in (_LEAD_MS, _BODY_MS, 3.0))
    if not len(rows):
        return np.zeros((0, ORDER + lead + body))
    windows = windows_at(mono, attacks[rows] - around, around + 2 * lead + body).astype(np.float64)
    heads = windows[:, around - lead // 2 : around + body - lead]
    alike, places = _each_over_each(windows, heads)
    shift = places - (around - lead // 2)
    left = np.ones(len(rows), bool)
    found: list[NDArray[np.float64]] = []
    while left.any() and len(found) < MOST:
        crowd = np.where(left[:, None] & left[None], np.clip(alike - 0.6, 0, 1), 0).sum(axis=1)
        centre = int(np.argmax(np.where(left, crowd, -1.0)))
        members = np.nonzero(left & (alike[centre] > _ALIKE))[0]
        left[members] = False
        left[centre] = False
        if not len(members):
            continue
        # The cleanest third says where the attack is; all of them together give the sound.
        cleanest = members[np.argsort(before_db[rows[members]])[: max(3, len(members) // 3)]]
        attack = round(float(np.median(-shift[centre, cleanest])))
        begins = attacks[rows[members]] + shift[centre, members] + attack - lead - ORDER
        sounds = windows_at(mono, begins, ORDER + lead + body).astype(np.float64)
        found.append((sounds / np.maximum(np.abs(sounds).max(axis=1, keepdims=True), 1e-12)).mean(axis=0))
    return np.array(found).reshape(-1, ORDER + lead + body)


def _clearest(level_db: NDArray[np.float64], before_db: NDArray[np.float64]) -> NDArray[np.int64]:
    """Candidates that stand clear of what rang before and near the loudest, loudest first, (m,)."""
    if not len(level_db):
        return np.zeros(0, np.int64)
    loudest = float(np.percentile(level_db, 97)) if len(level_db) > 30 else float(level_db.max())
    rows = np.zeros(0, np.int64)
    for clean_db in _CLEAN_DB:
        rows = np.nonzero((before_db < clean_db) & (level_db > loudest - _SPAN_DB))[0]
        if len(rows) >= 4:
            break
    rows = rows[np.argsort(-level_db[rows])]
    return rows if len(rows) <= _LOOKED_AT else rows[np.linspace(0, len(rows) - 1, _LOOKED_AT).astype(np.int64)]


def _each_over_each(windows: NDArray[np.float64], heads: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """Largest normalised correlation of every head within every window, (m, m), and the column at which it is."""
    size = 1 << (windows.shape[1] - 1).bit_length()
    lags = windows.shape[1] - heads.shape[1] + 1
    # Single precision serves: likeness is read to two digits, and every row is brought to one level.
    windows, heads = (rows / np.maximum(np.abs(rows).max(axis=1, keepdims=True), 1e-12) for rows in (windows, heads))
    spectra, templates = rfft(windows.astype(np.float32), size), np.conj(rfft(heads.astype(np.float32), size))
    per_energy = 1.0 / np.sqrt(_energies(windows, heads.shape[1], lags) + np.float32(1e-9))
    alike, places = np.empty((len(heads), len(windows))), np.empty((len(heads), len(windows)), np.int64)
    at = np.arange(len(windows))
    for row, head in enumerate(heads):
        fit = irfft(spectra * templates[row], size)[:, :lags] * per_energy
        places[row] = fit.argmax(axis=1)
        alike[row] = fit[at, places[row]] / np.sqrt(float(head @ head) + 1e-9)
    return alike, places


def _energies(rows: NDArray[np.floating], width: int, lags: int) -> NDArray[np.float32]:
    """Energy of every stretch of ``width`` columns, of the first ``lags``, (n, lags)."""
    sums = np.empty((len(rows), width + lags))
    sums[:, 0] = 0.0
    np.cumsum(np.square(rows[:, : width + lags - 1]), axis=1, dtype=np.float64, out=sums[:, 1:])
    energy = np.subtract(sums[:, width:], sums[:, :lags], dtype=np.float64).astype(np.float32)
    return np.maximum(energy, np.float32(1e-20), out=energy)


def _per_energy(rows: NDArray[np.float32], width: int, lags: int) -> NDArray[np.float32]:
    """What brings every stretch of ``width`` columns to an energy of one, (n, lags). What lies far under the loudest stretch is no
    stroke, however alike; and single precision has nothing to say there.
    """
    energy = _energies(rows, width, lags)
    energy += np.float32(_LEAST_SHARE) * energy.max(axis=1, keepdims=True)
    np.sqrt(energy, out=energy)
    return np.reciprocal(energy, out=energy)


def _matched(
    mono: NDArray[np.float32], attacks: NDArray[np.int64], templates: NDArray[np.float64], rate_hz: int,
) -> tuple[NDArray[np.float32], NDArray[np.float64], NDArray[np.float32], NDArray[np.float64], NDArray[np.float32]]:
    """Likeness to every template, (n, k), and the sample at which the template's attack then lies, (n, k); and both once more,
    with the level, for what is left without the likest one.
    """
    back, near, ahead, learn, lead = (round(ms * rate_hz / 1000) for ms in (_BACK_MS, _AHEAD_MS, _UNDER_AHEAD_MS, _LEARN_MS, _LEAD_MS))
    heads = templates[:, ORDER:].astype(np.float32)
    width = heads.shape[1]
    size = 2 * next_fast_len((back + lead + ahead + width + 2 * ORDER + 1) // 2, real=True)
    spectra = np.conj(rfft(heads, size))
    cost = (_AWAY_COSTS * np.abs(np.arange(back + ahead + 1) - back) * 1000 / rate_hz).astype(np.float32)
    first_cost = cost[: back + near + 1]
    heard = _autocorrelation(heads) * np.where(np.arange(ORDER + 1) == 0, 1.0, 2.0)
    shape = (len(attacks), len(heads))
    alike, under, under_db = (np.zeros(shape, np.float32) for _ in range(3))
    places, places_under = np.zeros(shape), np.zeros(shape)
    for at in range(0, len(attacks), _AT_ONCE):
        part = slice(at, at + _AT_ONCE)
        begin = attacks[part] - back - lead - learn - ORDER
        window = windows_at(mono, begin, learn + ORDER + back + lead + ahead + width)
        window = window / np.maximum(np.abs(window).max(axis=1, keepdims=True), np.float32(1e-9))
        taps = prediction_error_filter(window[:, : ORDER + learn], learn * 10.0 ** (_RIDGE_DB / 10.0)).astype(np.float32)
        white = np.pad(unexplained(window[:, learn:], taps), ((0, 0), (0, ORDER)))
        norm = np.maximum(_autocorrelation(taps) @ heard.T, 1e-12).astype(np.float32)
        backwards = np.conj(rfft(taps, size))
        whole = window[:, learn + ORDER :]
        by_white, best, gain, _ = _fits(white, backwards, spectra, norm, width, first_cost, None)
        as_is, best_as_is = _fits_as_is(whole, spectra, width, first_cost, size, by_white)
        # A dark drum over its own ringing is told by its body, which a short prediction cannot see past.
        plain = as_is > by_white
        alike[part] = np.where(plain, as_is, by_white)
        places[part] = attacks[part, None] - back + np.where(plain, best_as_is, best)
        rows = np.arange(len(white))
        likest = alike[part].argmax(axis=1)
        shapes = _filtered_whole(heads, likest, taps)
        columns = best[rows, likest][:, None] + np.arange(width + ORDER)
        left = white.copy()
        left[rows[:, None], columns] -= gain[rows, likest][:, None] * shapes
        was = np.einsum("ij,ij->i", white, white)
        under[part], best, _, share = _fits(left, backwards, spectra, norm, width, cost, was)
        places_under[part] = attacks[part, None] - back + best
        under_db[part] = 10.0 * np.log10(np.maximum(share, 1e-6))
    return np.clip(alike, 0.0, 1.0), places, np.clip(under, 0.0, 1.0), places_under, under_db


def _fits(
    white: NDArray[np.float32], backwards: NDArray[np.complex64], spectra: NDArray[np.complex64], norm: NDArray[np.float32], width: int,
    cost: NDArray[np.float32], was: NDArray[np.float32] | None,
) -> tuple[NDArray[np.float32], NDArray[np.int64], NDArray[np.float32], NDArray[np.float32]]:
    """Every whitened row against every template: likeness, lag and gain of the best fit, (n, k) each; and where ``was`` (n,), an
    energy, is given, the share of it that the fit carries. ``backwards`` (n, columns) is each row's filter in reversed time, as a spectrum.
    """
    lags, size = len(cost), 2 * (spectra.shape[1] - 1)
    per_energy = _per_energy(white, width + ORDER, lags)
    # Whitening the template as well is the same as running the whitened signal backwards through the filter once more.
    # (What that wraps round lies behind the last lag: the transform is longer than rows and filter together.)
    twice = rfft(white, size) * backwards
    shape, rows = (len(white), len(spectra)), np.arange(len(white))
    alike, gain, share = (np.zeros(shape, np.float32) for _ in range(3))
    lag = np.zeros(shape, np.int64)
    scale, fit, product = 1.0 / np.sqrt(norm), np.empty_like(per_energy), np.empty_like(twice)
    for column, spectrum in enumerate(spectra):
        raw = irfft(np.multiply(twice, spectrum, out=product), size)[:, :lags]
        np.multiply(raw, per_energy, out=fit)
        fit *= scale[:, column, None]
        fit -= cost
        best = fit.argmax(axis=1)
        alike[:, column], lag[:, column] = fit[rows, best] + cost[best] - _far(best, cost), best
        gain[:, column] = raw[rows, best] / norm[:, column]
        if was is not None:
            share[:, column] = np.maximum(raw[rows, best], 0.0) ** 2 / norm[:, column] / np.maximum(was, 1e-12)
    return alike, lag, gain, share


def _far(lag: NDArray[np.int64], cost: NDArray[np.float32]) -> NDArray[np.float32]:
    """What a fit so far away loses: nothing near, so that likeness stays likeness, more and more beyond that."""
    return np.maximum(cost[lag] - np.float32(_NEAR_MS * _AWAY_COSTS), np.float32(0))


def _fits_as_is(
    rows: NDArray[np.float32], spectra: NDArray[np.complex64], width: int, cost: NDArray[np.float32], size: int, known: NDArray[np.float32],
) -> tuple[NDArray[np.float32], NDArray[np.int64]]:
    """Likeness and lag of every row to every dark template without whitening, (n, k) each; a little less is thought of it. A bright
    one is told by its click alone; and where the likeness ``known`` (n, k) is more than this could give, it is not asked.
    """
    # Parseval: the energy of a template from its half spectrum, in which inner bins stand for two.
    power = np.abs(spectra) ** 2
    norm = (2.0 * power.sum(axis=1) - power[:, 0] - power[:, -1]) / size
    low = power.shape[1] // _DARK_PART
    dark = power[:, :low].sum(axis=1) > _DARK_SHARE * power.sum(axis=1)
    alike, lag = np.zeros((len(rows), len(spectra)), np.float32), np.zeros((len(rows), len(spectra)), np.int64)
    asked = np.nonzero((known[:, dark] < 1.0 - _AS_IS_COSTS).any(axis=1))[0]
    if not len(asked):
        return alike, lag
    rows = rows[asked]
    lags, at = len(cost), np.arange(len(rows))
    per_energy = _per_energy(rows, width, lags)
    spectrum = rfft(rows, size)
    for column in np.nonzero(dark)[0].tolist():
        template = spectra[column]
        fit = irfft(spectrum * (template / np.sqrt(max(float(norm[column]), 1e-12))), size)[:, :lags]
        fit *= per_energy
        fit -= cost
        best = fit.argmax(axis=1)
        alike[asked, column], lag[asked, column] = fit[at, best] + cost[best] - _far(best, cost) - _AS_IS_COSTS, best
    return alike, lag


def _filtered_whole(heads: NDArray[np.float32], which: NDArray[np.int64], taps: NDArray[np.float32]) -> NDArray[np.float32]:
    """For each row the template it is most like, through the row's own filter, (n, columns + order)."""
    chosen = heads[which]
    out = np.zeros((len(which), heads.shape[1] + ORDER), np.float32)
    for lag in range(ORDER + 1):
        out[:, lag : lag + heads.shape[1]] += taps[:, lag : lag + 1] * chosen
    return out


def _autocorrelation(rows: NDArray[np.floating]) -> NDArray[np.float64]:
    """Lags 0 to ``ORDER`` of each row, (n, order + 1)."""
    rows = rows.astype(np.float64)
    return np.stack([np.einsum("ij,ij->i", rows[:, lag:], rows[:, : rows.shape[1] - lag]) for lag in range(ORDER + 1)], axis=1)


def _true_attack(mono: NDArray[np.float32], own: NDArray[np.int64], laid: NDArray[np.float64], alike: NDArray[np.float32], rate_hz: int) -> int:
    """How far after the exemplar's assumed attack the true one lies, in samples.

    ``own`` (m,) are the attacks each stroke showed by itself, ``laid`` (m,) where the exemplar put them. Where strokes began in
    silence their own word counts, and most of them agree. Where all of them began in something that rang, their average,
    weighted by how little rang, shows the rise that none shows alone.
    """
    ms = rate_hz / 1000
    order = np.argsort(-alike)[:300]
    laid_at, own = laid[order].astype(np.int64), own[order]
    lead, body = round(14 * ms), round(54 * ms)
    windows = windows_at(mono, laid_at - lead, lead + body).astype(np.float64)
    windows /= np.maximum(np.abs(windows[:, lead - round(2 * ms) : lead + round(20 * ms)]).max(axis=1, keepdims=True), 1e-12)
    off = own - laid_at
    columns = np.arange(windows.shape[1])
    just_before = (columns >= lead + off[:, None] - round(4 * ms)) & (columns < lead + off[:, None] - round(0.3 * ms))
    rang = np.where(just_before, np.abs(windows), 0.0).max(axis=1)
    for limit in (0.012, 0.025, 0.045):
        clean = off[rang < limit]
        if len(clean) >= 3:
            agreed = _densest(clean, lead)
            near = np.abs(clean - agreed) <= _SAMPLES_NEAR
            crowd = _densest(off, lead)
            # A few that agree on an earlier place are right only if something begins there in all of them.
            if near.sum() >= 3 and near.mean() >= 0.3 and (crowd - agreed < ms or _begins_between(windows, lead + agreed, lead + crowd, ms)):
                return _first_over(windows[np.nonzero(rang < limit)[0][near]], lead + int(np.median(clean[near])), ms) - lead
    shown = _rise_of_average(windows, lead, ms) if len(windows) >= 8 else None
    if shown is None:
        shown = _densest(off, lead)
        if np.count_nonzero(np.abs(off - shown) <= _SAMPLES_NEAR) < max(3, 0.25 * len(off)):
            return 0  # no two of them say the same
    return _loud_enough(windows, lead + shown, ms) - lead


def _average(windows: NDArray[np.float64], until: int) -> NDArray[np.float64]:
    """The average of aligned strokes (m, columns), each weighted by how little rang in it before column ``until``."""
    weight = 1.0 / ((windows[:, : max(until, 1)] ** 2).mean(axis=1) + 1e-6)
    return np.asarray((weight[:, None] * windows).sum(axis=0) / weight.sum())


def _begins_between(windows: NDArray[np.float64], early: int, late: int, ms: float) -> bool:
    """Whether the average of aligned strokes is louder between two columns than before the earlier one."""
    margin = round(0.3 * ms)
    average = _average(windows, early - margin)
    before, between = average[max(early - round(6 * ms), 0) : early - margin], average[early + margin : late - margin]
    return len(before) == 0 or len(between) == 0 or float(np.mean(between**2)) > 2.25 * float(np.mean(before**2))


def _loud_enough(windows: NDArray[np.float64], place: int, ms: float) -> int:
    """The column from shortly before ``place`` on at which the average of aligned strokes comes within 40 dB of its peak; ``place``
    itself where something else is louder there.
    """
    back, ahead = round(1.5 * ms), round(8 * ms)
    begin = max(place - back, 0)
    size = np.abs(_average(windows, begin))
    line = _UNDER_PEAK * size[begin : begin + round(40 * ms)].max()
    if size[max(begin - 2 * back, 0) : max(begin, 1)].max(initial=0.0) > line:
        return place
    over = size[begin : place + ahead] > line
    return begin + int(over.argmax()) if over.any() else place


def _first_over(windows: NDArray[np.float64], place: int, ms: float) -> int:
    """The column near ``place`` at which clean strokes (m, columns) come within 40 dB of the peak of their first 40 ms."""
    back, ahead = round(1.5 * ms), round(8 * ms)
    size = np.abs(windows)
    line = _UNDER_PEAK * size[:, place - back : place + round(38 * ms)].max(axis=1)
    quiet = size[:, place - 2 * back : place - back].max(axis=1) < line
    if not quiet.any():
        return place
    over = size[quiet, place - back : place + ahead] > line[quiet, None]
    return place - back + int(np.median(np.where(over.any(axis=1), over.argmax(axis=1), back)))


def _densest(values: NDArray[np.int64], reach: int) -> int:
    """The value round which most lie."""
    counts = np.bincount(np.clip(values + reach, 0, 2 * reach), minlength=2 * reach + 1).astype(np.float64)
    return int(np.argmax(np.convolve(counts, np.exp(-0.5 * (np.arange(-8, 9) / 4.0) ** 2), "same"))) - reach


def _rise_of_average(windows: NDArray[np.float64], lead: int, ms: float) -> int | None:
    """Where the average of aligned strokes (m, columns) rises out of what is left of everything else; None where it is not seen."""
    size = np.abs(_average(windows, lead - round(5 * ms)))
    ahead = max(1, round(0.7 * ms))
    envelope = sliding_window_view(np.concatenate([size, np.zeros(ahead - 1)]), ahead).max(axis=1)
    peak = size[lead - round(2 * ms) :].max()
    floor = float(np.median(envelope[: lead - round(5 * ms)]))
    if floor > 0.02 * peak:
        return None
    line = max(_UNDER_PEAK * peak, 1.6 * floor)
    first = lead - round(5 * ms)
    at = first + int(np.argmax(size[first:] > max(0.12 * peak, 2 * line)))
    flat = round(1.5 * ms)
    # Backwards down the slope, to its foot: where it is quiet enough, or where it falls no further.
    while at > flat and envelope[at - 1] > line and envelope[at - flat] < _STILL_FALLS * envelope[at]:
        at -= 1
    at += int(np.argmax(size[at:] > line))
    return at - lead if abs(at - lead) <= 8 * ms else None
