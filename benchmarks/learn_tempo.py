"""Teaching what is usually struck where in a bar: `python -m benchmarks.learn_tempo`."""

from __future__ import annotations

import warnings
from collections.abc import Sequence
from functools import cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from benchmarks.grooves import CELLS, CELLS_OF_BEAT, GROOVES, Groove, Played, play
from nubrak.core.tempo import meter
from nubrak.core.tempo.meter import ACCENTS, CHANNELS, FAMILIES, Hits, Taught, channels_of, occupied

_SEEDS = 4
_BACKGROUND, _ACCENTED, _AS_GROOVES = (
    0.03,
    0.5,
    0.7,
)  # a rate where nothing is known, and how many grooves it counts as
_HELD, _DRAWN = 10.0, 0.2


def hits_of(strokes: Sequence[object]) -> Hits:
    """Strokes as times in s and weights, by piece."""
    out: dict[str, list[tuple[float, float]]] = {}
    for one in strokes:
        out.setdefault(one.piece, []).append((one.time_s, one.velocity / 127.0))  # type: ignore[attr-defined]
    return {
        piece: (np.array([at for at, _ in all_of]), np.array([w for _, w in all_of]))
        for piece, all_of in out.items()
    }


def _rates(played: Played) -> NDArray[np.float64]:
    """How often each channel strikes each cell, (channels, most cells); nan where it never plays."""
    groove = played.groove
    bar, of_beat = CELLS[groove.meter], CELLS_OF_BEAT[groove.meter]
    bars = (len(played.beats_s) - 1) // groove.beats_per_bar
    out = np.full((len(CHANNELS), 16), np.nan)
    counts = {
        name: occupied(np.interp(at, played.beats_s, np.arange(len(played.beats_s)) * of_beat), bar, bars)
        for name, at in channels_of(hits_of(played.strokes)).items()
        if len(at) >= bars / 8
    }
    for name, count in counts.items():
        tries = counts[ACCENTS[name]] if name in ACCENTS else np.full(bar, bars)
        out[CHANNELS.index(name), :bar] = np.where(
            tries > bars / 8,
            np.minimum(count / np.maximum(tries, 1), 1.0),
            np.nan if name in ACCENTS else 0.0,
        )
    return out


@cache
def _usual_rates(name: str) -> NDArray[np.float64]:
    groove = next(one for one in GROOVES if one.name == name)
    bpm = float(np.sqrt(groove.slow_bpm * groove.fast_bpm))
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", RuntimeWarning)  # what is never struck has no mean
        return np.asarray(np.nanmean([_rates(play(groove, bpm, seed)) for seed in range(_SEEDS)], axis=0))


def teach(grooves: Sequence[Groove]) -> Taught:
    """What these grooves teach."""
    tempo, rates = [], []
    for family in FAMILIES:
        alike = [
            one for one in grooves if CELLS[one.meter] == family.bar and one.beats_per_bar == family.beats
        ]
        own = [one for one in grooves if one.family == family.name] or alike
        tempo.append(np.log([(one.slow_bpm, one.fast_bpm) for one in own]))
        rates.append({name: _rates_of(own, channel, family.bar) for channel, name in enumerate(CHANNELS)})
    for of_family in rates:
        of_family["other"], of_family["other accent"] = of_family["hat"], of_family["hat accent"]
    return Taught(rates, _HELD, tempo)


def _rates_of(grooves: Sequence[Groove], channel: int, bar: int) -> NDArray[np.float64]:
    """What each of the grooves strikes, drawn towards the mean of all, and that mean, (grooves + 1, bar)."""
    accent = CHANNELS[channel] in ACCENTS
    table = np.array([_usual_rates(one.name)[channel, :bar] for one in grooves])
    known = np.isfinite(table)
    total = np.where(known, table, 0.0).sum(axis=0) + _AS_GROOVES * (_ACCENTED if accent else _BACKGROUND)
    mean = total / (known.sum(axis=0) + _AS_GROOVES)
    drawn = np.where(known, (1.0 - _DRAWN) * table + _DRAWN * mean, mean)
    return np.clip(np.concatenate([drawn, mean[None]]), 0.01, 0.98)


if __name__ == "__main__":
    made = teach(GROOVES)
    tables: dict[str, NDArray[np.float64]] = {"held": np.array(made.held)}
    for family, of_channel, tempo in zip(FAMILIES, made.rates, made.tempo, strict=True):
        tables[f"{family.name}/tempo"] = tempo.astype(np.float32)
        tables |= {f"{family.name}/{name}": one.astype(np.float32) for name, one in of_channel.items()}
    np.savez_compressed(Path(meter.__file__).parent / "meters.npz", **tables)
    print(f"{len(GROOVES)} grooves in {len(FAMILIES)} families")
