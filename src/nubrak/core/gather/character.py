"""Character: what a recording is like as a whole, in numbers that no level and no length changes. They tell a
drum from a loop, claps from a mouth, and a click or music to play along with from all of these.
"""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from scipy.signal import ShortTimeFFT
from scipy.signal.windows import hann

from nubrak.core.find import BAND_EDGES_HZ, Candidates
from nubrak.core.signal import power_ratio_to_db

LEAST_STROKES = 2  # one alone says nothing of how strokes differ
_FRAME_S, _SPAN_DB, _RISE_DB = 0.005, 30.0, 6.0  # strokes that stand out, under the loudest
_LOUDEST = 12  # strokes that are looked at closely
_BANDS, _RANGE_DB = 10, 45.0
_EDGES_HZ = (30.0, 90.0, 180.0, 360.0, 720.0, 1440.0, 2900.0, 5800.0, 9000.0, 13000.0, 20000.0)
_LATER_S = (0.02, 0.05, 0.1, 0.2, 0.4)
_UNKNOWN = -99.0  # where nothing tells: no number of a recording
_LEAST = 1e-12

CHARACTER = (
    "strokes_per_s",
    "gap_spread",
    "gap_same_share",
    "gap_multiple_share",
    "level_spread_db",
    "level_range_db",
    "loud_share",
    "busy_share",
    "quiet_db",
    "crest_db",
    "rise_ms",
    *(f"after_{round(1000 * one)}_ms_db" for one in _LATER_S),
    *(f"high_after_{round(1000 * one)}_ms_db" for one in _LATER_S),
    "flatness_attack_db",
    "flatness_body_db",
    "tonal_db",
    "tonal_low_db",
    "centroid_attack_octaves",
    "centroid_all_octaves",
    "centroid_spread_octaves",
    "low_share",
    "middle_share",
    "high_middle_share",
    "high_share",
    "low_with_high",
    "repeats",
    "repeats_least",
    *(f"own_{k}_db" for k in range(len(BAND_EDGES_HZ) - 1)),
    *(f"own_{k}_spread_db" for k in range(len(BAND_EDGES_HZ) - 1)),
    "others_under_own_db",
    *(f"attack_{k}_db" for k in range(_BANDS)),
    *(f"attack_{k}_spread_db" for k in range(_BANDS)),
    *(f"all_{k}_db" for k in range(_BANDS)),
)


