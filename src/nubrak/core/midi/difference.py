"""A MIDI file that comes back: matched note by note to what left, and every difference told apart."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from nubrak.core.midi.read import ReadMidi
from nubrak.core.shape import Notes

SAME_S = 0.0015  # ticks and other programs' own rounding move notes by less
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
    """All differences in order of time, how many notes came back as they left, and the names of tracks that
    belong to no part.
    """

    differences: list[Difference]
    same: int
    strange: list[str]


@dataclass(frozen=True)
class _Back:
    time_s: NDArray[np.float64]
    number: NDArray[np.int64]
    velocity: NDArray[np.int64]


def midi_difference(
    left: dict[str, tuple[str, Notes]], back: ReadMidi, offset_s: float = 0.0
) -> MidiDifference:
    """What left, per part its name and its notes, against a file that came back; ``offset_s`` is where the
    file begins in the session.

    Tracks are given to parts by name, else by the notes they hold. Within a part, first what stands where it
    stood, then, among the rest, the nearest in time with the same note, then the nearest with another;
    whatever is left over was deleted or added.
    """
    notes_of = {
        part: _sorted(_Back(notes.time_s, notes.each_number, notes.velocity))
        for part, (_, notes) in left.items()
    }
    places_of = {part: np.argsort(notes.time_s, kind="stable") for part, (_, notes) in left.items()}
    came, strange = _given(left, back, offset_s)
    differences: list[Difference] = []
    same = 0
    for part, was in notes_of.items():
        now = came.get(part)
        if now is None:
            continue
        of_now = _matched(was, now)
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
            if abs(new[0] - about[0]) > SAME_S:
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


def _given(
    left: dict[str, tuple[str, Notes]], back: ReadMidi, offset_s: float
) -> tuple[dict[str, _Back], list[str]]:
    """Which notes of the file belong to which part."""
    by_name = {
        name.encode("latin-1", "replace").decode("latin-1").casefold(): part
        for part, (name, _) in left.items()
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
            columns.setdefault(part, []).append((track.time_s + offset_s, track.number, track.velocity))
            continue
        owners = np.array([by_number.get(number, "") for number in track.number.tolist()])
        if not np.any(owners != ""):
            strange.append(track.name)
            continue
        for owner in np.unique(owners[owners != ""]).tolist():
            rows = owners == owner
            columns.setdefault(owner, []).append(
                (track.time_s[rows] + offset_s, track.number[rows], track.velocity[rows])
            )
    return {
        part: _sorted(_Back(*(np.concatenate(column) for column in zip(*found, strict=True))))
        for part, found in columns.items()
    }, strange


def _matched(was: _Back, now: _Back) -> NDArray[np.int64]:
    """For every note that left (n,) the row of the one that came back, or -1."""
    out = np.full(len(was.time_s), -1, np.int64)
    free = np.ones(len(now.time_s), bool)
    for reach_s, same_note in ((SAME_S, True), (_REACH_S, True), (SAME_S, False), (_REACH_S, False)):
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
