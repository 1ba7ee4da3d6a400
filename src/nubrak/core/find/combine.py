"""Several microphones on one piece, inside and outside, top and bottom: found once, on the evidence of all of
them.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from nubrak.core.find.band_envelope import joined_envelope
from nubrak.core.find.candidates import (
    PER_SOUND,
    Candidates,
    all_sounding,
    all_whole_power,
    no_candidates,
    no_whole_power,
    side_by_side,
    whole_power_of,
)
from nubrak.core.signal import db_to_power, nearest_of, power_to_db

_REACH_S = 0.006  # two metres: further apart, microphones are not on one piece
_AGREE_S = 0.003  # both saw the same stroke: each times it to about a millisecond, one later by its distance
_STEP_S = 0.0001  # how finely the distance is told: 3 cm


def combine_microphones(heard: list[Candidates]) -> Candidates:
    """The candidates of all microphones of one piece as one list, (n,) in order of time.

    Others are brought to the first one's gain, and a stroke that several heard is one candidate: timed on the
    earlier microphone, as loud as they are on average, as steep as the steepest has it. What only one of them
    heard is softer for it.
    """
    silent, heard = heard[:1], [one for one in heard if len(one)]
    if not heard:
        return silent[0] if silent else no_candidates()
    out = heard[0]
    for number, other in enumerate(heard[1:], start=1):
        out = _pair(out, other, number)
    return out


def _pair(first: Candidates, second: Candidates, so_far: int) -> Candidates:
    lag = _lag_s(first.time_s, second.time_s)
    nearest = nearest_of(second.time_s - lag, first.time_s)
    matched = np.abs(second.time_s - lag - first.time_s[nearest]) <= _AGREE_S
    # Each candidate of the first takes at most one of the second.
    _, only = np.unique(np.where(matched, nearest, -1 - np.arange(len(nearest))), return_index=True)
    single = np.zeros(len(nearest), bool)
    single[only] = True
    matched &= single
    rows = nearest[matched]
    level = [power_to_db(one.attack_power.sum(axis=1, dtype=np.float64)) for one in (first, second)]
    gain = db_to_power(np.median(level[0][rows] - level[1][matched])) if len(rows) else 1.0
    share = np.float32(so_far / (so_far + 1))
    scaled = np.float32(gain) * (1 - share)
    cleaned = len(first.whole_power) + len(second.whole_power) > 0
    # Both in the time of the earlier microphone.
    first_late, second_late = max(-lag, 0.0), max(lag, 0.0)
    left = replace(
        first,
        time_s=first.time_s - first_late,
        rise_db=first.rise_db.copy(),
        attack_power=first.attack_power * share,
        before_power=first.before_power * share,
        whole_power=whole_power_of(first) * share if cleaned else no_whole_power(),
    )
    right = replace(
        second,
        time_s=second.time_s - second_late,
        attack_power=second.attack_power * scaled,
        before_power=second.before_power * scaled,
        whole_power=whole_power_of(second) * scaled if cleaned else no_whole_power(),
    )
    for powers in (
        ("attack_power", "before_power", "whole_power") if cleaned else ("attack_power", "before_power")
    ):
        getattr(left, powers)[rows] += getattr(right, powers)[matched]
    left.rise_db[rows] = np.maximum(left.rise_db[rows], right.rise_db[matched])
    lone = ~matched
    columns: dict[str, NDArray[Any]] = {
        name: side_by_side([getattr(first, name), getattr(second, name)]) for name in PER_SOUND
    }
    here = np.concatenate([np.arange(len(first)), len(first) + np.nonzero(lone)[0]])
    for name, table in columns.items():
        table[rows, first.similarity.shape[1] :] = getattr(second, name)[matched]
        late = (
            np.concatenate(
                [
                    np.full(first.similarity.shape[1], first_late),
                    np.full(second.similarity.shape[1], second_late),
                ]
            )
            if name.endswith("_s")
            else 0.0
        )
        columns[name] = (table - late)[here].astype(table.dtype)
    time_s = np.concatenate([left.time_s, right.time_s[lone]])
    order = np.argsort(time_s, kind="stable")
    plain = {
        name: np.concatenate([getattr(left, name), getattr(right, name)[lone]])[order]
        for name in ("rise_db", "peak_db", "attack_power", "before_power")
    }
    band_envelope = joined_envelope(
        [_scaled(first.band_envelope, share), _scaled(second.band_envelope, scaled)], [0.0, 0.0]
    )
    whole = all_whole_power([(left, slice(None)), (right, lone)], order)
    return Candidates(
        time_s=np.maximum(time_s[order], 0.0),
        **plain,
        **{name: table[order] for name, table in columns.items()},
        band_envelope=band_envelope,
        sounding=all_sounding([(first.sounding, slice(None)), (second.sounding, lone)], order),
        whole_power=whole,
    )


def _scaled(band_envelope: NDArray[np.float16], gain: np.float32 | float) -> NDArray[np.float16]:
    return np.asarray(band_envelope + np.float16(10.0 * np.log10(max(float(gain), 1e-12))))


def _lag_s(first_s: NDArray[np.float64], second_s: NDArray[np.float64]) -> float:
    """How much later the second microphone hears the same strokes: the lag at which most pairs agree; 0 where
    none do.
    """
    late = second_s - first_s[nearest_of(second_s, first_s)]
    late = late[np.abs(late) <= _REACH_S]
    if len(late) < 3:
        return 0.0
    counts, edges = np.histogram(late, bins=np.arange(-_REACH_S, _REACH_S + _STEP_S, _STEP_S))
    smooth = np.convolve(counts, np.ones(5), "same")
    mode = edges[int(np.argmax(smooth))] + _STEP_S / 2
    near = late[np.abs(late - mode) <= 4 * _STEP_S]
    return float(np.median(near)) if len(near) >= 3 else 0.0
