"""A stroke out of a recording as a sample: from a moment before its attack until it has died away or
something else is struck, faded at both ends so that nothing of what is around it is heard.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nubrak.core.samples.clearest import Layered, clearest, layered
from nubrak.core.samples.kit import Sample

FEWEST = 2  # strokes that make an instrument

LEAD_S = 0.002  # before the attack: what swells into it, and nothing of what rang before
_FADE_IN_S = 0.001
_FADE_OUT_S = (0.005, 0.06)  # at least, at most
_FADE_OUT_SHARE = 0.3  # of what is rung
_BLOCK_S = 0.01
_DIED_DB = 60.0  # under its peak (RT60)
_OVER_NOISE_DB = 4.0
_SHORTEST_S = 0.02


@dataclass(frozen=True)
class Cutout:
    """Where a sample lies in its recording: samples ``begin`` to ``end``, its attack ``lead`` samples in."""

    begin: int
    end: int
    lead: int
    fade_in: int
    fade_out: int


def cutout(mono: NDArray[np.float32], rate_hz: int, time_s: float, alone_s: float) -> Cutout:
    """Where a stroke at ``time_s`` of a signal (frames,) is cut out that rings alone for ``alone_s``."""
    attack = min(max(round(time_s * rate_hz), 0), max(len(mono) - 1, 0))
    lead = min(round(LEAD_S * rate_hz), attack)
    room_s = max(alone_s - LEAD_S, _SHORTEST_S)
    end = min(attack + round(room_s * rate_hz), len(mono))
    end = attack + _rung(mono[attack:end], mono[max(attack - rate_hz // 20, 0) : attack - lead], rate_hz)
    length = end - attack
    shortest, longest = (round(s * rate_hz) for s in _FADE_OUT_S)
    fade_out = int(np.clip(_FADE_OUT_SHARE * length, min(shortest, length), longest))
    return Cutout(attack - lead, end, lead, min(round(_FADE_IN_S * rate_hz), lead), fade_out)


def _rung(sound: NDArray[np.float32], before: NDArray[np.float32], rate_hz: int) -> int:
    """After how many samples a stroke has died away, or sunk into what was heard before it."""
    size = max(round(_BLOCK_S * rate_hz), 1)
    blocks = sound[: len(sound) // size * size].reshape(-1, size).astype(np.float64)
    if not len(blocks):
        return len(sound)
    power = (blocks**2).mean(axis=1)
    noise = float((before.astype(np.float64) ** 2).mean()) if len(before) else 0.0
    # What rang before is no noise where it is nearly as loud as the stroke.
    noise = noise if noise < 1e-3 * power.max() else 0.0
    least = max(power.max() * 10 ** (-_DIED_DB / 10), noise * 10 ** (_OVER_NOISE_DB / 10))
    loud = np.nonzero(power > least)[0]
    if not len(loud) or int(loud[-1]) == len(blocks) - 1:
        return len(sound)
    return min((int(loud[-1]) + 2) * size, len(sound))


def cut_out(audio: NDArray[np.float32], where: Cutout) -> NDArray[np.float32]:
    """That stretch of audio (frames, channels), faded, (its frames, channels). Microphones cut out at one
    place stay as they were to each other.
    """
    out = audio[where.begin : where.end].astype(np.float64)
    missing = where.end - where.begin - len(out)
    if missing > 0:
        out = np.concatenate([out, np.zeros((missing, audio.shape[1]))])
    rise = 0.5 - 0.5 * np.cos(np.pi * np.arange(where.fade_in) / max(where.fade_in, 1))
    fall = 0.5 + 0.5 * np.cos(np.pi * (np.arange(where.fade_out) + 1) / max(where.fade_out, 1))
    out[: len(rise)] *= rise[:, None]
    if len(fall):
        out[-len(fall) :] *= fall[:, None]
    return out.astype(np.float32)


def take_strokes(
    mono: NDArray[np.float32],
    rate_hz: int,
    time_s: NDArray[np.float64],
    velocity: NDArray[np.int64],
    others: Mapping[str, NDArray[np.float64]],
) -> list[tuple[Layered, Cutout]]:
    """The clearest strokes of a piece as velocity layers that take turns, and where each is cut out of a
    signal (frames,): struck at ``time_s`` (n,), in order and in s from its beginning, as hard as
    ``velocity`` (n,), between the strokes of ``others``.
    """
    strokes = layered(clearest(mono, rate_hz, time_s, others), velocity)
    return [(one, cutout(mono, rate_hz, one.clear.time_s, one.clear.alone_s)) for one in strokes]


def said_of(strokes: Sequence[Layered], of_all: int) -> str:
    """What was taken, in words."""
    layers = len({(one.low, one.high) for one in strokes})
    return f"{len(strokes)} of {of_all} strokes in {layers} layer{'' if layers == 1 else 's'}"


def as_sample(stroke: Layered, where: Cutout, rate_hz: int, audio: str, name: str) -> Sample:
    """A stroke that was cut out, as a sample whose audio is kept under ``audio``."""
    return Sample(
        audio=audio,
        name=name,
        low_velocity=stroke.low,
        high_velocity=stroke.high,
        velocity=stroke.velocity,
        attack_s=where.lead / rate_hz,
    )
