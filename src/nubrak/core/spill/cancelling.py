"""Cancelling: each microphone of a kit without what the others hear better.

A stroke reaches every microphone through air and room, which delay and colour it but add nothing of their
own: what spills into one is close to what another heard, filtered. The filters are learnt in the frequency
domain by least squares, with every frame weighted by how little is left there: where a microphone's own drum
is struck nothing is learnt, so that it stays as it was (iterated weighting as in Nakatani et al., "Speech
dereverberation based on variance-normalized delayed linear prediction", IEEE TASLP 18, 2010; Welch's averages
of overlapping windows). Taken off are short filters of the time domain, so that nothing is smeared ahead of a
stroke by more than they look ahead.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.fft import irfft, rfft

from nubrak.core.signal import windows_at

_WINDOW_S = 0.093  # 4096 samples at 44.1 kHz: several times as long as the filters
_BLOCK_S = 48.0  # learnt anew so often, for microphones are moved
_SEAM_S = 0.1  # over which one block's filters pass into the next one's
# How far a filter looks back, and hardly ahead: a stroke reaches its own microphone first, and what only what
# others hear later would explain is no spill.
_AHEAD_S, _BACK_S = 0.0005, 0.0232
_TURNS = 3
_HIGHEST_HZ = 16000.0  # over it there is little but noise
_QUIET_PERCENTILE = 20  # what is left in a band where nothing is played
_LOUD_PERCENTILE = 99
_LEAST_POWER = 1e-14  # of a column of the spectrum
_RIDGE = 1e-4  # of the references' power: keeps what they share from being told apart by noise
_LEAST_FRAMES = 4  # times as many as there are filters: fewer teach nothing
_SILENT, _NO_SOUND = 1e-7, 1e6  # 120 dB over full scale are a broken file
# What the loudest moments of a microphone may lose: more, and another hears the same drum as it does.
_LOUDEST_SHARE, _MOST_LOST = 0.02, 0.5
_SPILLS_FROM = 4.0  # times the energy that a microphone must have for what it spills
_STRETCH = 8192  # samples filtered at a time


def without_spill(
    signals: Mapping[str, NDArray[np.float32]],
    rate_hz: int,
    same: Mapping[str, str] | None = None,
    wanted: Collection[str] | None = None,
) -> dict[str, NDArray[np.float32]]:
    """Every signal (frames,), or those ``wanted``, without what the others explain of it, (frames,) each.

    ``signals`` are aligned at their first samples and share one rate; ``same`` names for each what it is
    pointed at: those at the same explain nothing of each other.
    """
    at = dict(same or {})
    out = {
        key: np.array(mono, np.float32) for key, mono in signals.items() if wanted is None or key in wanted
    }
    frames = max((len(mono) for mono in signals.values()), default=0)
    count = max(round(frames / (_BLOCK_S * rate_hz)), 1)
    for number in range(count):
        begin, end = (round(frames * k / count) for k in (number, number + 1))
        _cancel(signals, at, out, rate_hz, begin, end)
    return out


def _cancel(
    signals: Mapping[str, NDArray[np.float32]],
    at: Mapping[str, str],
    out: dict[str, NDArray[np.float32]],
    rate_hz: int,
    begin: int,
    end: int,
) -> None:
    """Take off in ``out`` what is spilt from ``begin`` to ``end``."""
    size = 1 << round(float(np.log2(_WINDOW_S * rate_hz)))
    heard = [
        key
        for key, mono in signals.items()
        if _SILENT < float(np.abs(mono[begin:end]).max(initial=0)) < _NO_SOUND
    ]
    begins = np.arange(begin - size // 2, end, size // 2)
    if len(heard) < 2 or len(begins) < _LEAST_FRAMES * len(heard):
        return
    columns = min(int(_HIGHEST_HZ / rate_hz * size), size // 2) + 1
    window = np.hanning(size + 1)[:size].astype(np.float32)
    # Real and imaginary apart, so that the sums over windows run side by side.
    real, imag = (np.empty((columns, len(heard), len(begins)), np.float32) for _ in range(2))
    quiet, loudest = (np.empty((columns, len(heard)), np.float32) for _ in range(2))
    for row, key in enumerate(heard):
        spectrum = rfft(windows_at(signals[key], begins, size) * window, axis=1)[:, :columns].T
        real[:, row], imag[:, row] = spectrum.real, spectrum.imag
        power = real[:, row] ** 2 + imag[:, row] ** 2
        quiet[:, row], loudest[:, row] = np.percentile(
            power, (_QUIET_PERCENTILE, _LOUD_PERCENTILE), axis=1, overwrite_input=True
        )
    heard_here = _Heard(real, imag, quiet + np.float32(_LEAST_POWER), loudest + np.float32(_LEAST_POWER))
    seam = round(_SEAM_S * rate_hz)
    first, last = max(begin - seam, 0), min(end + seam, max(len(mono) for mono in signals.values()))
    fade = np.ones(last - first, np.float32)
    if begin > 0:
        fade[: 2 * seam] = np.linspace(0, 1, 2 * seam, dtype=np.float32)
    if end < last:
        fade[-2 * seam :] = np.linspace(1, 0, 2 * seam, dtype=np.float32)
    filtered = _Filtered.of([signals[key] for key in heard], first, last, rate_hz)
    for row, key in enumerate(heard):
        if key not in out:
            continue
        others = [
            k for k, other in enumerate(heard) if k != row and (key not in at or at.get(other) != at[key])
        ]
        here = signals[key][first:last]
        while others:
            taps = _in_time(heard_here.filters(row, others), size, filtered.ahead, filtered.back)
            spilt = (filtered.through(taps, others) * fade)[: len(here)]
            twin = _hears_the_same([signals[heard[k]][first:last] for k in others], here, spilt, size)
            if twin is None and np.isfinite(spilt).all():
                out[key][first : first + len(here)] -= spilt
            if twin is None:
                break
            others.pop(twin)


@dataclass(frozen=True)
class _Heard:
    """Spectra of all microphones, ``real`` and ``imag`` (columns, microphones, windows), and their powers
    where nothing is played and in their loudest moments, ``quiet`` and ``loudest`` (columns, microphones).
    """

    real: NDArray[np.float32]
    imag: NDArray[np.float32]
    quiet: NDArray[np.float32]
    loudest: NDArray[np.float32]

    def filters(self, row: int, others: list[int]) -> NDArray[np.complex64]:
        """What turns the others' spectra into what they explain of one, (columns, others)."""
        # Loaded when it is first needed: a compiler that most processes never use takes 60 MB.
        from nubrak.core.spill.least_squares import filters_by_least_squares

        which, floor = np.array(others), np.ascontiguousarray(self.quiet[:, row])
        return np.asarray(
            filters_by_least_squares(self.real, self.imag, row, which, floor, self.loudest, _TURNS, _RIDGE)
        )


