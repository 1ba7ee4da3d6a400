"""A microphone beside others on one drum: how loud it is, which way round, how much later or earlier, and
whether it is heard at all.

What it recorded stays as it is: strokes are found in it as before, and prints of sources are of what was
recorded.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from nubrak.core.controls import control
from nubrak.core.signal import Stretch, db_to_gain


class Microphone(BaseModel):
    """How one microphone of a drum is heard."""

    on: bool = Field(default=True, description="whether it is heard")
    level_db: float = Field(
        default=0.0,
        ge=-60,
        le=12,
        description="beside the others; -60 is silence",
        json_schema_extra=control(step=0.5),
    )
    polarity: Literal[1, -1] = Field(default=1, description="-1 turns the signal round")
    delay_ms: float = Field(
        default=0.0,
        ge=-20,
        le=20,
        description="later than it was recorded; below 0 earlier",
        json_schema_extra=control(step=0.02),
    )

    def gain(self) -> float:
        """What it is multiplied by."""
        return 0.0 if not self.on or self.level_db <= -60 else self.polarity * db_to_gain(self.level_db)

    def delay_samples(self, rate_hz: int) -> int:
        """How much later it is, in samples."""
        return round(self.delay_ms * rate_hz / 1000)


def through_microphone(plain: Stretch, microphone: Microphone, rate_hz: int) -> Stretch:
    """What ``plain`` gives, as its microphone is heard."""
    gain, delay = np.float32(microphone.gain()), microphone.delay_samples(rate_hz)
    if gain == 1 and delay == 0:
        return plain

    def heard(start: int, frames: int) -> NDArray[np.float32]:
        return np.asarray(plain(start - delay, frames) * gain)

    return heard


def moved(audio: NDArray[np.float32], microphone: Microphone, rate_hz: int) -> NDArray[np.float32]:
    """A whole recording (frames, …) as its microphone is heard, as long as it was; one that is not heard
    is taken at its level, so that there is something to compare with.
    """
    delay = microphone.delay_samples(rate_hz)
    out = np.zeros_like(audio)
    if delay >= 0:
        out[delay:] = audio[: len(audio) - delay]
    else:
        out[:delay] = audio[-delay:]
    return np.asarray(out * np.float32(microphone.polarity * db_to_gain(microphone.level_db)))
