"""Copies that ring into each other: one sound fitted to many strokes at once, so that what still rings of the
strokes before is taken off with the same sound.

Where a sound is longer than the steps it is played in, no stroke is heard alone, and two copies differ by
what rings under them. But if all are one sound, one sound at all their places and levels explains the
recording.
The sound of least squares solves a Toeplitz system; places and levels are told again from it, in turn.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.fft import irfft, next_fast_len, rfft
from scipy.sparse.linalg import LinearOperator, cg

from nubrak.core.signal import cross_correlation

_LENGTH_S, _LONGER, _LONGEST_S = 0.8, 2.2, 4.0  # of a sound that is followed, and longer where it rings on
_EXPLAINS, _EXPLAINS_NOISE = 0.01, 0.3  # at most left of most strokes, to follow the sound for longer
_OF_NOISE = 60.0  # frequencies of a tenth of a second that it is spread over; tones lie on a dozen
_CUT_OFF = 1e-4  # of the power of its beginning
# A sound is only followed so far that what is heard holds it many times over: else it explains anything.
_SHARE, _STROKES_A_LENGTH = 4, 12
_LEAD = 96  # samples before an attack that belong to its sound: it is timed to a millisecond or two
_AROUND_S, _HEAD_S = 0.004, 0.025  # where attacks are looked for, and how much of one is compared
_STEPS = 60  # of the conjugate gradient at most
_ENOUGH = 1e-3  # what may be left of a system, of its right side
_ROUNDS = 4  # of sound, places and levels in turn
_REACH = 12  # samples that a place may move in a round
_KERNEL = 16  # samples to each side of an impulse between samples
_TINY = 1e-20


@dataclass(frozen=True)
class Fit:
    """One sound at many places: ``place`` (n,) samples and ``gain`` (n,) of each stroke, ``sound`` (length,)
    from ``_LEAD`` samples before its attack on, and the whole it makes, ``model`` (frames,).
    """

    place: NDArray[np.float64]
    gain: NDArray[np.float64]
    sound: NDArray[np.float64]
    model: NDArray[np.float64]


def fit_one_sound(
    mono: NDArray[np.float64], place: NDArray[np.float64], window: NDArray[np.int64], rate_hz: int
) -> Fit:
    """The one sound that explains strokes at ``place`` (n,), samples in order, of ``mono`` (frames,) best.

    Levels and places are told over the first ``window`` (n,) samples of each stroke, the sound over all that
    rings. Places may move by some samples a round.
    """
    place, gain = _aligned(mono, place, window, rate_hz)
    length_s = _LENGTH_S
    # Where it explains nothing of most strokes, they are no copies.
    while True:
        fit = _fit(mono, place, gain, window, round(length_s * rate_hz))
        length_s *= _LONGER
        enough = len(place) >= _STROKES_A_LENGTH and length_s * rate_hz <= (place[-1] - place[0]) / _SHARE
        most = _EXPLAINS_NOISE if is_noise(fit.sound, int(window.max())) else _EXPLAINS
        explains = float(np.median(left_of(mono, fit, window))) < most
        if not (enough and explains and length_s <= _LONGEST_S and _rings_at_its_end(fit.sound)):
            return fit


def left_of(mono: NDArray[np.float64], fit: Fit, window: NDArray[np.int64]) -> NDArray[np.float64]:
    """The share of each stroke's own energy over its ``window`` (n,) that is not explained, (n,)."""
    left = np.concatenate([[0.0], np.cumsum((mono - fit.model) ** 2)])
    own = np.concatenate([[0.0], np.cumsum(fit.sound**2)])
    begin = np.clip(fit.place.astype(np.int64), 0, len(mono))
    end = np.minimum(begin + window, len(mono))
    last = np.minimum(window + _LEAD, len(fit.sound))
    energy = fit.gain**2 * (own[last] - own[_LEAD])
    return np.asarray((left[end] - left[begin]) / np.maximum(energy, _TINY))