@dataclass(frozen=True)
class _Filtered:
    """Stretches of signals as spectra, ready to be filtered: ``spectra`` (signals, stretches, columns), each
    stretch ``step`` samples after the one before; ``frames`` of the whole.
    """

    spectra: NDArray[np.complex64]
    step: int
    frames: int
    ahead: int
    back: int

    @classmethod
    def of(cls, signals: list[NDArray[np.float32]], first: int, last: int, rate_hz: int) -> _Filtered:
        """Signals from ``first`` to ``last``, with what filters hear around them."""
        ahead, back = round(_AHEAD_S * rate_hz), round(_BACK_S * rate_hz)
        begins = np.arange(first - back, last, _STRETCH - ahead - back)
        spectra = np.stack([rfft(windows_at(signal, begins, _STRETCH), axis=1) for signal in signals])
        return cls(spectra, _STRETCH - ahead - back, last - first, ahead, back)

    def through(self, taps: NDArray[np.float32], which: list[int]) -> NDArray[np.float32]:
        """The sum of some signals through filters (which, ahead + back + 1), (frames,); overlap-save."""
        response = rfft(taps, _STRETCH, axis=1)
        total = np.zeros(self.spectra.shape[1:], np.complex64)
        for row, signal in enumerate(which):
            total += self.spectra[signal] * response[row]
        heard = irfft(total, _STRETCH, axis=1)[:, self.ahead + self.back :]
        return np.asarray(heard.reshape(-1)[: self.frames], np.float32)


def _in_time(filters: NDArray[np.complex64], size: int, ahead: int, back: int) -> NDArray[np.float32]:
    """Filters of the spectrum (columns, n) as taps (n, ahead + back + 1), what they hear latest first."""
    whole = np.zeros((filters.shape[1], size // 2 + 1), np.complex64)
    whole[:, : len(filters)] = filters.T
    response = irfft(whole, size, axis=1)
    taps = np.concatenate([response[:, size - ahead :], response[:, : back + 1]], axis=1)
    fade = back // 4
    taps[:, -fade:] *= np.linspace(1, 0, fade, dtype=np.float32)
    return np.asarray(taps, np.float32)


def _hears_the_same(
    others: list[NDArray[np.float32]], here: NDArray[np.float32], spilt: NDArray[np.float32], size: int
) -> int | None:
    """Which of the others hears the same drum as a microphone does: where what was explained of it is its
    loudest moments, and the other is not so much louder there that they could be its spill. None: none.
    """
    frames = len(here) // size
    if not frames:
        return None
    before, after = _energies(here, size, frames), _energies(here - spilt, size, frames)
    loudest = np.argsort(before)[-max(round(_LOUDEST_SHARE * frames), 3) :]
    if after[loudest].sum() > _MOST_LOST * before[loudest].sum():
        return None
    theirs = [_energies(other, size, frames)[loudest].sum() for other in others]
    loudest_other = int(np.argmax(theirs))
    return loudest_other if theirs[loudest_other] < _SPILLS_FROM * before[loudest].sum() else None


def _energies(signal: NDArray[np.float32], size: int, frames: int) -> NDArray[np.float64]:
    padded = np.pad(signal, (0, max(frames * size - len(signal), 0)))[: frames * size].reshape(frames, size)
    return np.asarray(np.einsum("ij,ij->i", padded, padded), np.float64)
