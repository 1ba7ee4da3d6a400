"""Slices replayed: put where they came from they are the loop; put elsewhere they follow another tempo,
each as fast as it was played.

Where the next slice comes later than it did, the gap is filled with the slice's own tail, there and back
again and falling as it fell; where it comes sooner, the slice before fades.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from nubrak.core.samples.cutting import Slice, slice_audio
from nubrak.core.signal import SILENT_LKFS, db_to_gain, loudness_lkfs
from nubrak.core.tempo import Tempo, beats_at, seconds_at

_TAIL_S = 0.08  # of a slice: what a gap is filled with
_LEAST_TAIL_S = 0.01
_OVERLAP_S = 0.003  # over which a slice fades that the next one cuts off
_LEAST_FALL_DB_PER_S = 12.0  # a filled gap always dies away
_MOST_MATCHED_DB = 24.0
Audio = NDArray[np.float32]


def at_tempo(
    slices: Sequence[Slice], rate_hz: int, frames: int, own: Tempo, other: Tempo, begin_s: float = 0.0
) -> NDArray[np.float64]:
    """Where the attack of each slice, and then the end, goes in another tempo, (n + 1,) in s from the
    beginning, which is ``begin_s`` on the time line that the tempos count on.
    """
    attacks = np.array([0, *(one.attack for one in slices), frames]) / rate_hz
    moved = seconds_at(other, beats_at(own, begin_s + attacks))
    return np.asarray(moved[1:] - moved[0])


def levels_db(audio: Audio, rate_hz: int, slices: Sequence[Slice]) -> NDArray[np.float64]:
    """What each slice of audio (frames, channels) is turned by so that all are as loud as the middle one,
    (n,).
    """
    loud = np.array([loudness_lkfs([slice_audio(audio, one)], rate_hz) for one in slices])
    heard = loud > SILENT_LKFS
    if not heard.any():
        return np.zeros(len(slices))
    wanted = float(np.median(loud[heard]))
    return np.where(heard, np.clip(wanted - loud, -_MOST_MATCHED_DB, _MOST_MATCHED_DB), 0.0)


def replayed(
    audio: Audio,
    rate_hz: int,
    slices: Sequence[Slice],
    attacks_s: NDArray[np.float64],
    levels: NDArray[np.float64] | None = None,
) -> Audio:
    """Slices of audio (frames, channels) with their attacks at ``attacks_s`` (n,), in s, and the end
    behind them, (n + 1,): (its frames, channels), every attack on the sample nearest to its time.
    """
    end = round(float(attacks_s[-1]) * rate_hz)
    out = np.zeros((max(end, 0), audio.shape[1]), np.float64)
    starts = [
        round(float(at_s) * rate_hz) - (one.attack - one.start)
        for one, at_s in zip(slices, attacks_s[:-1], strict=True)
    ]
    for k, one in enumerate(slices):
        following = starts[k + 1] if k + 1 < len(slices) else end
        sound = slice_audio(audio, one).astype(np.float64)
        room, length = following - starts[k], one.end - one.start
        if room > length:
            sound = _filled(audio, one, room, rate_hz)
        elif room < length:
            sound = _cut_off(sound, max(room, 0), rate_hz)
        if levels is not None:
            sound = sound * db_to_gain(float(levels[k]))
        begin = starts[k]
        low, high = max(begin, 0), min(begin + len(sound), len(out))
        if low < high:
            out[low:high] += sound[low - begin : high - begin]
    return out.astype(np.float32)


def _cut_off(sound: NDArray[np.float64], room: int, rate_hz: int) -> NDArray[np.float64]:
    """A slice that the next one cuts off, faded out over what little it goes on under that."""
    fade = max(round(_OVERLAP_S * rate_hz), 1)
    out = sound[: room + fade].copy()
    tail = out[room:]
    tail *= (1.0 - (np.arange(len(tail)) + 1) / (fade + 1))[:, None]
    return out


def _filled(audio: Audio, one: Slice, room: int, rate_hz: int) -> NDArray[np.float64]:
    """A slice that goes on until the next one by its own tail."""
    plain = audio[one.start : one.end].astype(np.float64)
    rise = (np.arange(one.fade_in) / max(one.fade_in, 1))[:, None]
    plain[: len(rise)] *= rise
    gap = room - len(plain)
    size = min(round(_TAIL_S * rate_hz), len(plain) // 2)
    if size < round(_LEAST_TAIL_S * rate_hz):
        return plain
    tail = plain[-size:]
    # There and back again nothing jumps: each turn begins with the sample the one before ended with.
    turns = -(-gap // size)
    line = np.concatenate([tail[::-1] if turn % 2 == 0 else tail for turn in range(turns)])[:gap]
    fall_db = _LEAST_FALL_DB_PER_S / rate_hz
    first, last = (np.sqrt((half**2).mean()) for half in (tail[: size // 2], tail[size // 2 :]))
    if first > last > 0:
        fall_db = max(fall_db, 20.0 * np.log10(first / last) / (size / 2))
    # The tail itself falls from its beginning to its end; backwards it would rise by as much.
    place = np.arange(gap)
    back = np.where((place // size) % 2 == 0, place % size, size - place % size)
    level_db = -fall_db * (place + back)
    fade = 1.0 - place / max(gap, 1)
    return np.concatenate([plain, line * (10.0 ** (level_db / 20.0) * fade)[:, None]])
