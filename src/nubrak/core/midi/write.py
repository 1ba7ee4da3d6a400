"""Writing Standard MIDI Files (RP-001)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import mido
import numpy as np
from numpy.typing import NDArray

from nubrak.core.midi import smf
from nubrak.core.shape import Notes
from nubrak.core.tempo import Tempo

TICKS_PER_QUARTER = 960  # common practice: half of a tick at 120 bpm is a quarter of a millisecond
USUAL_TICKS = (96, 480, 960, 1920, 3840)  # what other programs count in


@dataclass(frozen=True)
class Track:
    """One named track of notes."""

    name: str
    notes: Notes


@dataclass(frozen=True)
class Clock:
    """How a file counts: from tick ``ticks`` (m,), at ``time_s`` (m,), on, a quarter lasts ``quarter_us``
    (m,) whole microseconds.

    A file states its tempo in whole microseconds, so everything is counted with those figures and no error
    adds up.
    """

    ticks: NDArray[np.int64]
    time_s: NDArray[np.float64]
    quarter_us: NDArray[np.int64]
    per_quarter: int

    def tick_of(self, time_s: NDArray[np.float64]) -> NDArray[np.int64]:
        """The tick nearest to each time (n,)."""
        row = np.maximum(np.searchsorted(self.time_s, time_s, side="right") - 1, 0)
        return (
            self.ticks[row]
            + np.round((time_s - self.time_s[row]) * 1e6 * self.per_quarter / self.quarter_us[row])
        ).astype(np.int64)

    def time_of(self, tick: NDArray[np.int64]) -> NDArray[np.float64]:
        """The time at which each tick (n,) sounds."""
        row = np.maximum(np.searchsorted(self.ticks, tick, side="right") - 1, 0)
        return np.asarray(
            self.time_s[row] + (tick - self.ticks[row]) * self.quarter_us[row] / 1e6 / self.per_quarter
        )


def clock(tempo: Tempo, per_quarter: int = TICKS_PER_QUARTER, start_s: float = 0.0) -> Clock:
    """How a file of this tempo counts that begins ``start_s`` into the session."""
    before = [change for change in tempo.changes if change.time_s <= start_s]
    bpm = before[-1].bpm if before else tempo.bpm
    ticks, times, quarters = [0], [0.0], [mido.bpm2tempo(bpm)]
    for change in tempo.changes[len(before) :]:
        # Tempo changes on a tick too; what that rounding moves, the next tempo is counted from.
        tick = ticks[-1] + round((change.time_s - start_s - times[-1]) * 1e6 * per_quarter / quarters[-1])
        time_s = times[-1] + (tick - ticks[-1]) * quarters[-1] / 1e6 / per_quarter
        if tick == ticks[-1]:
            quarters[-1] = mido.bpm2tempo(change.bpm)
            continue
        ticks.append(tick)
        times.append(time_s)
        quarters.append(mido.bpm2tempo(change.bpm))
    return Clock(np.array(ticks, np.int64), np.array(times), np.array(quarters, np.int64), per_quarter)


def half_tick_ms(tempo: Tempo, per_quarter: int = TICKS_PER_QUARTER) -> float:
    """How far a note can be from its stroke at most, in ms: half a tick where the tempo is slowest."""
    slowest = min([tempo.bpm, *(change.bpm for change in tempo.changes)])
    return 0.5 * 60_000.0 / slowest / per_quarter


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
) -> bytes:
    """A Standard MIDI File: format 0 where ``one_track``, else format 1 with tempo and signature in a track
    of their own.

    Time zero of the file is time zero of the session, or the start of ``span_s``, so every note stands on its
    stroke when the file is put there.
    """
    start_s = 0.0
    if span_s is not None:
        start_s = span_s[0]
        tracks = [Track(track.name, cut(track.notes, *span_s)) for track in tracks]
    counted = clock(tempo, per_quarter, start_s)
    name = " + ".join(track.name for track in tracks) if one_track else "Tempo"
    metas = [(0, _named(name))]
    for tick, quarter_us in zip(counted.ticks.tolist(), counted.quarter_us.tolist(), strict=True):
        metas.append((tick, bytes(mido.MetaMessage("set_tempo", tempo=quarter_us).bytes())))
        if tick == 0:
            metas.append(
                (
                    0,
                    bytes(
                        mido.MetaMessage(
                            "time_signature", numerator=tempo.beats_per_bar, denominator=tempo.beat_unit
                        ).bytes()
                    ),
                )
            )
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


def _named(name: str) -> bytes:
    return bytes(mido.MetaMessage("track_name", name=_latin(name)).bytes())


def _latin(name: str) -> str:
    """Track names are Latin-1 in the file; what does not fit becomes a question mark."""
    return name.encode("latin-1", "replace").decode("latin-1")
