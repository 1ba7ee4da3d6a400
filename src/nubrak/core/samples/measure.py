"""Measuring a sample when it comes in: where it truly begins, how long, how loud, how high, which way its
first half-wave goes, its character.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.fft import next_fast_len, rfft, rfftfreq

from nubrak.core.find import rising_attacks
from nubrak.core.samples.kit import Instrument, Measured
from nubrak.core.signal import db_to_gain, db_to_power, loudness_lkfs

_QUIET_S = 0.1  # before the attack: what the file’s own noise is told by
_STROKE_S = 0.02  # in which a stroke's peak comes
_RING_S = 0.3  # after the strongest sample: enough to see that it was a stroke
_RMS_S = 0.005  # how finely the decay is followed
_DECAYED_DB = 60.0  # how far down a sample counts as over (RT60)
_ONSET_DB = 40.0  # the definition of an attack, as in find/attack
_LOWEST_HZ, _HIGHEST_HZ = 25.0, 1200.0  # between which drums have a pitch
_NEARLY_DB = 8.0  # a mode this far under the strongest still counts as the lowest
_AROUND = 1.12  # two semitones: what belongs to one peak of the spectrum
_STANDS_OUT = 0.25  # of the energy from 25 to 1200 Hz that lies around a mode which is called the pitch
_LOW_HZ = 80.0  # under it lies what is felt more than heard


def attack_of(mono: NDArray[np.float32], rate_hz: int) -> float:
    """Where the attack of a sample (frames,) is, in s; as the hits of a recording are timed, with silence put
    before it.
    """
    quiet = round(_QUIET_S * rate_hz)
    # What comes long after the strongest sample is its ring.
    mono = mono[: int(np.argmax(np.abs(mono))) + round(_RING_S * rate_hz)] if len(mono) else mono
    begun = np.concatenate([np.zeros(quiet, np.float32), mono])
    attacks = rising_attacks(begun, rate_hz)
    if not len(attacks):
        return first_sound(mono) / rate_hz
    # The first that is near the strongest: a flam's second stroke or a rattle later on is not where it
    # begins.
    stroke = round(_STROKE_S * rate_hz)
    peak = np.array([np.abs(begun[at : at + stroke]).max(initial=0.0) for at in attacks.tolist()])
    near = peak >= float(peak.max()) * db_to_gain(-12.0)
    return max((int(attacks[np.argmax(near)]) - quiet) / rate_hz, 0.0)


def first_sound(mono: NDArray[np.float32]) -> int:
    """The first sample within 40 dB of the peak.

    ``mono`` is (frames,).
    """
    size = np.abs(mono)
    return int(np.argmax(size >= float(size.max(initial=0.0)) * db_to_gain(-_ONSET_DB))) if len(mono) else 0


def measure(audio: NDArray[np.float32], attack_s: float, rate_hz: int) -> Measured:
    """What is to be known of a sample (frames, channels) whose attack is known."""
    mono = audio.mean(axis=1, dtype=np.float64)
    begin = min(round(attack_s * rate_hz), max(len(mono) - 1, 0))
    body = mono[begin:]
    size = next_fast_len(max(len(body), 1), real=True)
    spectrum = np.abs(rfft((body * _taper(len(body))).astype(np.float32), size)).astype(np.float64) ** 2
    hz = rfftfreq(size, 1 / rate_hz)
    whole = float(spectrum.sum()) or 1e-30
    return Measured(
        length_s=round(_length(body, rate_hz) / rate_hz, 4),
        peak_db=round(20.0 * float(np.log10(max(float(np.abs(audio).max(initial=0.0)), 1e-6))), 2),
        loudness_lkfs=round(loudness_lkfs([np.asarray(audio)], rate_hz), 2),
        fundamental_hz=_fundamental(body, rate_hz),
        first_half_wave=_first_half_wave(body),
        low_db=round(10.0 * float(np.log10(max(float(spectrum[hz < _LOW_HZ].sum()) / whole, 1e-9))), 1),
        bright_hz=round(float(spectrum @ hz) / whole, 1),
    )


def _taper(frames: int) -> NDArray[np.float64]:
    """The falling half of a Hann window, (frames,)."""
    return np.asarray(0.5 + 0.5 * np.cos(np.pi * (np.arange(frames) + 0.5) / (frames or 1)))


def _length(body: NDArray[np.float64], rate_hz: int) -> int:
    size = max(round(_RMS_S * rate_hz), 1)
    blocks = np.sqrt((body[: len(body) // size * size].reshape(-1, size) ** 2).mean(axis=1))
    if not len(blocks) or not blocks.any():
        return len(body)
    loud = np.nonzero(blocks >= blocks.max() * db_to_gain(-_DECAYED_DB))[0]
    return min((int(loud[-1]) + 1) * size, len(body))


def _first_half_wave(body: NDArray[np.float64]) -> int:
    """The sign of the first half-wave that is more than a tenth of the largest."""
    size = np.abs(body)
    if not size.any():
        return 1
    return 1 if body[int(np.argmax(size >= 0.1 * size.max()))] > 0 else -1


def _fundamental(body: NDArray[np.float64], rate_hz: int) -> float | None:
    """The lowest mode that is nearly as strong as the strongest, of a quarter of a second after the attack
    has passed; None where none stands out.

    A drum's modes are no harmonics, so a common period of all of them would be a pitch that nobody hears.
    """
    part = body[round(0.01 * rate_hz) : round(0.26 * rate_hz)]
    if len(part) < rate_hz / _LOWEST_HZ:
        return None
    size = next_fast_len(8 * len(part), real=True)
    power = np.abs(rfft((part * _taper(len(part))).astype(np.float32), size)).astype(np.float64) ** 2
    hz = rfftfreq(size, 1 / rate_hz)
    low, high = np.searchsorted(hz, (_LOWEST_HZ, _HIGHEST_HZ))
    band = power[low:high]
    if band.sum() <= 0:
        return None
    higher = np.nonzero(
        (band[1:-1] >= band[:-2])
        & (band[1:-1] >= band[2:])
        & (band[1:-1] >= band.max() * db_to_power(-_NEARLY_DB))
    )[0]
    if not len(higher):
        return None
    place = low + 1 + int(higher[0])
    around = (hz > hz[place] / _AROUND) & (hz < hz[place] * _AROUND)
    if power[around].sum() < _STANDS_OUT * band.sum():
        return None
    left, mid, right = (np.log(max(float(power[place + by]), 1e-300)) for by in (-1, 0, 1))
    bend = left - 2 * mid + right
    return round(float((place + (0.5 * (left - right) / bend if bend < 0 else 0.0)) * rate_hz / size), 1)


def character(instrument: Instrument) -> list[str]:
    """What one would call it, in a few words, from its loudest sample's measures; the bounds are common
    practice.
    """
    known = [sample.measured for sample in instrument.samples if sample.measured is not None]
    if not known:
        return []
    loudest = max(known, key=lambda one: one.loudness_lkfs)
    words = []
    words.append("short" if loudest.length_s < 0.25 else "long" if loudest.length_s > 1.0 else "medium")
    words.append("dark" if loudest.bright_hz < 400 else "bright" if loudest.bright_hz > 3000 else "middle")
    if loudest.low_db > -6:
        words.append("deep")
    if loudest.fundamental_hz is not None:
        words.append("tuned")
    if len({(s.low_velocity, s.high_velocity) for s in instrument.samples}) > 1:
        words.append("layered")
    return words