def is_noise(sound: NDArray[np.float64], window: int) -> bool:
    """Whether a sound is spread over so many frequencies that two strokes of it have little in common: then a
    copy shows already where less of it is explained.
    """
    power = np.abs(rfft(sound[_LEAD : _LEAD + window])) ** 2
    return float(power.sum() ** 2 / max(float((power**2).sum()), _TINY)) > _OF_NOISE


def _fit(
    mono: NDArray[np.float64],
    place: NDArray[np.float64],
    gain: NDArray[np.float64],
    window: NDArray[np.int64],
    length: int,
) -> Fit:
    """Sound, places and levels in turn, with a sound of ``length`` samples."""
    size = next_fast_len(len(mono) + length + 2 * _KERNEL, real=True)
    heard = rfft(mono, size)
    for _ in range(_ROUNDS):
        struck = rfft(_impulses(place - _LEAD, gain, size))
        asked = irfft(np.conj(struck) * heard, size)[:length]
        sound = _solved(irfft(struck.real**2 + struck.imag**2, size)[:length], asked)
        model = irfft(struck * rfft(sound, size), size)[: len(mono)]
        last = Fit(place, gain, sound, model)
        place, gain = _told_again(mono - model, sound, place, gain, window)
    return last


def _rings_at_its_end(sound: NDArray[np.float64]) -> bool:
    """Whether a sound (length,) is cut off in the middle of its ringing."""
    part = len(sound) // 8
    head, end = float((sound[:part] ** 2).sum()), float((sound[-part:] ** 2).sum())
    return end > _CUT_OFF * head


def _impulses(place: NDArray[np.float64], gain: NDArray[np.float64], size: int) -> NDArray[np.float64]:
    """Impulses between samples (band-limited), (size,); those before the first sample at the end of it."""
    out = np.zeros(size)
    whole = np.round(place).astype(np.int64)
    steps = np.arange(-_KERNEL, _KERNEL + 1)
    away = steps[None, :] - (place - whole)[:, None]
    value = gain[:, None] * np.sinc(away) * np.cos(0.5 * np.pi * away / (_KERNEL + 1)) ** 2
    np.add.at(out, (whole[:, None] + steps) % size, value)
    return out


