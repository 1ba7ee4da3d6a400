"""The microphones of one drum against each other: how each stands, and how it would stand best."""

from __future__ import annotations

import numpy as np
from pydantic import BaseModel, Field

from nubrak.core.layer import between_microphones
from nubrak.core.mix import Microphone, moved
from nubrak.desk.desk import Desk
from nubrak.desk.standing import Standing

_WORTH_DB = 0.3  # of low end, under which nothing is offered
_LIKE = 0.05  # likeness of the attacks under which it is doubtful whether two hear one drum


class Beside(BaseModel):
    """One microphone of a part beside its first one."""

    source_id: str
    name: str
    now: Microphone
    best: Microphone | None = Field(
        default=None, description="how it would stand; empty: it is the first, or stands so"
    )
    gain_db: float = Field(default=0.0, description="low end of both together, over how they stand now")
    said: str = ""


class Besides(BaseModel):
    """All microphones of a part."""

    heard_on: str | None = Field(description="the one its strokes are found on; empty: all of them together")
    microphones: list[Beside]


def microphones_of(desk: Desk, standing: Standing, part_id: str) -> Besides:
    """The microphones of a part, the first as it is and the others against it, measured on the part's
    strokes.
    """
    document = standing.document
    part, rate = document.part(part_id), document.rate_hz
    rows = [
        Beside(source_id=one, name=document.source(one).name, now=document.source(one).microphone)
        for one in part.sources
    ]
    if len(rows) < 2 or standing.waiting.get(part_id):
        return Besides(heard_on=part.heard_on, microphones=rows)
    decisions = standing.decisions(part_id)
    struck = np.flatnonzero(decisions.counts)
    hits = np.round(decisions.time_s[struck] * rate).astype(np.int64)
    first = document.source(part.sources[0])
    reference = moved(desk.audio.source_mono(first, rate), first.microphone, rate)
    for row in rows[1:]:
        source = document.source(row.source_id)
        now = moved(desk.audio.source_mono(source, rate), source.microphone, rate)
        found = between_microphones(reference, now, hits, rate)
        if found.similarity < _LIKE or not len(hits):
            row.said = (
                "No strokes of both to compare." if not len(hits) else "They hear too little of one drum."
            )
            continue
        polarity = source.microphone.polarity * found.polarity
        delay_ms = source.microphone.delay_ms + 1000.0 * found.offset_samples / rate
        best = source.microphone.model_copy(
            update={"polarity": polarity, "delay_ms": round(float(np.clip(delay_ms, -20.0, 20.0)), 3)}
        )
        if found.gain_db < _WORTH_DB or best == source.microphone:
            row.said = f"Fits {first.name} as it stands."
            continue
        row.best, row.gain_db = best, round(found.gain_db, 1)
        row.said = _said(found.polarity, 1000.0 * found.offset_samples / rate, found.gain_db)
    return Besides(heard_on=part.heard_on, microphones=rows)


def _said(polarity: int, later_ms: float, gain_db: float) -> str:
    turned = "Turned round" if polarity == -1 else "As it is"
    place = (
        "" if abs(later_ms) < 0.005 else f", {abs(later_ms):.2f} ms {'later' if later_ms > 0 else 'earlier'}"
    )
    return f"{turned}{place}: {gain_db:.1f} dB more low end together."
