"""Writing Standard MIDI Files (RP-001)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import mido
import numpy as np
from numpy.typing import NDArray

from nubrak.core.midi import smf
from nubrak.core.midi.clock import TICKS_PER_QUARTER, Clock, clock
from nubrak.core.shape import Notes
from nubrak.core.tempo import Tempo, beats_at, seconds_at


@dataclass(frozen=True)
class Track:
    """One named track of notes."""

    name: str
    notes: Notes


def cut(notes: Notes, start_s: float, end_s: float) -> Notes:
    """The notes that begin in a stretch, moved so that it begins at zero."""
    inside = (notes.time_s >= start_s) & (notes.time_s < end_s)

    rest = {
        name: column[inside]
        for name in ("numbers", "length_s", "row")
        if (column := getattr(notes, name)) is not None and len(column)
    }
    return replace(notes, time_s=notes.time_s[inside] - start_s, velocity=notes.velocity[inside], **rest)


def midi_file(
    tracks: Sequence[Track],
    tempo: Tempo,
    one_track: bool = False,
    per_quarter: int = TICKS_PER_QUARTER,
    span_s: tuple[float, float] | None = None,
    counted: Clock | None = None,
) -> bytes:
    """A Standard MIDI File: format 0 where ``one_track``, else format 1 with tempo and signature in a track
    of their own.

    Time zero of the file is time zero of the session, or the start of ``span_s``, so every note stands on its
    stroke when the file is put there. Bar lines of the file are those of the session. Tracks without notes
    are left out. ``counted`` is how the file counts, where that is known.
    """
    start_s = 0.0
    if span_s is not None:
        start_s = span_s[0]
        tracks = [Track(track.name, cut(track.notes, *span_s)) for track in tracks]
    tracks = [track for track in tracks if len(track.notes)]
    if counted is None:
        counted = clock_of([track.notes for track in tracks], tempo, per_quarter, start_s)
    name = " + ".join(track.name for track in tracks) if one_track else "Tempo"
    metas = [(0, _named(name))]
    for tick, quarter_us in zip(counted.ticks.tolist(), counted.quarter_us.tolist(), strict=True):
        metas.append((tick, bytes(mido.MetaMessage("set_tempo", tempo=quarter_us).bytes())))
    for tick, beats, unit in counted.signatures:
        said = mido.MetaMessage("time_signature", numerator=beats, denominator=unit)
        metas.append((tick, bytes(said.bytes())))
    if one_track:
        return smf.header(0, 1, per_quarter) + smf.track_chunk(
            metas, *_messages([track.notes for track in tracks], counted)
        )
    chunks = [smf.track_chunk(metas, *_messages([], counted))]
    chunks += [
        smf.track_chunk([(0, _named(track.name))], *_messages([track.notes], counted)) for track in tracks
    ]
    return smf.header(1, len(chunks), per_quarter) + b"".join(chunks)


def _messages(
    parts: Sequence[Notes], counted: Clock
) -> tuple[NDArray[np.int64], NDArray[np.bool_], NDArray[np.uint8]]:
    """Note-ons and note-offs of all parts: their ticks (n,), whether each ends a note (n,), and their bytes
    (n, 3).
    """
    ticks, endings, messages = [np.zeros(0, np.int64)], [np.zeros(0, bool)], [np.zeros((0, 3), np.uint8)]
    for notes in parts:
        starts, ends = _spans(notes, counted)
        channel, zero = np.full(len(starts), notes.channel - 1), np.zeros(len(starts), np.int64)
        begins = np.stack([0x90 | channel, notes.each_number, np.clip(notes.velocity, 1, 127)], axis=1)
        finishes = np.stack([0x80 | channel, notes.each_number, zero], axis=1)
        # One note after the other, as they would be played.
        ticks.append(np.stack([starts, ends], axis=1).ravel())
        endings.append(np.tile([False, True], len(starts)))
        messages.append(np.stack([begins, finishes], axis=1).reshape(-1, 3).astype(np.uint8))
    return np.concatenate(ticks), np.concatenate(endings), np.concatenate(messages)


def _spans(notes: Notes, counted: Clock) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """First and last tick of every note, (n,) each. A note ends before the next of its number begins."""
    if not len(notes.time_s):
        return np.zeros(0, np.int64), np.zeros(0, np.int64)
    starts = counted.tick_of(notes.time_s)
    fixed = max(1, round(notes.length_beats * counted.per_quarter))
    ends = starts + fixed if notes.length_s is None else counted.tick_of(notes.time_s + notes.length_s)
    numbers = notes.each_number
    # The next start of the same number, note by note from the end.
    following = np.full(len(starts), np.iinfo(np.int64).max)
    for number in np.unique(numbers):
        rows = np.nonzero(numbers == number)[0]
        following[rows[:-1]] = starts[rows[1:]]
    return starts, np.maximum(starts + 1, np.minimum(ends, following))


def clock_of(notes: Sequence[Notes], tempo: Tempo, per_quarter: int, start_s: float = 0.0) -> Clock:
    """How a file counts that begins ``start_s`` into the session and holds these notes, timed from there."""
    times = np.concatenate([one.time_s for one in notes]) if notes else np.zeros(0)
    first_s = float(times.min()) + start_s if len(times) else None
    return clock(tempo, per_quarter, start_s, first_s, float(times.max(initial=0.0)) + start_s)


def from_bar_one_s(tempo: Tempo, first_s: float) -> float:
    """Where a file begins that is written from bar one, in the session's time: at bar one, or as many whole
    bars before it as the first note wants, as far as the session reaches.
    """
    if not tempo.is_known:
        return 0.0
    beat = float(beats_at(tempo, np.array([min(first_s, tempo.bar_one_s)]))[0])
    bars = np.floor(round(beat / tempo.bar_beats, 6))
    start_s = float(seconds_at(tempo, np.array([bars * tempo.bar_beats]))[0])
    return start_s if start_s >= 0.0 else max(tempo.bar_one_s, 0.0)


def _named(name: str) -> bytes:
    """The track name, as UTF-8: programs of today read it so, and plain letters are the same bytes."""
    said = name.encode("utf-8")
    size, count = smf.variable_length(np.array([len(said)]))
    return bytes([0xFF, smf.TRACK_NAME]) + size[0, 4 - int(count[0]) :].tobytes() + said