def character(mono: NDArray[np.float32], rate_hz: int, candidates: Candidates) -> NDArray[np.float32] | None:
    """What a signal (frames,) with its candidates is like, (len(CHARACTER),); None where hardly anything is
    struck in it.
    """
    strong = _strong(candidates)
    if len(strong) < LEAST_STROKES:
        return None
    hop = max(round(_FRAME_S * rate_hz), 1)
    frames = mono[: len(mono) // hop * hop].reshape(-1, hop).astype(np.float64)
    level = (frames**2).mean(axis=1) + _LEAST
    high = (np.diff(frames, axis=1) ** 2).mean(axis=1) + _LEAST
    at = candidates.time_s[strong]
    loudest = strong[np.argsort(candidates.peak_db[strong])[::-1][:_LOUDEST]]
    attack_db = _attack_db(mono, rate_hz, candidates.time_s[strong])
    out = [
        *_timing(at, len(mono) / rate_hz),
        *_levels(candidates.peak_db[strong], level),
        *_decay(level, high, candidates.time_s[loudest], at, hop / rate_hz),
        *_sound(mono, rate_hz, candidates.time_s[loudest], attack_db),
        *_repeats(candidates, strong),
        *_own(candidates, strong),
        *np.median(attack_db, axis=0),
        *attack_db.std(axis=0),
        *_spectrum_db(mono, rate_hz),
    ]
    return np.nan_to_num(np.array(out, np.float32), nan=_UNKNOWN, posinf=99.0, neginf=_UNKNOWN)


def _strong(candidates: Candidates) -> NDArray[np.int64]:
    """The candidates that stand out."""
    if not len(candidates):
        return np.zeros(0, np.int64)
    loud = candidates.peak_db > candidates.peak_db.max() - _SPAN_DB
    return np.nonzero(loud & (candidates.rise_db > _RISE_DB))[0]


def _timing(at: NDArray[np.float64], length_s: float) -> list[float]:
    gaps = np.diff(at)
    gaps = gaps[gaps > 0.02]
    if not len(gaps):
        return [float(np.log2(len(at) / max(length_s, 0.1))), np.nan, np.nan, np.nan]
    middle = float(np.median(gaps))
    shortest = float(np.percentile(gaps, 10))
    multiple = gaps / shortest
    return [
        float(np.log2(len(at) / max(length_s, 0.1))),
        float(np.log2(gaps / middle).std()),
        float(np.mean(np.abs(gaps / middle - 1.0) < 0.02)),
        float(np.mean(np.abs(multiple - np.round(multiple)) < 0.06)),
    ]


def _levels(peak_db: NDArray[np.float64], level: NDArray[np.float64]) -> list[float]:
    level_db = power_ratio_to_db(level, _LEAST)
    top = float(level_db.max())
    return [
        float(peak_db.std()),
        float(np.percentile(peak_db, 90) - np.percentile(peak_db, 10)),
        float(np.mean(level_db > top - 20.0)),
        float(np.mean(level_db > top - 40.0)),
        float(np.percentile(level_db, 10) - top),
        float(peak_db.max() - power_ratio_to_db(np.array([level.mean()]), _LEAST)[0]),
    ]


def _decay(
    level: NDArray[np.float64],
    high: NDArray[np.float64],
    at: NDArray[np.float64],
    every: NDArray[np.float64],
    hop_s: float,
) -> list[float]:
    """How long strokes take to rise, in ms, and how far they and their highs have fallen later, in dB, as far
    as nothing else is struck by then.
    """
    rises: list[float] = []
    falls: dict[tuple[int, float], list[float]] = {(k, s): [] for k in (0, 1) for s in _LATER_S}
    for time_s in at.tolist():
        begin = round(time_s / hop_s)
        first = level[max(begin - 4, 0) : begin + 24]
        if len(first) < 8:
            continue
        peak = int(np.argmax(first))
        over = np.nonzero(first[: peak + 1] < 0.1 * first[peak])[0]
        rises.append(1000 * hop_s * (peak - (int(over[-1]) if len(over) else 0)))
        later = every[every > time_s + 0.03]
        until_s = float(later[0]) - time_s if len(later) else np.inf
        top = max(begin - 4, 0) + peak
        for k, track in enumerate((level, high)):
            loudest = track[max(top - 2, 0) : top + 3].max()
            for s in _LATER_S:
                place = top + round(s / hop_s)
                if s < until_s - 0.01 and place < len(track):
                    falls[k, s].append(float(power_ratio_to_db(track[place : place + 1] / loudest)[0]))
    middle = [float(np.median(one)) if one else np.nan for one in falls.values()]
    return [float(np.median(rises)) if rises else np.nan, *middle]


def _sound(
    mono: NDArray[np.float32], rate_hz: int, at: NDArray[np.float64], attack_db: NDArray[np.float64]
) -> list[float]:
    """How noisy strokes and what is left of them are, how tonal the whole is, where its middle lies, and how
    strokes divide over low and high.
    """
    attack = [_flatness_db(mono, rate_hz, one, 0.046) for one in at.tolist()]
    body = [_flatness_db(mono, rate_hz, one + 0.06, 0.09) for one in at.tolist()]
    size = 1 << int(np.ceil(np.log2(0.3 * rate_hz)))
    padded = np.pad(mono, (0, max(size - len(mono), 0)))
    spectra = np.abs(ShortTimeFFT(hann(size), size, rate_hz).stft(padded)) ** 2
    hz = np.fft.rfftfreq(size, 1 / rate_hz)
    loud = spectra.sum(axis=0)
    spectra = spectra[:, loud > 0.001 * loud.max()] + _LEAST

    def tonal(low: float, top: float) -> float:
        part = spectra[(hz >= low) & (hz < top)]
        return float(np.median(power_ratio_to_db(part.max(axis=0) / part.mean(axis=0))))

    octaves = np.log2(np.maximum(hz, 20.0))[:, None]
    middle = (spectra * octaves).sum(axis=0) / spectra.sum(axis=0)
    centres = np.log2(np.sqrt(np.array(_EDGES_HZ[1:]) * np.array(_EDGES_HZ[:-1])))
    power = 10.0 ** (attack_db / 10.0)
    centroid = (power * centres).sum(axis=1) / power.sum(axis=1)
    # Highs weigh more, as they are softer in all music: 3 dB an octave (common practice).
    brightest = np.argmax(attack_db + 3.0 * (centres - centres[0]), axis=1)
    shares = [
        np.mean((brightest >= low) & (brightest < top)) for low, top in ((0, 2), (2, 5), (5, 7), (7, 10))
    ]
    low, high = attack_db[:, :3].max(axis=1), attack_db[:, 6:].max(axis=1)
    apart = float(np.corrcoef(low, high)[0, 1]) if len(low) > 3 and low.std() and high.std() else np.nan
    return [
        float(np.median(attack)),
        float(np.median(body)),
        tonal(60.0, 5000.0),
        tonal(40.0, 400.0),
        float(np.median(centroid)),
        float(np.median(middle)),
        float(centroid.std()),
        *(float(one) for one in shares),
        apart,
    ]


def _flatness_db(mono: NDArray[np.float32], rate_hz: int, at_s: float, length_s: float) -> float:
    """Spectral flatness from 100 Hz to 10 kHz: geometric over arithmetic mean of the power, in dB."""
    first = max(round(at_s * rate_hz), 0)
    part = mono[first : first + round(length_s * rate_hz)].astype(np.float64)
    if len(part) < 256:
        return float("nan")
    power = np.abs(np.fft.rfft(part * hann(len(part)))) ** 2
    hz = np.fft.rfftfreq(len(part), 1 / rate_hz)
    power = power[(hz >= 100.0) & (hz <= 10000.0)] + _LEAST
    return float(10.0 * np.log10(np.exp(np.mean(np.log(power))) / np.mean(power)))


def _bands_db(power: NDArray[np.float64], hz: NDArray[np.floating]) -> NDArray[np.float64]:
    """Power spectra (n, bins) over bands, (n, _BANDS), in dB under each one's loudest."""
    edges = np.searchsorted(hz, _EDGES_HZ)
    sums = np.stack([power[:, a : max(b, a + 1)].sum(axis=1) for a, b in pairwise(edges.tolist())], axis=1)
    level = power_ratio_to_db(sums + _LEAST, _LEAST)
    return np.asarray(np.clip(level - level.max(axis=1, keepdims=True), -_RANGE_DB, 0.0))


def _attack_db(
    mono: NDArray[np.float32], rate_hz: int, at: NDArray[np.float64], length_s: float = 0.05
) -> NDArray[np.float64]:
    """The first 50 ms of strokes, (n, _BANDS), in dB under each one's loudest band."""
    size = round(length_s * rate_hz)
    first = np.maximum(np.round((at - 0.003) * rate_hz).astype(np.int64), 0)
    padded = np.pad(mono, (0, size)).astype(np.float64)
    parts = padded[first[:, None] + np.arange(size)] * hann(size)
    return _bands_db(np.abs(np.fft.rfft(parts, axis=1)) ** 2, np.fft.rfftfreq(size, 1 / rate_hz))


def _spectrum_db(mono: NDArray[np.float32], rate_hz: int) -> NDArray[np.float64]:
    """The whole of it over bands, (_BANDS,), in dB under the loudest."""
    size = 4096
    padded = np.pad(mono, (0, max(size - len(mono), 0)))
    power = np.abs(ShortTimeFFT(hann(size), size // 2, rate_hz).stft(padded)) ** 2
    return np.asarray(_bands_db(power.mean(axis=1)[None], np.fft.rfftfreq(size, 1 / rate_hz))[0])


def _own(candidates: Candidates, strong: NDArray[np.int64]) -> list[float]:
    """What the loudest strokes have in common, third octave by third octave, and how much they differ among
    themselves: the loudest are the microphone's own, the rest may be spill; and how far the others lie under
    them.
    """
    power = candidates.attack_power[strong].astype(np.float64)
    whole = power.sum(axis=1)
    by_size = np.argsort(whole)[::-1]
    level = power_ratio_to_db(power[by_size[:_LOUDEST]] + _LEAST, _LEAST)
    level = np.clip(level - level.max(axis=1, keepdims=True), -_RANGE_DB, 0.0)
    rest = whole[by_size[_LOUDEST:]]
    under = (
        power_ratio_to_db(np.array([np.median(rest) / whole[by_size[0]]]), _LEAST)[0] if len(rest) else np.nan
    )
    return [*np.median(level, axis=0), *level.std(axis=0), float(under)]


def _repeats(candidates: Candidates, strong: NDArray[np.int64]) -> list[float]:
    """How like strokes are to the sounds that the recording repeats: the middle one, and the least."""
    if not candidates.similarity.shape[1]:
        return [np.nan, np.nan]
    best = candidates.similarity[strong].max(axis=1)
    return [float(np.median(best)), float(np.percentile(best, 10))]
