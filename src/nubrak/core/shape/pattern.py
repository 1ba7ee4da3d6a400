"""Pattern: notes copied beside the recorded ones, and repeated bars."""

from __future__ import annotations

import numpy as np

from nubrak.core.problem import Problem
from nubrak.core.shape.notes import Notes, PatternNote
from nubrak.core.tempo import Tempo, beats_at, seconds_at
from nubrak.core.time_line import LAST_S

_MOST_COPIES = 50_000  # notes at once: more than an hour of sixteenths

_SAME_S = 0.001  # nearer than this, two notes of one number are one


def copied(notes: Notes, tempo: Tempo, start_s: float, end_s: float, to_s: list[float]) -> list[PatternNote]:
    """The notes between two times once more at each of ``to_s``, as they sound now. Distances are kept in
    beats, so that a copy follows the tempo where it lands; strokes a hair before the start belong to it.
    """
    early_s = min(0.03, (end_s - start_s) / 8)
    chosen = np.nonzero((notes.time_s >= start_s - early_s) & (notes.time_s < end_s - early_s))[0]
    if len(chosen) * len(to_s) > _MOST_COPIES:
        raise Problem(
            f"That would make {len(chosen) * len(to_s)} notes at once.",
            "Nothing was changed.",
            f"Repeat fewer times; {_MOST_COPIES} notes at once is the most.",
        )
    beats = beats_at(tempo, notes.time_s[chosen]) - beats_at(tempo, np.array([start_s]))
    out = []
    for target_s in to_s:
        times = seconds_at(tempo, beats + beats_at(tempo, np.array([target_s])))
        for time_s, row in zip(times.tolist(), chosen.tolist(), strict=True):
            if 0 <= time_s <= LAST_S:
                out.append(
                    pattern_note(
                        time_s,
                        int(notes.velocity[row]),
                        int(notes.each_number[row]),
                        notes.number,
                        fixed=True,
                    )
                )
    return out


def repeated(notes: Notes, tempo: Tempo, start_s: float, end_s: float, times: int) -> list[PatternNote]:
    """The notes between two times ``times`` more, each after the other."""
    begin, end = beats_at(tempo, np.array([start_s, end_s]))
    return copied(
        notes, tempo, start_s, end_s, seconds_at(tempo, end + (end - begin) * np.arange(times)).tolist()
    )


def beside_what_is_there(new: list[PatternNote], notes: Notes) -> list[PatternNote]:
    """Those of the new notes that do not stand where the same note stands already: repeating twice doubles
    nothing.
    """
    known = {
        (round(time_s / _SAME_S), number)
        for time_s, number in zip(notes.time_s.tolist(), notes.each_number.tolist(), strict=True)
    }

    def there(note: PatternNote) -> bool:
        number, place = notes.number if note.note is None else note.note, round(note.time_s / _SAME_S)
        return any((place + near, number) in known for near in (-1, 0, 1))

    return [note for note in new if not there(note)]


def pattern_note(time_s: float, velocity: int, number: int, usual: int, fixed: bool = False) -> PatternNote:
    return PatternNote(
        time_s=time_s, velocity=velocity, note=None if number == usual else number, fixed=fixed
    )
