"""Writing Standard MIDI Files (RP-001)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from io import BytesIO

import mido
import numpy as np
from pydantic import BaseModel, Field

from nubrak.core.shape import Notes

TICKS_PER_QUARTER = 960


class Tempo(BaseModel):
    """The session's tempo and time signature."""

    bpm: float = Field(default=120.0, ge=20, le=400, description="quarter notes per minute")
    beats_per_bar: int = Field(default=4, ge=1, le=32)
    beat_unit: int = Field(default=4, description="2, 4, 8 or 16")
    bar_one_s: float = Field(default=0.0, ge=0, le=86400, description="where bar 1 stands on the time line; the grid follows it, MIDI starts at zero")


@dataclass(frozen=True)
class Track:
    """One named track of notes."""

    name: str
    notes: Notes


def seconds_to_ticks(time_s: float, tempo: Tempo) -> int:
    """The nearest tick. The file states its tempo in whole microseconds per quarter, so ticks are counted with that figure."""
    return round(time_s * 1e6 * TICKS_PER_QUARTER / mido.bpm2tempo(tempo.bpm))


def midi_file(tracks: Sequence[Track], tempo: Tempo, one_track: bool = False) -> bytes:
    """A Standard MIDI File: format 0 where ``one_track``, else format 1 with tempo and signature in a track of their own.

    Time zero of the file is time zero of the session, so every note stands on its stroke when the file is put at the start.
    """
    file = mido.MidiFile(type=0 if one_track else 1, ticks_per_beat=TICKS_PER_QUARTER)
    head = mido.MidiTrack()
    file.tracks.append(head)
    head.append(mido.MetaMessage("track_name", name=_latin(" + ".join(track.name for track in tracks) if one_track else "Tempo")))
    head.append(mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(tempo.bpm)))
    head.append(mido.MetaMessage("time_signature", numerator=tempo.beats_per_bar, denominator=tempo.beat_unit))
    if one_track:
        _write(head, [event for track in tracks for event in _events(track.notes, tempo)])
    else:
        head.append(mido.MetaMessage("end_of_track"))
        for track in tracks:
            lines = mido.MidiTrack([mido.MetaMessage("track_name", name=_latin(track.name))])
            file.tracks.append(lines)
            _write(lines, _events(track.notes, tempo))
    buffer = BytesIO()
    file.save(file=buffer)
    return buffer.getvalue()


def _events(notes: Notes, tempo: Tempo) -> list[tuple[int, int, mido.Message]]:
    """(tick, order within the tick, message). A note ends before the next of its number begins."""
    starts = [seconds_to_ticks(float(time_s), tempo) for time_s in notes.time_s]
    length = max(1, round(notes.length_beats * TICKS_PER_QUARTER))
    events = []
    for index, start in enumerate(starts):
        following = starts[index + 1] if index + 1 < len(starts) else start + length
        end = max(start + 1, min(start + length, following))
        about = {"channel": notes.channel - 1, "note": notes.number}
        events.append((start, 1, mido.Message("note_on", velocity=int(np.clip(notes.velocity[index], 1, 127)), **about)))
        events.append((end, 0, mido.Message("note_off", velocity=0, **about)))
    return events


def _write(track: mido.MidiTrack, events: list[tuple[int, int, mido.Message]]) -> None:
    now = 0
    for tick, _, message in sorted(events, key=lambda event: event[:2]):
        track.append(message.copy(time=tick - now))
        now = tick
    track.append(mido.MetaMessage("end_of_track"))


def _latin(name: str) -> str:
    """Track names are Latin-1 in the file; what does not fit becomes a question mark."""
    return name.encode("latin-1", "replace").decode("latin-1")
