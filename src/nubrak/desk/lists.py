"""What is handed on as MIDI or as an open list."""

from __future__ import annotations

import zipfile
from dataclasses import replace
from io import BytesIO
from typing import Literal

import numpy as np

from nubrak.core.midi import Track, from_bar_one_s, midi_file
from nubrak.core.pieces import file_name
from nubrak.core.prints import HitLine, to_csv, to_jams, to_json
from nubrak.desk.cleaning import keying_notes
from nubrak.desk.standing import Standing


def hit_lines(standing: Standing, part_id: str) -> list[HitLine]:
    """A part's notes as they are handed on, each with the stroke it comes from."""
    notes, decisions, part = (
        standing.notes(part_id),
        standing.decisions(part_id),
        standing.document.part(part_id),
    )
    lines = []
    for time_s, velocity, number, row in zip(
        notes.time_s.tolist(),
        notes.velocity.tolist(),
        notes.each_number.tolist(),
        notes.row.tolist(),
        strict=True,
    ):
        struck = row >= 0
        lines.append(
            HitLine(
                part=standing.document.part_name(part_id),
                piece=part.piece,
                time_s=round(float(decisions.time_s[row]) if struck else time_s, 6),
                note_time_s=round(time_s, 6),
                velocity=velocity,
                note=number,
                strength_db=round(float(decisions.strength_db[row]), 2) if struck else None,
                doubt=round(min(float(decisions.doubt[row]), 1.0), 4) if struck else None,
            )
        )
    return lines


Layout = Literal["tracks", "one", "each"]
Channels = Literal["set", "each"]
_CHANNELS = 16  # of a MIDI port
ListForm = Literal["csv", "json", "jams"]


def midi_of(
    standing: Standing,
    part_ids: list[str],
    layout: Layout,
    per_quarter: int,
    span_s: tuple[float, float] | None,
    channels: Channels = "set",
    keys_lead_s: float | None = None,
    from_bar_one: bool = False,
) -> bytes:
    """These parts as a Standard MIDI File with a track for each or all on one, or as a zip with a file for
    each; of the stretch ``span_s`` only, where there is one; on the channels that are set, or a channel for
    each. With ``keys_lead_s`` they are notes that key a gate on the recording, each so long before its
    attack. Files begin with the recording, or, ``from_bar_one``, at bar one.
    """
    document = standing.document
    written = part_ids if len(part_ids) == 1 else written_parts(standing, part_ids)
    if from_bar_one and span_s is None:
        span_s = (bar_one_offset_s(standing), np.inf)
    if keys_lead_s is not None:
        written = [one for one in written if document.part(one).sources and document.is_noted(one)]
    tracks = [
        Track(
            standing.names[part_id],
            standing.notes(part_id) if keys_lead_s is None else keying_notes(standing, part_id, keys_lead_s),
        )
        for part_id in written
    ]
    tracks = [track for track in tracks if len(track.notes)]
    if channels == "each":
        tracks = [
            replace(track, notes=replace(track.notes, channel=number % _CHANNELS + 1))
            for number, track in enumerate(tracks)
        ]
    if layout != "each":
        return midi_file(tracks, document.tempo, layout == "one", per_quarter, span_s)
    files = BytesIO()
    with zipfile.ZipFile(files, "w", zipfile.ZIP_DEFLATED) as bundle:
        for track in tracks:
            data = midi_file([track], document.tempo, False, per_quarter, span_s)
            bundle.writestr(file_name(f"{track.name}.mid"), data)
    return files.getvalue()


def written_parts(standing: Standing, part_ids: list[str]) -> list[str]:
    """Those of some parts that a MIDI file has a track for: with notes, and not set aside."""
    document = standing.document
    return [
        one
        for one in part_ids
        if document.is_noted(one) and not document.is_aside(one) and len(standing.notes(one))
    ]


def bar_one_offset_s(standing: Standing) -> float:
    """Where in the session a MIDI file begins that is written from bar one, in s."""
    document = standing.document
    notes = [standing.notes(one).time_s for one in written_parts(standing, list(document.parts))]
    first_s = min((float(time_s.min()) for time_s in notes), default=document.tempo.bar_one_s)
    return from_bar_one_s(document.tempo, first_s)


def hits_as(standing: Standing, part_ids: list[str], form: ListForm) -> str:
    """The hits of these parts as an open list."""
    lines = [line for part_id in part_ids for line in hit_lines(standing, part_id)]
    if form == "csv":
        return to_csv(lines)
    write = to_json if form == "json" else to_jams
    return write(lines, standing.document.name, standing.document.length_s)
