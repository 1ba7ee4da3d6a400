"""Rooms: stereo rooms that Nubrak makes, the same every time: first reflections by image sources in a
box (Allen and Berkley, "Image method for efficiently simulating small-room acoustics", JASA 65, 1979), then
a tail of noise in which each octave decays in its own time.
"""

from __future__ import annotations

from functools import lru_cache
from itertools import product
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field
from scipy import fft

from nubrak.core.controls import control
from nubrak.core.signal import Stretch

RoomSize = Literal["closet", "chamber", "live room", "hall", "cathedral"]
ROOM_BLOCK = 1 << 16
_SOUND_M_S = 343.0
# Length, width and height in metres, and the time in which the middle octaves fall by 60 dB.
_SIZES: dict[RoomSize, tuple[tuple[float, float, float], float]] = {
    "closet": ((2.1, 1.7, 2.4), 0.25),
    "chamber": ((4.3, 3.7, 2.7), 0.45),
    "live room": ((8.1, 6.3, 3.9), 0.8),
    "hall": ((21.0, 14.0, 9.0), 1.6),
    "cathedral": ((44.0, 23.0, 19.0), 3.6),
}
_OCTAVES_HZ = (125.0, 250.0, 500.0, 1000.0, 2000.0, 4000.0, 8000.0, 16000.0)
_OF_DECAY = {
    "soft": (0.9, 0.95, 1.0, 1.0, 0.85, 0.6, 0.4, 0.28),
    "plain": (1.1, 1.05, 1.0, 1.0, 0.95, 0.8, 0.6, 0.45),
    "hard": (1.15, 1.1, 1.0, 1.0, 1.0, 0.92, 0.8, 0.65),
}
_KEPT = {"soft": 0.6, "plain": 0.75, "hard": 0.88}  # of a reflection's amplitude by each wall
_ORDER = 4  # walls that a first reflection has met at most
_WHOLE_DB = 70.0  # the tail is left out where it is further down


class Room(BaseModel):
    """A room that the recording never had."""

    size: RoomSize = "chamber"
    decay_ms: float | None = Field(
        default=None, ge=100, le=8000, description="until it has fallen by 60 dB; empty: as such a room does"
    )
    walls: Literal["soft", "plain", "hard"] = Field(default="plain", description="soft ones take the highs")
    early_db: float = Field(default=0.0, ge=-24, le=12, description="the first reflections against the tail")
    later_ms: float = Field(
        default=0.0,
        ge=0,
        le=250,
        description="it answers so much later, which keeps the stroke clear of it",
        json_schema_extra=control(step=1),
    )


def decay_s(room: Room) -> float:
    """The time in which its middle octaves fall by 60 dB."""
    return _SIZES[room.size][1] if room.decay_ms is None else room.decay_ms / 1000


