"""What struck things are made of: modes that ring, noise that decays by band, a contact, a small room.

Arrays are mono, (frames,), float64; every random thing comes from the generator that is handed in, so that a
stroke is the same on every machine. Models after Fletcher and Rossing, The Physics of Musical Instruments
(from memory): a contact of some milliseconds keeps high modes quiet and shortens as the stroke gets harder;
high modes decay sooner; in dense metal single modes are too many to be told apart.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.fft import irfft, next_fast_len, rfft, rfftfreq
from scipy.optimize import brentq
from scipy.signal import oaconvolve

from nubrak.core.signal import db_to_gain

Audio = NDArray[np.float64]
_LOWEST_HZ = 40.0  # centre of the lowest band of noise
_BANDS = 19  # half octaves, up to 20 kHz
_QUIET_DB = 70.0  # a band this far under the loudest is not made
_GONE = 8.0  # after so many time constants (70 dB) nothing is made
_UNHEARD_DB = 75.0  # under the peak
_SAME = 0.97  # how like each other two strokes of one body are
_SLOWEST_HZ = 8.0  # how finely a plate's own colour goes up and down


def time_of(length_s: float, rate_hz: int) -> Audio:
    """The time of every frame, in s."""
    return np.arange(max(round(length_s * rate_hz), 1)) / rate_hz


def ringing(
    frames: int,
    rate_hz: int,
    hz: Audio,
    level: Audio,
    decay_s: Audio,
    phase: Audio,
    bend: float,
    bend_s: float,
) -> Audio:
    """A sum of decaying sines, (frames,); ``hz``, ``level``, ``decay_s`` and ``phase`` are (modes,).

    All begin above their pitch by the share ``bend`` and come down to it within some ``bend_s``, as a head
    does that was stretched by its stroke.
    """
    t = np.arange(frames) / rate_hz
    warp = t + bend * bend_s * (1.0 - np.exp(-t / bend_s))
    out = np.zeros(frames)
    heard = hz * (1.0 + bend) < 0.46 * rate_hz
    for f, a, d, p in zip(hz[heard], level[heard], decay_s[heard], phase[heard], strict=True):
        used = min(frames, round(_GONE * d * rate_hz))
        out[:used] += a * np.exp(-t[:used] / d) * np.sin(2 * np.pi * f * warp[:used] + p)
    return out


def bands_hz() -> Audio:
    """Centres of the bands that ``hissing`` is made of, in Hz, (bands,)."""
    return _LOWEST_HZ * 2.0 ** (np.arange(_BANDS) / 2)


def hissing(
    rng: np.random.Generator,
    frames: int,
    rate_hz: int,
    level_db: Audio,
    decay_s: Audio,
    rise_s: Audio,
    plate: tuple[int, float] | None = None,
    same: int | None = None,
    alike: float = _SAME,
) -> Audio:
    """Noise that swells and decays by band, (frames,); the rest is (bands,), by ``bands_hz``.

    A ``plate`` is (number, dB): its own colour, which goes up and down by so much from one close mode to the
    next and is the same whenever it is struck. ``same`` is the number of a body whose modes are too dense to
    be told apart and yet ring ``alike`` at every stroke; without it no two are alike, as with grains.
    """
    heard = np.flatnonzero((level_db > level_db.max() - _QUIET_DB) & (bands_hz() < 0.48 * rate_hz))
    longest = round(_GONE * float((decay_s + rise_s)[heard].max()) * rate_hz)
    size = next_fast_len(max(min(frames, longest), 256), real=True)
    noise = rng.standard_normal(size)
    if same is not None:
        noise = alike * np.random.default_rng(same).standard_normal(size) + np.sqrt(1 - alike**2) * noise
    spectrum = rfft(noise)
    hz = rfftfreq(size, 1 / rate_hz)
    if plate is not None:
        spectrum *= _colour(plate[0], plate[1], size, rate_hz)
    place = 2.0 * np.log2(np.maximum(hz, 1.0) / _LOWEST_HZ)
    t = np.arange(frames) / rate_hz
    out = np.zeros(frames)
    for band in heard:
        low, high = np.searchsorted(place, (band - 1, band + 1))
        if high <= low:
            continue
        part = np.zeros(len(spectrum), complex)
        part[low:high] = spectrum[low:high] * np.cos(0.5 * np.pi * (place[low:high] - band))
        used = min(frames, size, round(_GONE * (decay_s[band] + rise_s[band]) * rate_hz))
        envelope = np.exp(-t[:used] / decay_s[band]) * (1.0 - np.exp(-t[:used] / rise_s[band]))
        out[:used] += 10 ** (level_db[band] / 20) * irfft(part, size)[:used] * envelope
    return out


@lru_cache(maxsize=64)
def _colour(plate: int, depth_db: float, size: int, rate_hz: int) -> Audio:
    steps = round(0.5 * rate_hz / _SLOWEST_HZ)
    own = np.random.default_rng(plate).normal(0, depth_db, steps)
    return np.asarray(
        10 ** (np.interp(rfftfreq(size, 1 / rate_hz), np.arange(steps) * _SLOWEST_HZ, own) / 20)
    )


def bell_shaped(centre_hz: float, width_octaves: float, level_db: float = 0.0) -> Audio:
    """Levels in dB, (bands,), that fall by 12 dB at the width on either side of a centre."""
    return level_db - 12.0 * (np.log2(bands_hz() / centre_hz) / width_octaves) ** 2


def by_band(at_1_khz: float, per_octave: float) -> Audio:
    """Times, (bands,), that get shorter by a power of the frequency."""
    return np.asarray(at_1_khz * (bands_hz() / 1000.0) ** -per_octave)


def burst(
    rng: np.random.Generator,
    frames: int,
    rate_hz: int,
    levels_db: Audio,
    fall_s: float,
    rise_s: float = 0.0002,
    same: int | None = None,
) -> Audio:
    """A short noise of one decay, (frames,): a stick, a beater, flesh."""
    alike = np.ones(_BANDS)
    return hissing(rng, frames, rate_hz, levels_db, fall_s * alike, rise_s * alike, same=same)


def to_peak(audio: Audio) -> Audio:
    """A sound brought to a peak of 1, so that a level in dB says how loud it is against others."""
    return np.asarray(audio / max(float(np.abs(audio).max(initial=0.0)), 1e-9))


def struck(body: Audio, contact_s: float, rate_hz: int) -> Audio:
    """What rings after a blow, struck with a contact of a length instead: softened by a half-sine's
    square.
    """
    count = round(contact_s * rate_hz)
    if count < 2:
        return body
    pulse = np.sin(np.pi * (np.arange(count) + 0.5) / count) ** 2
    return np.asarray(oaconvolve(body, pulse / pulse.sum())[: len(body)])


@lru_cache(maxsize=32)
def _room(number: int, decay_s: float, rate_hz: int) -> Audio:
    """How a small room answers, (frames,): single walls first, then more and more of them, duller and
    duller.
    """
    rng = np.random.default_rng([number, 77])
    frames = round(6.0 * decay_s * rate_hz)
    tail = hissing(
        rng,
        frames,
        rate_hz,
        # Low down a small room has too few modes to be a tail.
        bell_shaped(1400.0, 2.6) - 24.0 * np.maximum(np.log2(500.0 / bands_hz()), 0.0),
        decay_s * np.minimum((bands_hz() / 700.0) ** -0.3, 1.4),
        np.full(_BANDS, 0.006),
    )
    walls = np.zeros(frames)
    for at_s in rng.uniform(0.003, 0.03, 10):
        walls[min(round(at_s * rate_hz), frames - 1)] += rng.normal(0, 1.0)
    walls = struck(walls, 0.0003, rate_hz)
    return np.asarray(tail / np.sqrt((tail**2).sum()) + 0.7 * walls / np.sqrt((walls**2).sum()))


def in_room(dry: Audio, number: int, level_db: float, decay_s: float, rate_hz: int) -> Audio:
    """A sound with what a room gives back of it; ``level_db`` is the energy of the room's answer."""
    wet = oaconvolve(dry, _room(number, round(decay_s, 4), rate_hz))[: len(dry)]
    return np.asarray(dry + 10 ** (level_db / 20) * wet)


