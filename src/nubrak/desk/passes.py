"""Bars out of several passes, and the round trip from page to microphone."""

from __future__ import annotations

import secrets

import numpy as np
import soundfile
from pydantic import BaseModel, Field

from nubrak.core.gather import inspect, joined_passes, round_trip_s
from nubrak.core.mix import tick
from nubrak.core.problem import Problem
from nubrak.core.session import ChooseBars, Clip, Document, Source
from nubrak.core.tempo import beats_at, seconds_at
from nubrak.desk.desk import Desk
from nubrak.store.audio import put_audio
from nubrak.store.sessions import SessionState


def choose_bars(
    desk: Desk, session_id: str, revision: int, source_id: str, chosen: list[int]
) -> SessionState:
    """The session with each bar of a source out of the pass that was chosen for it."""
    document = desk.sessions.get(session_id).document
    source = document.source(source_id)
    if len(source.passes) < 2:
        raise Problem("This source has one pass only.", todo="Record another pass beside it.")
    if any(not 0 <= one < len(source.passes) for one in chosen):
        raise Problem("This pass is not there.", todo="Choose one that is there.")
    rate = source.passes[0].rate_hz
    lines = [one.start_s for one in bars_over(document, source)]
    wanted = (chosen + [chosen[-1] if chosen else len(source.passes) - 1] * len(lines))[: len(lines)]
    begin, audio = joined_passes(
        [np.asarray(desk.cache.decoded(clip.audio, rate)) for clip in source.passes],
        [round(clip.start_s * rate) for clip in source.passes],
        [round(line * rate) for line in lines],
        wanted,
        rate,
    )
    path = desk.uploads / f"{secrets.token_hex(8)}.wav"
    try:
        soundfile.write(str(path), audio, rate, "FLOAT", format="WAV")
        facts = inspect(path, source.name)
        key = put_audio(desk.engine, path, f"{source.name}.wav", facts)
    finally:
        path.unlink(missing_ok=True)
    clip = Clip(
        audio=key, start_s=begin / rate, length_s=facts.length_s, channels=facts.channels, rate_hz=rate
    )
    state = desk.sessions.edit(
        session_id, revision, ChooseBars(kind="choose_bars", source_id=source_id, chosen=wanted, clip=clip)
    )
    desk.ask_for(desk.standing(session_id))
    return state


class PassBar(BaseModel):
    """A bar that passes were recorded over."""

    number: int = Field(description="as it is counted on the staff; 0 and less lie before bar 1")
    start_s: float


def bars_of_passes(desk: Desk, session_id: str, source_id: str) -> list[PassBar]:
    """The bars that the passes of a source reach over, from the time line's start on."""
    document = desk.sessions.get(session_id).document
    return bars_over(document, document.source(source_id))


def bars_over(document: Document, source: Source) -> list[PassBar]:
    """The bars that the passes of a source reach over; the first begins with the time line."""
    tempo = document.tempo
    end_s = max(clip.start_s + clip.length_s for clip in source.passes or source.clips)
    beats_per_bar = tempo.beats_per_bar * 4.0 / tempo.beat_unit
    first, last = (beats_at(tempo, np.array([0.0, end_s])) / beats_per_bar).tolist()
    numbers = np.arange(np.floor(first + 1e-9), np.ceil(last - 1e-9) + 1)
    at_s = seconds_at(tempo, numbers * beats_per_bar)
    return [
        PassBar(number=int(number) + 1, start_s=max(float(one), 0.0))
        for number, one in zip(numbers, at_s, strict=True)
        if one < end_s
    ]


def measured_round_trip(heard: bytes, rate_hz: int, clicks_s: list[float]) -> float:
    """How much later than they sounded at ``clicks_s`` clicks are heard, in s; ``heard`` is little-endian
    float32.
    """
    samples = np.nan_to_num(np.frombuffer(heard[: len(heard) // 4 * 4], "<f4"))
    return round_trip_s(samples, rate_hz, tick(rate_hz, True), np.array(sorted(clicks_s)))


def click_sound(rate_hz: int) -> list[float]:
    """The click that the round trip is measured with, as it sounds at a rate."""
    return [float(one) for one in tick(rate_hz, True)]
