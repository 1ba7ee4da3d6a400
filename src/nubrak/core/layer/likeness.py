"""Which sounds suit a recording: how alike they are in spectrum and decay, what they would add, and why, in
words.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from nubrak.core.signal import db_to_power, power_ratio_to_db, windows_at

_BODY_S = 0.3  # of the spectrum
STROKE_S = 0.8  # of the decay
_TOP_S = 0.05  # a stroke is loudest within this
_CENTRES_HZ = 1000.0 * 2.0 ** (
    np.arange(-16, 14) / 3.0
)  # third octaves from 25 Hz to 20 kHz (IEC 61260, base two)
_FLOOR_DB = -50.0  # a band so far under all of it is not heard beside it
_SLICE_S = 0.01  # how finely a decay is followed
_FALLEN_DB = 20.0  # to a tenth: by then a stroke has made its impression
_WEIGHT_DECAY = 6.0  # dB that a decay twice as long counts for
_SAID_DB = 4.0  # smaller differences are not said
_SAID_MS = 25.0  # nor are shorter ones
_MOST_ADDED_DB = 12.0  # a band that was empty counts for no more than this
# Between which differences are said in words.
_EDGES_HZ = (0.0, 80.0, 250.0, 2000.0, 6000.0, np.inf)
_MOST_HITS = 48  # as many as make the picture steady
_MOST_WORDS = 3  # differences said of one sound


@dataclass(frozen=True)
class Profile:
    """A stroke's spectrum as levels of third octaves against the whole in dB, (30,), and how long it takes to
    fall 20 dB, in s.
    """

    bands_db: NDArray[np.float64]
    decay_s: float


def profile(strokes: NDArray[np.floating], rate_hz: int) -> Profile:
    """The profile of strokes (n, frames) from their attack on: the median over them."""
    body = strokes[:, : round(_BODY_S * rate_hz)].astype(np.float64)
    count = body.shape[1]
    fade = np.ones(count)
    last = count // 4
    fade[count - last :] = 0.5 + 0.5 * np.cos(np.pi * np.arange(last) / max(last, 1))
    power = np.abs(np.fft.rfft(body * fade, axis=1)) ** 2
    hz = np.fft.rfftfreq(count, 1 / rate_hz)
    edges = np.concatenate([[0.0], _CENTRES_HZ * 2 ** (1 / 6)])
    index = np.clip(np.searchsorted(edges, hz, side="right") - 1, 0, len(_CENTRES_HZ) - 1)
    bands = np.stack([np.bincount(index, row, len(_CENTRES_HZ)) for row in power])
    whole = np.maximum(bands.sum(axis=1, keepdims=True), 1e-30)
    db = 10.0 * np.log10(np.maximum(bands / whole, db_to_power(_FLOOR_DB)))
    return Profile(
        np.median(db, axis=0),
        float(np.median([_decay_s(row, rate_hz) for row in strokes.astype(np.float64)])),
    )


def _decay_s(stroke: NDArray[np.float64], rate_hz: int) -> float:
    size = max(round(_SLICE_S * rate_hz), 1)
    power = (stroke[: len(stroke) // size * size].reshape(-1, size) ** 2).mean(axis=1)
    if not len(power) or not power.any():
        return _SLICE_S
    top = int(np.argmax(power[: round(_TOP_S / _SLICE_S)]))
    if not power[top]:
        return _SLICE_S
    level = power_ratio_to_db(power[top:] / power[top], 1e-9)
    fallen = np.nonzero(level <= -_FALLEN_DB)[0]
    return float((top + (int(fallen[0]) if len(fallen) else len(level))) * size / rate_hz)


def strokes_of(recording: NDArray[np.float32], hits: NDArray[np.int64], rate_hz: int) -> NDArray[np.float32]:
    """The recorded strokes of a part to make a profile of, at most 48, evenly chosen, (n, frames).

    ``recording`` is (frames,), ``hits`` (n,) in samples.
    """
    chosen = (
        hits[np.linspace(0, len(hits) - 1, min(len(hits), _MOST_HITS)).round().astype(int)]
        if len(hits)
        else hits
    )
    return windows_at(recording, chosen, round(STROKE_S * rate_hz))


def apart_db(recorded: Profile, sound: Profile) -> float:
    """How far two are apart: the root of the mean square over the bands that matter in either, and what their
    decays differ by.
    """
    matters = np.maximum(recorded.bands_db, sound.bands_db) > -35.0
    bands = float(np.sqrt(np.mean((recorded.bands_db - sound.bands_db)[matters] ** 2)))
    octaves = abs(np.log2(max(sound.decay_s, 0.01) / max(recorded.decay_s, 0.01)))
    return float(np.hypot(bands, _WEIGHT_DECAY * octaves))


def added_db(recorded: Profile, sound: Profile, under_db: float) -> float:
    """What a sound that lies so many dB under the recording would add: the root of the mean square over the
    bands of what each grows by, at most 12 dB a band. So a band that was empty counts for more than a little
    everywhere.
    """
    grown = 10.0 * np.log10(1.0 + db_to_power(sound.bands_db - under_db - recorded.bands_db))
    audible = np.maximum(recorded.bands_db, sound.bands_db - under_db) > -40.0
    return float(np.sqrt(np.mean(np.minimum(grown, _MOST_ADDED_DB)[audible] ** 2)))


def difference_in_words(recorded: Profile, sound: Profile) -> str:
    """What is different about a sound, in a few words; the largest differences first."""
    found = _more_and_less(recorded, sound)
    ms = 1000 * (sound.decay_s - recorded.decay_s)
    if abs(ms) >= _SAID_MS:
        found.append(
            (
                abs(np.log2(sound.decay_s / recorded.decay_s)) * _WEIGHT_DECAY,
                f"{abs(ms):.0f} ms {'longer' if ms > 0 else 'shorter'}",
            )
        )
    return ", ".join(words for _, words in sorted(found, reverse=True)[:_MOST_WORDS]) or "much the same"


def _more_and_less(recorded: Profile, sound: Profile) -> list[tuple[float, str]]:
    """By how many dB, and in which words, a sound has more or less; zones beside each other that differ the
    same way are said as one.
    """
    differ = []
    for low, high in pairwise(_EDGES_HZ):
        inside = (low <= _CENTRES_HZ) & (high > _CENTRES_HZ)
        there, here = (
            float(10 * np.log10((db_to_power(one.bands_db[inside])).sum())) for one in (recorded, sound)
        )
        heard = max(there, here) > -35.0 and abs(here - there) >= _SAID_DB
        differ.append(here - there if heard else 0.0)
    found, at = [], 0
    while at < len(differ):
        end = at + 1
        while end < len(differ) and np.sign(differ[end]) == np.sign(differ[at]):
            end += 1
        if differ[at]:
            found.append(
                (
                    max(abs(one) for one in differ[at:end]),
                    f"{'more' if differ[at] > 0 else 'less'} {_where(_EDGES_HZ[at], _EDGES_HZ[end])}",
                )
            )
        at = end
    return found


def _where(low_hz: float, high_hz: float) -> str:
    if low_hz == 0:
        return "everywhere" if np.isinf(high_hz) else f"below {_hz(high_hz)}"
    return f"above {_hz(low_hz)}" if np.isinf(high_hz) else f"from {_hz(low_hz)} to {_hz(high_hz)}"


def _hz(hz: float) -> str:
    return f"{hz / 1000:.0f} kHz" if hz >= 1000 else f"{hz:.0f} Hz"
