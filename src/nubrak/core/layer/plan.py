"""Layer: what sounds. One function renders any window of time; a print is that function over the whole
session.

A window rendered alone equals that stretch of the whole bit for bit: every note starts at its own rounded
sample, is scaled in float32, and notes are added in the order of time whatever the window is.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nubrak.core.layer.settings import Layer
from nubrak.core.layer.voice import Voice, cut_short
from nubrak.core.samples import LONGEST_SAMPLE_S, Sample
from nubrak.core.shape import Notes
from nubrak.core.signal import db_to_gain, nearest_of
from nubrak.core.sort import ghosts
from nubrak.core.tempo import Tempo

SampleAudio = Callable[
    [Sample, Voice], tuple[NDArray[np.float32], int]
]  # (frames, channels) at the session's rate as the voice plays it, and its attack
_NEAR_S = 0.03  # an offset set for a hit finds it again within this


def level_of_velocity_db(
    velocity: NDArray[np.int64], reference: int | NDArray[np.int64], amount: float
) -> NDArray[np.float64]:
    """Level in dB relative to ``reference``: amount times the law of DLS Level 1, 40 log10(v / reference)
    (from memory).
    """
    return amount * 40.0 * np.log10(np.maximum(velocity, 1) / reference)


@dataclass(frozen=True)
class LayerPlan:
    """What a layer plays: for each of its notes the row among the part's notes, the sample, its gain, and
    when it is silenced.

    ``row`` (n,), ``sample`` (n,) an index into ``samples``, ``gain`` (n,), ``begin`` (n,) the frame of its
    attack, ``until`` (n,) the frame at which it is silenced, or the largest number.
    """

    row: NDArray[np.int64]
    samples: list[Sample]
    sample: NDArray[np.int64]
    gain: NDArray[np.float32]
    begin: NDArray[np.int64]
    until: NDArray[np.int64]


def plan_layer(layer: Layer, notes: Notes, rate_hz: int, tempo: Tempo | None = None) -> LayerPlan:
    """Which sample each note gets, and how. It looks at all notes, so every window of them gets the same."""
    rows = np.nonzero(_sounding(layer, notes))[0]
    velocity = notes.velocity[rows]
    samples = layer.instrument.samples
    index = {id(sample): place for place, sample in enumerate(samples)}
    # Samples that share a velocity range take turns by themselves, so that no two notes after each other get
    # the same one.
    sets: dict[tuple[int, ...], int] = {}
    set_of = np.zeros(128, np.int64)
    for value in np.unique(velocity).tolist():
        chosen = tuple(index[id(sample)] for sample in layer.instrument.round_robin(value))
        set_of[value] = sets.setdefault(chosen, len(sets))
    which = np.zeros(len(rows), np.int64)
    for chosen, number in sets.items():
        mine = np.nonzero(set_of[velocity] == number)[0]
        which[mine] = np.array(chosen)[np.arange(len(mine)) % len(chosen)]
    reference = np.array([sample.velocity for sample in samples])
    under = level_of_velocity_db(velocity, reference[which], layer.velocity_amount)
    own_db = np.array([sample.level_db for sample in samples])
    gain = (db_to_gain(layer.level_db) * 10.0 ** ((under + own_db[which]) / 20.0)).astype(np.float32)
    hit = np.round(notes.time_s[rows] * rate_hz).astype(np.int64)
    return LayerPlan(
        rows,
        samples,
        which,
        gain,
        hit + _offsets(layer, notes.time_s[rows]),
        _silenced(layer, notes, rows, hit, rate_hz, tempo),
    )


def _sounding(layer: Layer, notes: Notes) -> NDArray[np.bool_]:
    out = (notes.velocity >= layer.low_velocity) & (notes.velocity <= layer.high_velocity)
    if layer.notes:
        out &= np.isin(notes.each_number, layer.notes)
    if layer.sounds_on != "all" and len(notes.row):
        out &= (notes.row < 0) == (layer.sounds_on == "written")
    if layer.strokes != "all":
        out &= ghosts(level_of_velocity_db(notes.velocity, 127, 1.0)) == (layer.strokes == "ghosts")
    return out


def _offsets(layer: Layer, time_s: NDArray[np.float64]) -> NDArray[np.int64]:
    out = np.full(len(time_s), layer.offset_samples, np.int64)
    if layer.each and len(time_s):
        at = np.array([one.time_s for one in layer.each])
        order = np.argsort(at)
        at, own = at[order], np.array([one.offset_samples for one in layer.each])[order]
        near = nearest_of(time_s, at)
        out = np.where(np.abs(at[near] - time_s) <= _NEAR_S, own[near], out)
    return out


def _silenced(
    layer: Layer,
    notes: Notes,
    rows: NDArray[np.int64],
    hit: NDArray[np.int64],
    rate_hz: int,
    tempo: Tempo | None,
) -> NDArray[np.int64]:
    until = np.full(len(rows), np.iinfo(np.int64).max)
    if layer.length == "note" and len(rows):
        until = hit + np.round(notes.each_length_s(tempo or Tempo())[rows] * rate_hz).astype(np.int64)
    if layer.silenced_by and len(rows):
        chokes = np.round(
            np.sort(notes.time_s[np.isin(notes.each_number, layer.silenced_by)]) * rate_hz
        ).astype(np.int64)
        after = np.searchsorted(chokes, hit, side="right")
        found = after < len(chokes)
        until[found] = np.minimum(until[found], chokes[after[found]])
    return until


def render_layer(
    layer: Layer,
    notes: Notes,
    audio_of: SampleAudio,
    rate_hz: int,
    start: int,
    frames: int,
    tempo: Tempo | None = None,
    plan: LayerPlan | None = None,
) -> NDArray[np.float32]:
    """The samples ``start`` to ``start + frames`` of a layer, (frames, 2) float32, full scale 1.

    ``audio_of`` gives a sample as the voice plays it, at ``rate_hz``. Its attack lands on the hit; what would
    sound before time zero is cut. ``plan`` is what ``plan_layer`` gave for the same layer and notes, where it
    is known.
    """
    out = np.zeros((frames, 2), np.float32)
    if not layer.on or not len(notes.time_s):
        return out
    plan = plan or plan_layer(layer, notes, rate_hz, tempo)
    reach = round(_longest_s(layer) * rate_hz)
    for turn in np.nonzero((plan.begin >= start - reach) & (plan.begin < start + frames + rate_hz))[
        0
    ].tolist():
        audio, attack = audio_of(plan.samples[plan.sample[turn]], layer)
        begin = int(plan.begin[turn]) - attack
        low, high = max(begin, start), min(begin + len(audio), start + frames)
        if low >= high:
            continue
        fade = cut_short(len(audio), min(int(plan.until[turn]) - begin, len(audio)), rate_hz, layer.fade_ms)
        sound = audio[low - begin : high - begin] * plan.gain[turn]
        out[low - start : high - start] += (
            sound if fade is None else sound * fade[low - begin : high - begin, None]
        )
    return out


def _longest_s(layer: Layer) -> float:
    """No sample of a layer sounds longer than this: tuned down it lasts longer than its file."""
    lowest = layer.tune_semitones + min(sample.tune_semitones for sample in layer.instrument.samples)
    return LONGEST_SAMPLE_S * 2.0 ** (max(-lowest, 0.0) / 12.0) + 1.0


def as_stereo(audio: NDArray[np.float32]) -> NDArray[np.float32]:
    """(frames, channels) to (frames, 2): mono to both sides, more than two channels averaged."""
    if audio.shape[1] == 2:
        return audio
    mono = audio if audio.shape[1] == 1 else audio.mean(axis=1, keepdims=True, dtype=np.float32)
    return np.repeat(mono, 2, axis=1)