def impulse_response(room: Room, rate_hz: int) -> NDArray[np.float32]:
    """What the room answers to one sample on the left, and on the right, (2, 2, frames): by the side it comes
    from, then the side it is heard on. A sound in the middle comes back as loud as it went in.
    """
    frames = int(np.ceil(decay_s(room) * max(_OF_DECAY[room.walls]) * _WHOLE_DB / 60 * rate_hz))
    out = np.empty((2, 2, frames + 1))
    for source, ear in product((0, 1), (0, 1)):
        early = _reflections(room, source, ear, rate_hz, frames + 1)
        tail = _tail(room, 2 * source + ear, rate_hz, frames + 1)
        tail *= np.sqrt(np.sum(early**2) / np.sum(tail**2)) * 1.6
        out[source, ear] = 10 ** (room.early_db / 20) * early + tail
    out[:, :, -(frames // 20 or 1) :] *= np.linspace(1, 0, frames // 20 or 1)
    # Both sides of a middle together, and each ear as loud as it.
    out /= np.sqrt(np.sum(out.sum(axis=0) ** 2) / 2)
    later = np.zeros((2, 2, round(room.later_ms / 1000 * rate_hz)))
    return np.concatenate([later, out], axis=2).astype(np.float32)


def _reflections(room: Room, source: int, ear: int, rate_hz: int, frames: int) -> NDArray[np.float64]:
    """First reflections, (frames,): without the direct sound, the nearest of which comes at once."""
    box, side = np.array(_SIZES[room.size][0]), (-1, 1)
    # A kit in the far third, its sides apart; two microphones before it. A little off every middle, or
    # reflections would fall on each other.
    at = box * (0.31, 0.47 + 0.11 * side[source], 0.36)
    ear_at = box * (0.73, 0.52 + 0.17 * side[ear], 0.44)
    delays, gains = [], []
    for walls in product(range(-_ORDER, _ORDER + 1), repeat=3):
        met = int(np.abs(walls).sum())
        if not 1 <= met <= _ORDER:
            continue
        image = np.array(walls) * box + np.where(np.abs(walls) % 2, box - at, at)
        distance = float(np.linalg.norm(image - ear_at))
        delays.append(distance / _SOUND_M_S)
        gains.append(_KEPT[room.walls] ** met / distance)
    late = np.array(delays) - np.linalg.norm(at - ear_at) / _SOUND_M_S
    out = np.zeros(frames)
    where = late * rate_hz
    for place, gain in zip(where, gains, strict=True):
        low, share = int(place), place - int(place)
        if 0 <= low < frames - 1:
            out[low : low + 2] += gain * np.array([1 - share, share])
    # Walls take highs away, the more of them the later: one gentle low-pass for all.
    return np.convolve(out, [0.25, 0.5, 0.25])[1 : frames + 1]


def _tail(room: Room, seed: int, rate_hz: int, frames: int) -> NDArray[np.float64]:
    """Noise of which each octave decays in its own time, (frames,), coming up as reflections grow dense."""
    box = np.array(_SIZES[room.size][0])
    spectrum = fft.rfft(_noise(seed, frames), 2 * frames)
    hz = fft.rfftfreq(2 * frames, 1 / rate_hz)
    octave = np.clip(np.log2(np.maximum(hz, 1.0) / _OCTAVES_HZ[0]), 0, len(_OCTAVES_HZ) - 1)
    t = np.arange(frames) / rate_hz
    out = np.zeros(frames)
    for k, share in enumerate(_OF_DECAY[room.walls]):
        weight = np.clip(1 - np.abs(octave - k), 0, 1)
        if weight.any():
            out += fft.irfft(spectrum * weight)[:frames] * 10 ** (-3 * t / (share * decay_s(room)))
    # Reflections lie dense after about the square root of the volume in milliseconds (Polack's estimate).
    dense_s = np.sqrt(box.prod()) / 1000
    return np.asarray(out * np.clip(t / dense_s, 0, 1) ** 2)


def _noise(seed: int, frames: int) -> NDArray[np.float64]:
    """Uniform noise, (frames,), the same on every machine and by every library: splitmix64 (Steele, Lea and
    Flood, OOPSLA 2014).
    """
    state = (np.arange(1, frames + 1, dtype=np.uint64) + np.uint64(seed * 0x1000000)) * np.uint64(
        0x9E3779B97F4A7C15
    )
    for shift, times in ((30, 0xBF58476D1CE4E5B9), (27, 0x94D049BB133111EB)):
        state = (state ^ (state >> np.uint64(shift))) * np.uint64(times)
    state ^= state >> np.uint64(31)
    return np.asarray(state.astype(np.float64) / 2.0**63 - 1.0)


def response_samples(room: Room, rate_hz: int) -> int:
    """How many samples it goes on answering."""
    return _spectra(room.model_dump_json(), rate_hz)[1]


@lru_cache(maxsize=4)
def _spectra(said: str, rate_hz: int) -> tuple[NDArray[np.complex64], int, int]:
    """The room's response as spectra, its length, and the length of the transform."""
    response = impulse_response(Room.model_validate_json(said), rate_hz)
    size = fft.next_fast_len(ROOM_BLOCK + response.shape[2] - 1, real=True)
    return np.asarray(fft.rfft(response, size)), response.shape[2], size


def in_room(room: Room, plain: Stretch, rate_hz: int, start: int, frames: int) -> NDArray[np.float32]:
    """The samples ``start`` to ``start + frames`` of what the room answers to what ``plain`` gives,
    (frames, 2): by blocks on a grid of their own, so that windows joined equal the whole.
    """
    spectra, length, size = _spectra(room.model_dump_json(), rate_hz)
    out = np.zeros((frames, 2), np.float32)
    for number in range(start // ROOM_BLOCK, -(-(start + frames) // ROOM_BLOCK)):
        begin = number * ROOM_BLOCK
        sound = np.nan_to_num(plain(begin - length + 1, length - 1 + ROOM_BLOCK), posinf=0.0, neginf=0.0)
        if not sound.any():
            continue
        heard = fft.rfft(sound.T, size)
        made = fft.irfft(np.einsum("sf,sef->ef", heard, spectra), size)[
            :, length - 1 : length - 1 + ROOM_BLOCK
        ]
        low, high = max(begin, start), min(begin + ROOM_BLOCK, start + frames)
        out[low - start : high - start] = made.T[low - begin : high - begin]
    return out
