"""A MIDI file that comes back: matched note by note to what left, and every difference told apart."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from nubrak.core.midi.clock import Clock, half_tick_ms
from nubrak.core.midi.read import ReadMidi, ReadTrack
from nubrak.core.midi.write import clock_of, from_bar_one_s
from nubrak.core.shape import Notes
from nubrak.core.tempo import Tempo, beats_at, seconds_at

SAME_S = 0.0015  # ticks and other programs' own rounding move notes by less
_ROUNDING_MS = 0.2  # of what other programs round beside the ticks
_OTHER_BEAT_S = 0.0002  # a beat that is longer or shorter by this has another tempo
_REACH_S = 0.25  # a moved note is looked for so far away
Kind = Literal["moved", "velocity", "pitch", "deleted", "added"]


@dataclass(frozen=True)
class Difference:
    """One difference: what left (``part``, ``place`` among its notes, None where it is new) and what came
    back (None where it is gone).
    """

    kind: Kind
    part: str
    place: int | None
    time_s: float
    new_time_s: float | None
    velocity: int | None
    new_velocity: int | None
    note: int | None
    new_note: int | None


@dataclass(frozen=True)
class MidiDifference:
    """All differences in order of time, how many notes came back as they left, the names of tracks that
    belong to no part, and whether the file has another tempo than it left with.
    """

    differences: list[Difference]
    same: int
    strange: list[str]
    other_tempo: bool = False


@dataclass(frozen=True)
class _Back:
    time_s: NDArray[np.float64]
    number: NDArray[np.int64]
    velocity: NDArray[np.int64]


def midi_difference(
    left: dict[str, tuple[str, Notes]], back: ReadMidi, tempo: Tempo | None = None
) -> MidiDifference:
    """What left, per part its name and its notes, against a file that came back; ``tempo`` is the session's.

    Tracks are given to parts by name, else by the notes they hold. Within a part, first what stands where it
    stood, then, among the rest, the nearest in time with the same note, then the nearest with another;
    whatever is left over was deleted or added. Ticks are read as they were written, so that a file whose
    tempo alone was changed has no note that moved; times as the file says them where more notes agree so.
    """
    written = [notes for _, notes in left.values()]
    readings = _readings(written, back, tempo or Tempo())
    told = [_told(left, _retimed(back, times), _same_s(back)) for times in readings]
    best = max(range(len(told)), key=lambda row: (told[row].same, -len(told[row].differences), -row))
    return replace(told[best], other_tempo=_other_tempo(written, back, tempo or Tempo()))


def _readings(
    written: Sequence[Notes], back: ReadMidi, tempo: Tempo
) -> list[Callable[[ReadTrack], NDArray[np.float64]]]:
    """How the notes of a file may be timed: as it says itself, or by its ticks as they were written; for a
    file that begins with the recording, and for one that begins at bar one.
    """
    first_s = min((float(one.time_s.min()) for one in written if len(one.time_s)), default=0.0)
    out: list[Callable[[ReadTrack], NDArray[np.float64]]] = []
    for start_s in dict.fromkeys((0.0, from_bar_one_s(tempo, first_s))):
        moved = [replace(one, time_s=one.time_s - start_s) for one in written]
        counted = clock_of(moved, tempo, back.per_quarter, start_s)
        out.append(partial(_as_said, start_s))
        out.append(partial(_as_written, counted, start_s))
    return out


def _as_said(start_s: float, track: ReadTrack) -> NDArray[np.float64]:
    return track.time_s + start_s


def _as_written(counted: Clock, start_s: float, track: ReadTrack) -> NDArray[np.float64]:
    return counted.time_of(track.tick) + start_s


def _retimed(back: ReadMidi, times: Callable[[ReadTrack], NDArray[np.float64]]) -> ReadMidi:
    return replace(back, tracks=[replace(track, time_s=times(track)) for track in back.tracks])


def _same_s(back: ReadMidi) -> float:
    """How far apart two notes are still at one place: what rounding to the file's ticks explains."""
    return max(SAME_S, (half_tick_ms(back.tempo, back.per_quarter) + _ROUNDING_MS) / 1000.0)


def _other_tempo(written: Sequence[Notes], back: ReadMidi, tempo: Tempo) -> bool:
    """Whether a file counts its beats otherwise than it did when it left."""
    if not tempo.is_known or not back.tracks:
        return False
    until_s = max(float(track.time_s.max()) for track in back.tracks)
    beats = np.arange(1.0, 1.0 + max(float(beats_at(back.tempo, np.array([until_s]))[0]), 1.0))
    theirs = seconds_at(back.tempo, beats) - back.tempo.bar_one_s
    ours = seconds_at(tempo, beats) - tempo.bar_one_s
    return bool(np.abs(np.diff(theirs, prepend=0.0) - np.diff(ours, prepend=0.0)).max() > _OTHER_BEAT_S)


