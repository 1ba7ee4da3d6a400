"""Mending: a stroke that takes the sound of another stroke of the same recording, in all microphones at
once, cross-faded at both ends.

What is put in is always what was recorded, never what was mended itself; and every window of it equals
that stretch of the whole.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from nubrak.core.signal import Stretch
from nubrak.core.time_line import LengthS, TimeLineS

LONGEST_MEND_S = 4.0
_LEAD_S, _RISE_S = 0.004, 0.003  # before the attack: where the fade begins, and how long it is
_FALL_S, _FALL_SHARE = 0.03, 0.3  # of what is taken: at most, and of a short one so much


class Mend(BaseModel):
    """One stroke that sounds as another did."""

    time_s: TimeLineS = Field(description="the attack of the stroke that is mended")
    from_s: TimeLineS = Field(description="the attack of the stroke that is taken in its place")
    length_s: LengthS = Field(gt=0, le=LONGEST_MEND_S, description="so much is taken from its attack on")
    found_s: TimeLineS = Field(description="where the mended stroke was found: what a mark speaks of")
    velocity: int | None = Field(
        default=None,
        ge=1,
        le=127,
        description="how hard the taken stroke was; empty: the note stays as it was",
    )
    played: int | None = Field(
        default=None, ge=1, le=127, description="how hard the mended stroke was by itself"
    )


def _gains(length_s: float, rate_hz: int) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """What is put in and what it takes the place of are multiplied by, (frames, 1) each, from the lead on.
    Before an attack both are one room, and sum as they are; where it ends they are two strokes' rings,
    and keep one power.
    """
    lead, rise = round(_LEAD_S * rate_hz), round(_RISE_S * rate_hz)
    body = max(round(length_s * rate_hz), 1)
    fall = min(round(_FALL_S * rate_hz), max(round(_FALL_SHARE * body), 1))
    wet = np.zeros(lead + body)
    up = 0.5 - 0.5 * np.cos(np.pi * (np.arange(rise) + 1) / (rise + 1))
    wet[:rise] = up
    wet[rise:] = 1.0
    dry = 1.0 - wet
    down = 0.5 * np.pi * (np.arange(fall) + 1) / (fall + 1)
    wet[-fall:] *= np.cos(down)
    dry[-fall:] = np.sin(down)
    return wet.astype(np.float32)[:, None], dry.astype(np.float32)[:, None]


def touching(mends: Iterable[Mend], rate_hz: int, start: int, frames: int) -> list[Mend]:
    """The mends that change any of the samples ``start`` to ``start + frames``, in order of time."""
    out = []
    for one in mends:
        begin = round(one.time_s * rate_hz) - round(_LEAD_S * rate_hz)
        end = round(one.time_s * rate_hz) + max(round(one.length_s * rate_hz), 1)
        if begin < start + frames and end > start:
            out.append(one)
    return sorted(out, key=lambda one: (one.time_s, one.from_s))


def mended(
    sound: NDArray[np.float32], mends: Sequence[Mend], recorded: Stretch, rate_hz: int, start: int
) -> NDArray[np.float32]:
    """Sound (frames, channels) of a source from sample ``start`` of the time line on, with its mends, of
    which ``touching`` says which matter; ``recorded`` gives the source as it was recorded. Where the taken
    stroke is not in the source, it is left as it is.
    """
    out = sound
    for one in mends:
        wet, dry = _gains(one.length_s, rate_hz)
        lead = round(_LEAD_S * rate_hz)
        begin, taken = round(one.time_s * rate_hz) - lead, round(one.from_s * rate_hz) - lead
        low, high = max(begin, start), min(begin + len(wet), start + len(sound))
        if low >= high:
            continue
        put_in = recorded(taken, len(wet))
        if not put_in.any():
            continue
        if out is sound:
            out = sound.copy()
        here = slice(low - start, high - start)
        of = slice(low - begin, high - begin)
        out[here] = out[here] * dry[of] + put_in[of] * wet[of]
    return out
