"""Spill: what strokes on one piece put into the microphones of the others, learnt from the session itself.

A stroke reaches its own microphone first and every other one later, by the way sound takes, and always the
same amount quieter. So for every pair of microphones the strokes that arrive first in the one are paired with
what is heard in the other; the delay at which most pairs agree is the distance, and the level difference at
that delay is the leak, third octave by third octave. The outcome is the spill map, and from it what each
stroke must have put into each microphone.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d

from nubrak.core.find import FIRST_BAND, onset_power_at
from nubrak.core.signal import db_to_power, power_to_db
from nubrak.core.spill.onsets import EARLIEST_S, LATEST_S, PartOnsets

_REACH_S = 0.0035  # how far from its due moment spill may arrive
_AGREE_S = 0.0005  # arrivals of one leak agree within this: 17 cm
_LEAST_PAIRS = 4  # arrivals that teach a leak
_FEW_STROKES = 6  # fewer teach no level under other sounds
_ASSUMED_DB, _ASSUMED_S = -18.0, 0.003  # common practice: so a neighbouring drum is heard
_LEAST_AGREE = 0.12  # of the strokes: fewer that agree on a delay agree by chance
_STEP_S = 0.00025  # how finely a delay is told: 9 cm
_UNSURE_S = 0.006  # by the band envelope nobody knows when in its window it arrived
# What is read of a leak that lies under other sounds: of loud strokes, with nothing near before and after,
# the lower part of what is heard.
_LOUD_DB, _CLEAR_BEFORE_S, _CLEAR_AFTER_S, _LOWER_SHARE, _LEAST_RATIO, _MOST_READ = (
    15.0,
    0.04,
    0.03,
    0.3,
    1e-7,
    400,
)
# Candidates that keep step with another's strokes: within so much in level and time (the quartiles), at so
# large a share of its strokes, and so far under the loud ones of their own microphone. Common practice: two
# hands that mean to strike together are some milliseconds and decibels apart.
_AS_MUCH_DB, _AS_LATE_S, _IN_STEP_SHARE, _SPILT_UNDER_DB = 3.0, 0.0004, 0.3, 9.0
_STEADY_SHARE = 0.6  # of those within three times as much
SPREAD_REGIONS = ((0, 10), (10, 19), (19, 29))  # third octaves, parted at 250 Hz and 2 kHz
_LEAST_SPREAD_DB, _UNSURE_SPREAD_DB = 0.7, 6.0
_WEAK_DB = 30.0  # a band so far under the loudest tells nothing
_LOCAL_PAIRS = 25  # arrivals over which a level is followed where a microphone was moved


@dataclass(frozen=True)
class Leak:
    """How strokes of one part arrive at another: ``colour`` (bands,) power ratio, ``own_level_db`` in the
    leaker's own band against how it is heard at home, ``delay_s`` give or take ``reach_s``, and how many
    strokes taught it. ``local_db`` (n,) is what the ratio drifts by at each of the other's candidates,
    ``spread_db`` (3,) how far from it single arrivals lie in low, middle and high, as a standard deviation.
    """

    colour: NDArray[np.float64]
    own_level_db: float
    delay_s: float
    pairs: int
    local_db: NDArray[np.float64]
    spread_db: NDArray[np.float64]
    reach_s: float = _REACH_S

    @property
    def timed(self) -> bool:
        """Whether arrivals told the delay; else it is as good as the distance between close microphones."""
        return self.pairs > 0 and self.reach_s <= _REACH_S


def learn_leak(
    there: PartOnsets, here: PartOnsets, strokes: NDArray[np.bool_], own: NDArray[np.bool_]
) -> Leak | None:
    """How the ``strokes`` (m,) of ``there`` arrive in ``here``, whose candidates ``own`` (n,) are its own;
    None where too few tell.
    """
    times = there.candidates.time_s[strokes]
    if len(times) < _LEAST_PAIRS or not len(here.candidates.time_s):
        return None
    rows = np.nonzero(strokes)[0]
    at = np.searchsorted(here.candidates.time_s, times + EARLIEST_S)
    stroke, found = [], []
    for step in range(4):
        candidate = at + step
        inside = candidate < len(here.candidates.time_s)
        inside[inside] &= here.candidates.time_s[candidate[inside]] - times[inside] <= LATEST_S
        stroke.append(rows[inside])
        found.append(candidate[inside])
    j, i = np.concatenate(stroke), np.concatenate(found)
    late = here.candidates.time_s[i] - there.candidates.time_s[j]
    if len(late) < _LEAST_PAIRS:
        return None
    # A drum's own microphone stands at it; only a cymbal may be nearer to another's than to its own.
    earliest_s = EARLIEST_S if there.kind in ("cymbal", "overall") else -_AGREE_S
    counts, edges = np.histogram(late, bins=np.arange(earliest_s, LATEST_S + _STEP_S, _STEP_S))
    density = gaussian_filter1d(counts.astype(np.float64), 1.0, mode="constant")
    mode = float(edges[int(np.argmax(density))] + _STEP_S / 2)
    away = np.abs(late - mode)
    agree = away <= _AGREE_S
    # Strokes played together arrive together too, but spread by the hands; what comes by way of the air comes
    # at one moment.
    around = np.count_nonzero((away > 2 * _AGREE_S) & (away <= 6 * _AGREE_S))
    reach = min(mode + 6 * _AGREE_S, LATEST_S) - max(mode - 6 * _AGREE_S, earliest_s) - 4 * _AGREE_S
    by_chance = around * 2 * _AGREE_S / max(reach, 2 * _AGREE_S)
    if np.count_nonzero(agree) < max(
        _LEAST_PAIRS, _LEAST_AGREE * len(times), by_chance + 3.5 * by_chance**0.5 + 2.0
    ):
        return None
    delay = float(np.median(late[agree]))
    j, i = j[agree], i[agree]
    # Together with a stroke of its own a microphone says nothing about what arrives from afar.
    difference = here.level_db[i] - power_to_db(there.onset_power[j].sum(axis=1, dtype=np.float64))
    apart = ~own[i] | _in_step(late[agree], difference, here, own, i, len(times))
    j, i, difference = j[apart], i[apart], difference[apart]
    if len(i) < _LEAST_PAIRS:
        return None
    # A stroke of this part at the same moment only adds: what is far over the lower part is not the leak.
    pure = difference < _lower(here.candidates.time_s[i], difference) + 6.0
    j, i, difference = j[pure], i[pure], difference[pure]
    ratio = np.median(here.onset_power[i] / np.maximum(there.onset_power[j], 1e-14), axis=0).astype(
        np.float64
    )
    # Where the leaker itself has next to nothing, the ratio is one of noises: there it leaks at most as much
    # as where it sounds.
    sounds = np.median(there.onset_power[j], axis=0)
    strong = sounds >= sounds.max() * db_to_power(-_WEAK_DB)
    ratio = np.where(strong, ratio, np.minimum(ratio, ratio[strong].max()))
    return Leak(
        colour=ratio,
        own_level_db=float(
            np.median(power_to_db(here.onset_power[i][:, there.inside].sum(axis=1)) - there.level_db[j])
        ),
        delay_s=delay,
        pairs=len(i),
        local_db=_drift(here.candidates.time_s[i], difference, here.candidates.time_s),
        spread_db=_spread(here.onset_power[i], there.onset_power[j] * ratio),
    )


def _in_step(
    late_s: NDArray[np.float64],
    difference_db: NDArray[np.float64],
    here: PartOnsets,
    own: NDArray[np.bool_],
    rows: NDArray[np.int64],
    strokes: int,
) -> NDArray[np.bool_]:
    """Which of the candidates ``rows`` (m,) that follow another's ``strokes`` by ``late_s`` (m,) are that
    one's spill, however much they sound like strokes of the microphone's ``own`` (n,): softer than those,
    always as late and always as much softer than what they follow, as no two hands are. (m,).
    """
    low = float(np.percentile(difference_db, 25))
    out = np.abs(difference_db - low) <= _AS_MUCH_DB
    count, around = (
        int(np.count_nonzero(np.abs(difference_db - low) <= wide * _AS_MUCH_DB)) for wide in (1, 3)
    )
    if count < max(_FEW_STROKES, _IN_STEP_SHARE * strokes, _STEADY_SHARE * around):
        return np.zeros(len(rows), bool)
    apart_s = np.subtract(*np.percentile(late_s[out], [75, 25]))
    loud_db = float(np.percentile(here.level_db[own], 75)) if own.any() else -np.inf
    softer = float(np.median(here.level_db[rows[out]])) < loud_db - _SPILT_UNDER_DB
    return out if softer and apart_s <= _AS_LATE_S else np.zeros(len(rows), bool)


def _lower(at_s: NDArray[np.float64], difference_db: NDArray[np.float64]) -> NDArray[np.float64]:
    """The lower quartile of what arrives around each of these moments, (m,)."""
    if len(at_s) < 2 * _LOCAL_PAIRS:
        return np.full(len(at_s), np.percentile(difference_db, 25))
    order = np.argsort(at_s, kind="stable")
    windows = np.lib.stride_tricks.sliding_window_view(
        np.pad(difference_db[order], _LOCAL_PAIRS // 2, mode="edge"), _LOCAL_PAIRS
    )
    out = np.empty(len(at_s))
    out[order] = np.percentile(windows, 25, axis=1)[: len(at_s)]
    return out


def _spread(arrived: NDArray[np.floating], due: NDArray[np.floating]) -> NDArray[np.float64]:
    """How far single arrivals, (m, bands), lie from what was ``due`` (m, bands), in low, middle and high,
    (3,) in dB: by the quartiles, as a standard deviation.
    """
    out = np.empty(len(SPREAD_REGIONS))
    for row, (first, last) in enumerate(SPREAD_REGIONS):
        over_db = power_to_db(arrived[:, first:last].sum(axis=1, dtype=np.float64)) - power_to_db(
            due[:, first:last].sum(axis=1, dtype=np.float64)
        )
        out[row] = 0.741 * float(np.subtract(*np.percentile(over_db, [75, 25])))
    return np.clip(out, _LEAST_SPREAD_DB, _UNSURE_SPREAD_DB)


def _drift(
    at_s: NDArray[np.float64], difference_db: NDArray[np.float64], time_s: NDArray[np.float64]
) -> NDArray[np.float64]:
    """How far the leak around each time lies from its median: a microphone that was moved or muted half-way
    through.
    """
    if len(at_s) < 2 * _LOCAL_PAIRS:
        return np.zeros(len(time_s))
    order = np.argsort(at_s)
    sorted_db = difference_db[order]
    width = _LOCAL_PAIRS
    windows = np.lib.stride_tricks.sliding_window_view(np.pad(sorted_db, width // 2, mode="edge"), width)
    local = np.median(windows, axis=1)[: len(at_s)] - np.median(sorted_db)
    local = np.where(np.abs(local) > 2.0, local, 0.0)
    return np.asarray(np.interp(time_s, at_s[order], local))


def _assumed(there: PartOnsets, here: PartOnsets) -> Leak:
    """What is taken for the leak of a piece that was struck too seldom to teach it."""
    colour = np.full(there.onset_power.shape[1], db_to_power(_ASSUMED_DB))
    return Leak(colour, _ASSUMED_DB, _ASSUMED_S, 0, np.zeros(len(here.level_db)), _unsure())


def _unsure() -> NDArray[np.float64]:
    return np.full(len(SPREAD_REGIONS), _UNSURE_SPREAD_DB)


def learn_by_envelope(
    there: PartOnsets, here: PartOnsets, strokes: NDArray[np.bool_], own: NDArray[np.bool_], delay_s: float
) -> Leak | None:
    """The same where no arrivals agree, as a rule because they lie under noise or others: the band envelope
    of ``here`` at the loud ``strokes`` (m,) of ``there`` tells how much they put there at most. None where it
    has candidates of its ``own`` (n,) at nearly all of them.
    """
    band_envelope = here.candidates.band_envelope
    rows = np.nonzero(strokes)[0]
    if len(rows) < _FEW_STROKES or not len(band_envelope):
        return None
    rows = rows[there.level_db[rows] > np.percentile(there.level_db[rows], 80) - _LOUD_DB]
    times, own_s = there.candidates.time_s[rows], here.candidates.time_s[own]
    free = np.searchsorted(own_s, times - _CLEAR_BEFORE_S) == np.searchsorted(own_s, times + _CLEAR_AFTER_S)
    rows, times = rows[free][:_MOST_READ], times[free][:_MOST_READ]
    if len(rows) < _FEW_STROKES:
        return None
    struck = np.add.reduceat(there.onset_power[rows].astype(np.float64), FIRST_BAND, axis=1)
    ratio = np.quantile(
        onset_power_at(band_envelope, times, 2) / np.maximum(struck, 1e-14), _LOWER_SHARE, axis=0
    )
    # A region in which the leaker has next to nothing says nothing.
    weak = np.median(struck, axis=0) < np.median(struck, axis=0).max() * db_to_power(-_WEAK_DB)
    ratio = np.clip(np.where(weak, np.minimum(ratio, ratio[~weak].max()), ratio), _LEAST_RATIO, 10.0)
    colour = np.repeat(ratio, np.diff([*FIRST_BAND, there.onset_power.shape[1]]))
    arrives = power_to_db((there.onset_power[rows] * colour)[:, there.inside].sum(axis=1))
    return Leak(
        colour,
        float(np.median(arrives - there.level_db[rows])),
        delay_s + _UNSURE_S / 2,
        len(rows),
        np.zeros(len(here.level_db)),
        _unsure(),
        _REACH_S + _UNSURE_S / 2,
    )


def learn_all(
    heard: dict[str, PartOnsets], strokes: dict[str, NDArray[np.bool_]], own: dict[str, NDArray[np.bool_]]
) -> dict[tuple[str, str], Leak]:
    """The leak of every pair (from, to) that can be told by the sure ``strokes`` of each part; ``own`` may be
    strokes of it.
    """
    leaks: dict[tuple[str, str], Leak] = {}
    for to_key, here in heard.items():
        for from_key, there in heard.items():
            if from_key != to_key and not here.sources & there.sources:
                leak = learn_leak(there, here, strokes[from_key], own[to_key])
                if leak is None:
                    back = leaks.get((to_key, from_key))
                    # It is as far from here to there as from there to here, where both microphones are close
                    # ones.
                    leak = learn_by_envelope(
                        there,
                        here,
                        strokes[from_key],
                        own[to_key],
                        back.delay_s if back and back.pairs else _ASSUMED_S,
                    )
                if leak is None and 0 < np.count_nonzero(strokes[from_key]) < _FEW_STROKES:
                    leak = _assumed(there, here)
                if leak is not None:
                    leaks[from_key, to_key] = leak
    return leaks