def _aligned(
    mono: NDArray[np.float64], place: NDArray[np.float64], window: NDArray[np.int64], rate_hz: int
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Places and levels, (n,) each, by their attacks alone: first by the one that stands out most from what
    rang before, then by the mean of those that are most alike.
    """
    reach, head = round(_AROUND_S * rate_hz), int(min(window.min(), round(_HEAD_S * rate_hz)))
    # Differences, in which what is new stands over what rings.
    steep = np.diff(mono, prepend=0.0)
    first = int(np.argmax(np.append(np.inf, np.diff(place)) * (np.append(np.diff(place), np.inf) > head)))
    model = _shifted(steep, place[first : first + 1], head)[0]
    out = place
    for _ in range(2):
        rows = _shifted(steep, out - reach, head + 2 * reach)
        fits = cross_correlation(rows, model, 2 * reach + 1)
        out = out - reach + fits.argmax(axis=1)
        if reach == _REACH:
            out = out + _closer(_shifted(steep, out, head), model)[0]
        reach = _REACH
        aligned = _shifted(steep, out, head)
        size = np.sqrt(np.maximum((aligned**2).sum(axis=1), _TINY))
        alike = aligned @ model / (size * max(float(np.linalg.norm(model)), _TINY))
        best = alike >= np.median(alike)
        model = (aligned[best] / size[best, None]).mean(axis=0)
    gain = aligned @ model / max(float(model @ model), _TINY)
    return out, gain / max(float(np.abs(gain).max()), _TINY)


def _shifted(mono: NDArray[np.float64], place: NDArray[np.float64], length: int) -> NDArray[np.float64]:
    """What is heard from ``_LEAD`` samples before each place on, (n, length), each from its place between
    samples (band-limited).
    """
    whole = np.floor(place).astype(np.int64)
    margin = 2 * _LEAD
    padded = np.concatenate([np.zeros(_LEAD + margin), mono, np.zeros(length + margin)])
    columns = np.arange(length + 2 * margin)
    rows = padded[np.clip(whole[:, None] + columns, 0, len(padded) - 1)]
    size = next_fast_len(rows.shape[1], real=True)
    turn = np.exp(2j * np.pi * np.arange(size // 2 + 1) / size * (place - whole)[:, None])
    return irfft(rfft(rows, size, axis=1) * turn, size, axis=1)[:, margin : margin + length]


def _solved(lagged: NDArray[np.float64], asked: NDArray[np.float64]) -> NDArray[np.float64]:
    """The solution (length,) of the normal equations: a symmetric Toeplitz matrix with this first column
    ``lagged`` (length,), by conjugate gradients; a product with it is a convolution.
    """
    length = len(asked)
    size = next_fast_len(2 * length, real=True)
    column = np.zeros(size)
    column[:length] = lagged
    column[-length + 1 :] = lagged[:0:-1]
    spectrum = rfft(column).real

    def times(one: NDArray[np.float64]) -> NDArray[np.float64]:
        return np.asarray(irfft(rfft(one, size) * spectrum, size)[:length])

    product = LinearOperator((length, length), times, dtype=np.float64)
    return np.asarray(cg(product, asked, rtol=_ENOUGH, maxiter=_STEPS)[0])


def _told_again(
    left: NDArray[np.float64],
    sound: NDArray[np.float64],
    place: NDArray[np.float64],
    gain: NDArray[np.float64],
    window: NDArray[np.int64],
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Places and levels, (n,) each, told from what is left when every other stroke is taken off."""
    places, gains = place.copy(), gain.copy()
    lags = np.arange(-_REACH, _REACH + 1)
    for size in np.unique(window):
        rows = np.nonzero(window == size)[0]
        head = sound[: int(size) + _LEAD]
        reach = np.concatenate([np.zeros(_REACH), head, np.zeros(_REACH)])
        own = np.stack([reach[_REACH - lag : _REACH - lag + len(head)] for lag in lags])
        # Around each place as it stands: what is left there, and its own.
        rest = _shifted(left, place[rows], len(head))
        fits = rest @ own.T + gain[rows][:, None] * (own @ head)[None, :]
        power = np.maximum((own**2).sum(axis=1), _TINY)
        score = fits**2 / power
        at = score.argmax(axis=1)
        off, level = np.zeros(len(rows)), fits[np.arange(len(rows)), at] / power[at]
        # One that has to move moves by whole samples; the next round tells where it lies between them.
        near = lags[at] == 0
        if near.any():
            off[near], level[near] = _closer(rest[near] + gain[rows[near], None] * head, head)
        places[rows] += lags[at] + off
        gains[rows] = level
    return places, gains


def _closer(
    heard: NDArray[np.float64], head: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """How much later than it stands each stroke (m, columns) begins, in samples, and its level, (m,) each, by
    least squares of the sound and its slope.
    """
    size = next_fast_len(len(head) + 2 * _LEAD, real=True)
    slope = irfft(rfft(head, size) * 2j * np.pi * np.arange(size // 2 + 1) / size, size)[: len(head)]
    # Where the stretch is cut off it has no slope of its own.
    slope[-4:] = 0.0
    straight, cross, steep = float(head @ head), float(head @ slope), float(slope @ slope)
    of_head, of_slope = heard @ head, heard @ slope
    scale = max(straight * steep - cross * cross, _TINY)
    level = (steep * of_head - cross * of_slope) / scale
    turn = (straight * of_slope - cross * of_head) / scale
    off = -turn / np.where(np.abs(level) < _TINY, np.inf, level)
    return np.clip(off, -0.5, 0.5), level
