"""Equaliser and cuts: stages that make some of the spectrum louder or softer, by second-order sections.

Bells and shelves are those of Bristow-Johnson, "Cookbook formulae for audio EQ biquad filter coefficients"
(the Audio EQ Cookbook); cuts are Butterworth.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field, TypeAdapter
from scipy.signal import butter

from nubrak.core.controls import control

CutSlope = Literal[6, 12, 18, 24, 30, 36, 42, 48]
_HIGHEST = 0.49  # of the rate: no filter can stand at half of it


class CutsStage(BaseModel):
    """What is taken away at both ends of the spectrum."""

    kind: Literal["cuts"] = "cuts"
    on: bool = True
    low_cut_hz: float | None = Field(default=None, ge=20, le=8000, description="empty: off")
    low_cut_slope: CutSlope = Field(default=24, description="dB per octave")
    high_cut_hz: float | None = Field(default=None, ge=100, le=20000, description="empty: off")
    high_cut_slope: CutSlope = Field(default=12, description="dB per octave")


class EqBand(BaseModel):
    """One bell or shelf."""

    shape: Literal["bell", "low shelf", "high shelf"] = "bell"
    at_hz: float = Field(default=500.0, ge=20, le=20000, description="its middle, or where the shelf is half")
    by_db: float = Field(default=0.0, ge=-24, le=24, description="0 leaves it as it is")
    octaves: float = Field(
        default=1.0,
        ge=0.1,
        le=4,
        description="how wide a bell is: narrow takes a ring out, wide changes the tone",
        json_schema_extra=control(step=0.1, unit="octaves"),
    )


class EqualiserStage(BaseModel):
    """Bells and shelves."""

    kind: Literal["equaliser"] = "equaliser"
    on: bool = True
    bands: list[EqBand] = Field(default=[], max_length=8)


_FILTERS: TypeAdapter[CutsStage | EqualiserStage] = TypeAdapter(
    Annotated[CutsStage | EqualiserStage, Field(discriminator="kind")]
)


def sections_of(stage: CutsStage | EqualiserStage, rate_hz: int) -> NDArray[np.float64]:
    """The second-order sections of a stage, (n, 6); none where it leaves everything as it is."""
    return _sections(stage.model_dump_json(), rate_hz)


@lru_cache(maxsize=512)
def _sections(said: str, rate_hz: int) -> NDArray[np.float64]:
    """The same by what the stage says of itself: every block asks for them."""
    stage = _FILTERS.validate_json(said)
    if isinstance(stage, CutsStage):
        return _cuts(stage, rate_hz)
    rows = [_band(one, rate_hz) for one in stage.bands if one.by_db and one.at_hz < _HIGHEST * rate_hz]
    return np.array(rows).reshape(-1, 6)


def _cuts(stage: CutsStage, rate_hz: int) -> NDArray[np.float64]:
    rows = [np.zeros((0, 6))]
    for at_hz, slope, way in (
        (stage.low_cut_hz, stage.low_cut_slope, "highpass"),
        (stage.high_cut_hz, stage.high_cut_slope, "lowpass"),
    ):
        if at_hz is not None and at_hz < _HIGHEST * rate_hz:
            rows.append(butter(slope // 6, at_hz, way, fs=rate_hz, output="sos"))
    return np.concatenate(rows)


def _band(band: EqBand, rate_hz: int) -> NDArray[np.float64]:
    """Coefficients by the cookbook: b0, b1, b2, 1, a1, a2."""
    gain = 10 ** (band.by_db / 40)
    w = 2 * np.pi * band.at_hz / rate_hz
    cos, sin = np.cos(w), np.sin(w)
    if band.shape == "bell":
        alpha = sin * np.sinh(np.log(2) / 2 * band.octaves * w / sin)
        b = [1 + alpha * gain, -2 * cos, 1 - alpha * gain]
        a = [1 + alpha / gain, -2 * cos, 1 - alpha / gain]
    else:
        # A shelf of slope 1, the steepest that does not bulge.
        alpha, side = sin / np.sqrt(2), 1 if band.shape == "low shelf" else -1
        root = 2 * np.sqrt(gain) * alpha
        up, down = gain + 1, gain - 1
        b = [
            gain * (up - side * down * cos + root),
            side * 2 * gain * (down - side * up * cos),
            gain * (up - side * down * cos - root),
        ]
        a = [
            up + side * down * cos + root,
            -side * 2 * (down + side * up * cos),
            up + side * down * cos - root,
        ]
    return np.array([*b, *a]) / a[0]


def response_db(
    sections: NDArray[np.float64], at_hz: NDArray[np.float64], rate_hz: int
) -> NDArray[np.float64]:
    """What sections (n, 6) do to each frequency (m,), (m,) in dB."""
    z = np.exp(-2j * np.pi * at_hz / rate_hz)[:, None] ** np.arange(3)
    out = np.ones(len(at_hz), np.complex128)
    for row in sections:
        out *= (z @ row[:3]) / (z @ row[3:])
    return np.asarray(20 * np.log10(np.maximum(np.abs(out), 1e-12)))


def rings_samples(stage: CutsStage | EqualiserStage, rate_hz: int, under_db: float) -> int:
    """How many samples after an impulse a stage has fallen by ``under_db`` for good, as its poles say."""
    return _rings(stage.model_dump_json(), rate_hz, under_db)


@lru_cache(maxsize=512)
def _rings(said: str, rate_hz: int, under_db: float) -> int:
    radius = [float(np.abs(np.roots(row[3:])).max()) for row in _sections(said, rate_hz)]
    slowest = max((one for one in radius if one < 1), default=0.0)
    return 0 if slowest <= 0 else min(int(np.ceil(under_db / (-20 * np.log10(slowest)))), 4 * rate_hz)
