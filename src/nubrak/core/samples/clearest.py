"""Which strokes of a piece stand most by themselves: the ones to take as samples.

Of each stroke it is measured what else is heard with it: what rang before and is still there under it,
what is struck with it and how loud that is heard here, how long it rings before something else is struck,
how far its level and its tone are from the piece's usual ones, and whether it is clipped.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from nubrak.core.signal import distance_to_nearest, power_ratio_to_db

_STROKE_S = 0.03  # of a stroke: what its level is measured on
_BEFORE_S = (0.02, 0.004)  # before the attack: what rings on under it
_WITH_S = 0.03  # struck within so long of it, something sounds with it
_APART_S = 0.06  # so far from any other, a stroke tells how loud its piece is heard here
_DISTURBS_DB = -24.0  # what is heard softer than this against it does not end it
_HIDDEN_DB = 6.0  # so far under what still rings, it is not heard
_LONGEST_S = 4.0
_LEAST_DB, _SILENT = -70.0, 1e-12
_CLIPPED_RUN = 3  # samples on end that do not move, at the height of the loudest
_CLIPPED_OF = 0.99
_TONE_BANDS_HZ = np.geomspace(50, 12000, 13)
# What a fault is worth beside a dB of spill (common practice: spill first, then a ring that is cut short).
_SHORT_DB, _LEVEL_WORTH, _TONE_WORTH, _CLIPPED_DB = 8.0, 0.5, 0.5, 25.0  # short: each time it is halved
_SHORTEST_S = 0.01
_SOFTLY_DB, _USUAL_DB = -36.0, 1.5
_UNHEARD_DB = -45.0  # softer than this under a stroke, nobody hears it
_APART_IN_VELOCITY = 12  # layers closer than this sound alike
Array = NDArray[np.float64]


@dataclass(frozen=True)
class Clear:
    """How much one stroke stands by itself: ``row`` among the piece's strokes; ``spoilt_db`` everything that
    speaks against it, the least is the best. ``alone_s`` until anything else is struck; ``under_db`` what
    rings on under it and ``with_db`` what is struck with it, both against it; ``level_db`` over the
    piece's usual level; ``tone_db`` from its usual tone.
    """

    row: int
    time_s: float
    spoilt_db: float
    alone_s: float
    under_db: float
    with_db: float
    with_piece: str | None
    level_db: float
    tone_db: float
    clipped: bool

    @property
    def reason(self) -> str:
        """Why it stands where it does, in words."""
        said = [f"alone for {1000 * self.alone_s:.0f} ms"]
        if self.with_piece is not None and self.with_db > _SOFTLY_DB:
            said.append(f"{self.with_piece} struck with it, {_under(self.with_db)}")
        elif self.under_db > _SOFTLY_DB:
            said.append(f"what rang before {_under(self.under_db)}")
        else:
            said.append("nothing under it")
        if abs(self.level_db) < _USUAL_DB:
            said.append("level as usual")
        else:
            said.append(
                f"{abs(self.level_db):.0f} dB {'louder' if self.level_db > 0 else 'softer'} than usual"
            )
        return ", ".join([*said, *(["clipped"] if self.clipped else [])])


def _under(level_db: float) -> str:
    return f"{-level_db:.0f} dB under it" if level_db < 0 else f"{level_db:.0f} dB over it"


def clearest(
    mono: NDArray[np.float32], rate_hz: int, time_s: Array, others: Mapping[str, Array]
) -> list[Clear]:
    """The strokes of a piece at ``time_s`` (n,), in s, in a signal (frames,), the clearest first;
    ``others`` is when each other piece is struck, (m,).
    """
    own_s = np.sort(np.asarray(time_s, np.float64))
    if not len(own_s):
        return []
    energy = np.concatenate([[0.0], np.cumsum(mono.astype(np.float64) ** 2)])
    level_db = _level_db(energy, own_s, (0.0, _STROKE_S), rate_hz)
    under_db = _level_db(energy, own_s, (-_BEFORE_S[0], -_BEFORE_S[1]), rate_hz) - level_db
    heard_db = _heard_db(energy, rate_hz, own_s, level_db, others)
    with_db, with_piece = _struck_with(own_s, level_db, others, heard_db)
    alone_s = _alone_s(energy, rate_hz, own_s, level_db, others, heard_db)
    tone_db = _from_usual_tone(mono, rate_hz, own_s)
    usual_db, usual_alone_s = float(np.median(level_db)), float(np.quantile(alone_s, 0.9)) or 1.0
    loudest = float(np.abs(mono).max(initial=0.0))
    out = []
    for row, at_s in enumerate(own_s.tolist()):
        clipped = _is_clipped(mono, rate_hz, at_s, loudest)
        spill_db = 10 * np.log10(10 ** (under_db[row] / 10) + 10 ** (with_db[row] / 10))
        spill_db = max(spill_db, _UNHEARD_DB)
        spoilt_db = (
            spill_db
            + _SHORT_DB * max(np.log2(usual_alone_s / max(alone_s[row], _SHORTEST_S)), 0.0)
            + _LEVEL_WORTH * abs(level_db[row] - usual_db)
            + _TONE_WORTH * tone_db[row]
            + _CLIPPED_DB * clipped
        )
        out.append(
            Clear(
                row,
                at_s,
                float(spoilt_db),
                float(alone_s[row]),
                float(under_db[row]),
                float(with_db[row]),
                with_piece[row],
                float(level_db[row] - usual_db),
                float(tone_db[row]),
                clipped,
            )
        )
    return sorted(out, key=lambda one: one.spoilt_db)


def _level_db(energy: Array, time_s: Array, around_s: tuple[float, float], rate_hz: int) -> Array:
    """Mean power between two distances from each time, (n,) in dB, out of a running sum of energy."""
    last = len(energy) - 1
    low, high = (np.clip(np.round((time_s + by) * rate_hz).astype(np.int64), 0, last) for by in around_s)
    return np.maximum(
        power_ratio_to_db((energy[high] - energy[low]) / np.maximum(high - low, 1), _SILENT), _LEAST_DB
    )


def _heard_db(
    energy: Array, rate_hz: int, own_s: Array, own_db: Array, others: Mapping[str, Array]
) -> dict[str, float]:
    """How loud each other piece is heard here: where none of the piece's own strokes is near; where there
    is no such place it is taken to be as loud as the piece itself.
    """
    out = {}
    for piece, times in others.items():
        away = times[distance_to_nearest(times, own_s) > _APART_S] if len(times) else times
        found = _level_db(energy, away, (0.0, _STROKE_S), rate_hz)
        out[piece] = float(np.median(found)) if len(found) else float(np.median(own_db))
    return out


def _struck_with(
    own_s: Array, own_db: Array, others: Mapping[str, Array], heard_db: Mapping[str, float]
) -> tuple[Array, list[str | None]]:
    """The loudest that is struck with each stroke, against it, (n,) in dB, and what that is."""
    with_db, which = np.full(len(own_s), _LEAST_DB), [None] * len(own_s)
    said: list[str | None] = list(which)
    for piece, times in others.items():
        if not len(times):
            continue
        near = distance_to_nearest(own_s, np.sort(times)) <= _WITH_S
        louder = near & (heard_db[piece] - own_db > with_db)
        with_db = np.where(louder, heard_db[piece] - own_db, with_db)
        said = [piece if now else before for now, before in zip(louder.tolist(), said, strict=True)]
    return with_db, said


def _alone_s(
    energy: Array,
    rate_hz: int,
    own_s: Array,
    own_db: Array,
    others: Mapping[str, Array],
    heard_db: Mapping[str, float],
) -> Array:
    """How long each stroke rings before it is struck again or anything else is that is heard, (n,): loud
    beside the stroke, or beside what still rings of it by then.
    """
    following = np.append(own_s[1:], (len(energy) - 1) / rate_hz)
    for piece, times in others.items():
        ordered = np.sort(times)
        rings_db = _level_db(energy, ordered, (-_BEFORE_S[0], -_BEFORE_S[1]), rate_hz)
        stands_out = heard_db[piece] > rings_db - _HIDDEN_DB
        for row, at_s in enumerate(own_s.tolist()):
            low, high = np.searchsorted(ordered, (at_s + _WITH_S, following[row]))
            over_db = heard_db[piece] - own_db[row]
            ends = (over_db > _DISTURBS_DB) | (stands_out[low:high] & (over_db > _UNHEARD_DB))
            if ends.any():
                following[row] = ordered[low + int(np.argmax(ends))]
    return np.clip(following - own_s, 0.0, _LONGEST_S)


def _from_usual_tone(mono: NDArray[np.float32], rate_hz: int, own_s: Array) -> Array:
    """How far the spectrum of each stroke is from the piece's usual one, its level aside, (n,) in dB."""
    size = max(round(2 * _STROKE_S * rate_hz), 16)
    padded = np.concatenate([mono, np.zeros(size, np.float32)])
    at = np.clip(np.round(own_s * rate_hz).astype(np.int64), 0, len(mono))
    taper = np.hanning(2 * size)[size:]
    hz = np.fft.rfftfreq(size, 1 / rate_hz)
    band = np.searchsorted(_TONE_BANDS_HZ, hz)
    out = np.empty((len(at), len(_TONE_BANDS_HZ) + 1))
    for row, begin in enumerate(at.tolist()):
        power = np.abs(np.fft.rfft(padded[begin : begin + size] * taper)) ** 2
        in_bands = np.bincount(band, power, len(_TONE_BANDS_HZ) + 1).astype(np.float64)
        out[row] = power_ratio_to_db(in_bands, _SILENT)
    out = np.maximum(out - out.max(axis=1, keepdims=True), -40.0)
    return np.asarray(np.abs(out - np.median(out, axis=0)).mean(axis=1))