def pressed(audio: Audio, by_db: float) -> Audio:
    """A sound whose peaks are rounded off until all that is soft stands ``by_db`` nearer to them, as a
    membrane, a microphone or a tape does to the hardest strokes.
    """
    if by_db <= 0:
        return audio
    gain = db_to_gain(by_db)
    drive = float(brentq(lambda x: x - gain * np.tanh(x), 1e-3, 4.0 * gain))
    return np.asarray(np.tanh(drive * to_peak(audio)) / np.tanh(drive))


def finished(
    audio: Audio, strength: float, peak: float, rate_hz: int, pressed_db: float = 0.0
) -> NDArray[np.float32]:
    """As loud as its strength asks: ``peak`` at full strength, by its square below; ends, faded out,
    where nobody hears it any more. The harder, the more its peaks are ``pressed``.
    """
    audio = pressed(audio, pressed_db * strength)
    size = np.abs(audio)
    loudest = max(float(size.max()), 1e-9)
    audio = audio[: int(np.flatnonzero(size >= loudest * db_to_gain(-_UNHEARD_DB))[-1]) + 1]
    audio = audio / loudest * peak * strength**2
    fade = min(len(audio), rate_hz // 40)
    audio[-fade:] *= np.linspace(1, 0, fade)
    return audio.astype(np.float32)