def _told(left: dict[str, tuple[str, Notes]], back: ReadMidi, same_s: float) -> MidiDifference:
    """The differences of a file whose notes are timed."""
    notes_of = {
        part: _sorted(_Back(notes.time_s, notes.each_number, notes.velocity))
        for part, (_, notes) in left.items()
    }
    places_of = {part: np.argsort(notes.time_s, kind="stable") for part, (_, notes) in left.items()}
    came, strange = _given(left, back)
    differences: list[Difference] = []
    same = 0
    for part, was in notes_of.items():
        now = came.get(part)
        if now is None:
            continue
        of_now = _matched(was, now, same_s)
        taken = np.full(len(now.time_s), -1, np.int64)
        taken[of_now[of_now >= 0]] = np.nonzero(of_now >= 0)[0]
        for row, (place, match) in enumerate(zip(places_of[part].tolist(), of_now.tolist(), strict=True)):
            about = (float(was.time_s[row]), int(was.velocity[row]), int(was.number[row]))
            if match < 0:
                differences.append(
                    Difference("deleted", part, place, about[0], None, about[1], None, about[2], None)
                )
                continue
            new = (float(now.time_s[match]), int(now.velocity[match]), int(now.number[match]))
            kinds: list[Kind] = []
            if abs(new[0] - about[0]) > same_s:
                kinds.append("moved")
            if new[2] != about[2]:
                kinds.append("pitch")
            if new[1] != about[1]:
                kinds.append("velocity")
            same += not kinds
            differences += [
                Difference(kind, part, place, about[0], new[0], about[1], new[1], about[2], new[2])
                for kind in kinds
            ]
        for row in np.nonzero(taken < 0)[0].tolist():
            differences.append(
                Difference(
                    "added",
                    part,
                    None,
                    float(now.time_s[row]),
                    float(now.time_s[row]),
                    None,
                    int(now.velocity[row]),
                    None,
                    int(now.number[row]),
                )
            )
    return MidiDifference(
        sorted(differences, key=lambda one: (one.time_s, one.part, one.kind)), same, strange
    )


def _sorted(notes: _Back) -> _Back:
    order = np.argsort(notes.time_s, kind="stable")
    return _Back(notes.time_s[order], notes.number[order], notes.velocity[order])


def _given(left: dict[str, tuple[str, Notes]], back: ReadMidi) -> tuple[dict[str, _Back], list[str]]:
    """Which notes of the file belong to which part."""
    # Other programs keep names as Latin-1, with a question mark for what does not fit.
    by_name = {
        said.casefold(): part
        for part, (name, _) in reversed(left.items())
        for said in (name.encode("latin-1", "replace").decode("latin-1"), name)
    }
    by_number = {
        int(number): part
        for part, (_, notes) in reversed(left.items())
        for number in np.unique(np.append(notes.each_number, notes.number))
    }
    columns: dict[str, list[tuple[NDArray[np.float64], NDArray[np.int64], NDArray[np.int64]]]] = {}
    strange = []
    for track in back.tracks:
        part = by_name.get(track.name.casefold())
        if part is not None:
            columns.setdefault(part, []).append((track.time_s, track.number, track.velocity))
            continue
        owners = np.array([by_number.get(number, "") for number in track.number.tolist()])
        if not np.any(owners != ""):
            strange.append(track.name)
            continue
        for owner in np.unique(owners[owners != ""]).tolist():
            rows = owners == owner
            columns.setdefault(owner, []).append(
                (track.time_s[rows], track.number[rows], track.velocity[rows])
            )
    return {
        part: _sorted(_Back(*(np.concatenate(column) for column in zip(*found, strict=True))))
        for part, found in columns.items()
    }, strange


def _matched(was: _Back, now: _Back, same_s: float) -> NDArray[np.int64]:
    """For every note that left (n,) the row of the one that came back, or -1."""
    out = np.full(len(was.time_s), -1, np.int64)
    free = np.ones(len(now.time_s), bool)
    for reach_s, same_note in ((same_s, True), (_REACH_S, True), (same_s, False), (_REACH_S, False)):
        rows, rest = np.nonzero(out < 0)[0], np.nonzero(free)[0]
        if not len(rows) or not len(rest):
            break
        first = np.searchsorted(now.time_s[rest], was.time_s[rows] - reach_s, side="left")
        last = np.searchsorted(now.time_s[rest], was.time_s[rows] + reach_s, side="right")
        count = last - first
        pair_row = np.repeat(rows, count)
        pair_now = rest[
            np.arange(count.sum()) - np.repeat(np.cumsum(count) - count, count) + np.repeat(first, count)
        ]
        if same_note:
            kept = was.number[pair_row] == now.number[pair_now]
            pair_row, pair_now = pair_row[kept], pair_now[kept]
        away = np.abs(was.time_s[pair_row] - now.time_s[pair_now])
        # Of notes as near, the one of the same strength: two that changed places are no change.
        unlike = np.abs(was.velocity[pair_row] - now.velocity[pair_now])
        for at in np.lexsort((unlike, np.round(away, 4))).tolist():
            row, match = int(pair_row[at]), int(pair_now[at])
            if out[row] < 0 and free[match]:
                out[row], free[match] = match, False
    return out
