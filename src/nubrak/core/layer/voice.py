"""Voice: how a layer plays its samples: start, tune, filters, envelope, polarity. A sample is made ready
once; notes only place it.

Filters are Butterworth, run forward once, so that nothing sounds before its attack; what they do to phase is
what the lock measures. Tuning resamples by soxr at very high quality, so the pitch stands still over the
whole sample.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
import soxr
from numpy.typing import NDArray
from pydantic import BaseModel, Field
from scipy.signal import butter, sosfilt

from nubrak.core.controls import control
from nubrak.core.samples import Sample

Slope = Literal[6, 12, 24]
_PRE_S = 0.0005  # what is left before an attack that is cut into, so that it does not click
_DECAYED_DB = 60.0  # what a decay falls by over its length: to silence, as reverberation is measured (RT60)


class Cuts(BaseModel):
    """What is taken away at both ends of the spectrum."""

    low_cut_hz: float | None = Field(default=None, ge=20, le=8000, description="empty: off")
    low_cut_slope: Slope = Field(default=12, description="dB per octave")
    high_cut_hz: float | None = Field(default=None, ge=100, le=20000, description="empty: off")
    high_cut_slope: Slope = Field(default=12, description="dB per octave")


class Voice(Cuts):
    """The sound of a layer's samples."""

    polarity: Literal[1, -1] = Field(default=1, description="-1 turns the signal round")
    offset_samples: int = Field(
        default=0, ge=-4800, le=4800, description="later than its hit, in samples of the session's rate"
    )
    start_ms: float = Field(
        default=0.0,
        ge=0,
        le=2000,
        description="how much of the sample after its attack is left out",
        json_schema_extra=control(step=0.5, high=100),
    )
    tune_semitones: float = Field(default=0.0, ge=-24, le=24)
    attack_ms: float = Field(
        default=0.0,
        ge=0,
        le=500,
        description="fade in from its attack on",
        json_schema_extra=control(step=0.5, high=100),
    )
    hold_ms: float | None = Field(
        default=None,
        ge=0,
        le=10000,
        description="how long it stays as it is; empty: whole",
        json_schema_extra=control(step=5, high=2000),
    )
    decay_ms: float = Field(
        default=200.0,
        ge=1,
        le=10000,
        description="after the hold, until it is 60 dB down",
        json_schema_extra=control(step=5, high=2000),
    )
    length: Literal["whole", "note"] = Field(
        default="whole", description="the whole sample, or as long as its note"
    )
    fade_ms: float = Field(
        default=15.0,
        ge=0,
        le=2000,
        description="how it goes when it is cut short",
        json_schema_extra=control(high=500),
    )


def made_ready(
    audio: NDArray[np.float32], attack_s: float, rate_hz: int, voice: Voice
) -> tuple[NDArray[np.float32], int]:
    """A sample (frames, channels) as the voice plays it, and the frame its attack is at.

    Everything but length, choke and level is in it; those belong to the note.
    """
    out = audio
    ratio = 2.0 ** (voice.tune_semitones / 12.0)
    attack_s = attack_s / ratio
    if voice.tune_semitones:
        out = np.asarray(soxr.resample(out, rate_hz * ratio, rate_hz, quality="VHQ"), np.float32)
    attack = round(attack_s * rate_hz)
    if voice.start_ms > 0:
        cut = attack + round(voice.start_ms * rate_hz / 1000)
        lead = min(round(_PRE_S * rate_hz), cut)
        out = out[cut - lead :].copy()
        out[:lead] *= np.linspace(0, 1, lead, endpoint=False, dtype=np.float32)[: len(out), None]
        attack = lead
    sections = cuts(voice, rate_hz)
    if sections is not None and len(out):
        out = sosfilt(sections, out.astype(np.float64), axis=0).astype(np.float32)
    envelope = _envelope(len(out), attack, rate_hz, voice)
    if envelope is not None:
        out = out * envelope[:, None]
    return (out if voice.polarity == 1 else -out), attack


def with_own(voice: Voice, sample: Sample) -> Voice:
    """The voice as it plays one sample: with the sample's own tuning beside it, and its own envelope where
    the voice has none.
    """
    own: dict[str, float | None] = {}
    if sample.tune_semitones:
        own["tune_semitones"] = voice.tune_semitones + sample.tune_semitones
    if sample.attack_ms and not voice.attack_ms:
        own["attack_ms"] = sample.attack_ms
    if sample.hold_ms is not None and voice.hold_ms is None:
        own |= {"hold_ms": sample.hold_ms, "decay_ms": sample.decay_ms}
    return voice.model_copy(update=own) if own else voice


def ready_key(voice: Voice) -> tuple[object, ...]:
    """What of a voice is in the sample made ready: two that agree here share it."""
    return (
        voice.polarity,
        voice.start_ms,
        voice.tune_semitones,
        voice.low_cut_hz,
        voice.low_cut_slope,
        voice.high_cut_hz,
        voice.high_cut_slope,
        voice.attack_ms,
        voice.hold_ms,
        voice.decay_ms,
    )


def cuts(voice: Cuts, rate_hz: int) -> NDArray[np.float64] | None:
    """The second-order sections of the cuts; None where both are off."""
    found = []
    for hz, slope, kind in (
        (voice.low_cut_hz, voice.low_cut_slope, "highpass"),
        (voice.high_cut_hz, voice.high_cut_slope, "lowpass"),
    ):
        if hz is not None and hz < 0.49 * rate_hz:
            found.append(butter(slope // 6, hz, kind, fs=rate_hz, output="sos"))
    return np.concatenate(found) if found else None


def _envelope(frames: int, attack: int, rate_hz: int, voice: Voice) -> NDArray[np.float32] | None:
    if not voice.attack_ms and voice.hold_ms is None:
        return None
    out = np.ones(frames, np.float32)
    after = np.arange(frames) - attack
    if voice.attack_ms:
        out *= np.clip(after / (voice.attack_ms * rate_hz / 1000), 0, 1).astype(np.float32)
    if voice.hold_ms is not None:
        past = np.maximum(after - voice.hold_ms * rate_hz / 1000, 0) / (voice.decay_ms * rate_hz / 1000)
        out *= np.where(past < 1, 10.0 ** (-_DECAYED_DB / 20.0 * past), 0.0).astype(np.float32)
    return out


def cut_short(frames: int, at: int, rate_hz: int, fade_ms: float) -> NDArray[np.float32] | None:
    """What a sound of so many frames is multiplied by when it is silenced at frame ``at``, (frames,); None
    where it is over by then.
    """
    if at >= frames:
        return None
    fade = max(round(fade_ms * rate_hz / 1000), 1)
    return np.clip(1.0 - (np.arange(frames) - max(at, 0)) / fade, 0.0, 1.0).astype(np.float32)