def _is_clipped(mono: NDArray[np.float32], rate_hz: int, at_s: float, loudest: float) -> bool:
    begin = round(at_s * rate_hz)
    sound = np.abs(mono[begin : begin + round(_STROKE_S * rate_hz)])
    flat = (sound >= _CLIPPED_OF * loudest) & (loudest > 0.5)
    held = (
        flat[: len(flat) - 2] & flat[1 : len(flat) - 1] & flat[2:] if len(flat) > _CLIPPED_RUN else flat[:0]
    )
    return bool(held.any())


@dataclass(frozen=True)
class Layered:
    """A stroke taken as a sample, for velocities from ``low`` to ``high``."""

    clear: Clear
    velocity: int
    low: int
    high: int


def layered(
    found: Sequence[Clear], velocity: NDArray[np.int64], most_layers: int = 5, most_turns: int = 4
) -> list[Layered]:
    """The clearest strokes as velocity layers that take turns; ``velocity`` (n,) is how hard each stroke
    of the piece was, by its row. Layers are equally wide; one that was never played is left to its
    neighbours.
    """
    if not found:
        return []
    hard = np.array([int(velocity[one.row]) for one in found])
    layers = max(min(most_layers, len(found) // 2, round(float(np.ptp(hard)) / _APART_IN_VELOCITY)), 1)
    edges = np.linspace(hard.min(), hard.max() + 1, layers + 1)
    which = np.searchsorted(edges[1:-1], hard, side="right")
    chosen = [[k for k in range(len(found)) if which[k] == layer][:most_turns] for layer in range(layers)]
    chosen = [rows for rows in chosen if rows]
    middle = [float(np.median(hard[rows])) for rows in chosen]
    bounds = [0, *(round((a + b) / 2) for a, b in pairwise(middle)), 127]
    out = []
    for layer, rows in enumerate(chosen):
        low, high = bounds[layer] + 1, bounds[layer + 1]
        if low <= high:
            out += [Layered(found[k], int(hard[k]), low, high) for k in rows]
    return out
