"""How a MIDI file counts: its tempo entries, its time signatures, and the tick of every time.

The bar lines of the file are those of the session, and the file still starts with the recording. What stands
before the first bar line becomes a whole number of beats: a first stretch has a tempo of its own, so that it
lasts exactly as long as it is. A file states its tempo in whole microseconds a quarter (Standard MIDI Files
1.0); what that rounding adds up to is taken back by a tempo entry before a note leaves its tick.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nubrak.core.tempo import Tempo, beats_at, seconds_at

TICKS_PER_QUARTER = 960  # common practice: half of a tick at 120 bpm is a quarter of a millisecond
USUAL_TICKS = (96, 480, 960, 1920, 3840)  # what other programs count in
_STEP = 0.25  # quarters: a first stretch ends on a sixteenth, so that a pick-up after it stands on its step
_FASTEST_BPM = 960.0  # of a first stretch: what other programs still take
_DRIFT = 0.4  # of a tick: then the tempo is corrected; at half of one a note would leave its tick
_NOTHING_S = 1e-4  # a bar line so near the start is at the start
_AFTER_S = 10.0  # the tempo is written so far past the last note


@dataclass(frozen=True)
class Clock:
    """How a file counts: from tick ``ticks`` (m,), at ``time_s`` (m,), on, a quarter lasts ``quarter_us``
    (m,) whole microseconds. ``signatures`` are (tick, beats in a bar, beat unit).
    """

    ticks: NDArray[np.int64]
    time_s: NDArray[np.float64]
    quarter_us: NDArray[np.int64]
    per_quarter: int
    signatures: tuple[tuple[int, int, int], ...] = ((0, 4, 4),)

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


def clock(
    tempo: Tempo,
    per_quarter: int = TICKS_PER_QUARTER,
    start_s: float = 0.0,
    first_s: float | None = None,
    end_s: float = 0.0,
) -> Clock:
    """How a file of this tempo counts.

    Parameters
    ----------
    tempo : Tempo
        The session's tempo and time signature.
    per_quarter : int
        Ticks of a quarter note.
    start_s : float
        Where in the session the file begins.
    first_s : float, optional
        The first note, in the session's time; a stretch with a tempo of its own ends before it.
    end_s : float
        The last note, in the session's time.

    Examples
    --------
    Bar one at 0.591 s: one beat of 0.591 s stands before it.

    >>> from nubrak.core.tempo import Tempo
    >>> counted = clock(Tempo(bpm=120, bar_one_s=0.591))
    >>> counted.ticks.tolist(), counted.quarter_us.tolist()
    ([0, 960], [591000, 500000])
    >>> counted.signatures
    ((0, 1, 4), (960, 4, 4))
    """
    beat_ticks = 4.0 * per_quarter / tempo.beat_unit
    lead = _lead(tempo, start_s, first_s)
    lead_ticks = round(lead.written * per_quarter)
    signature = (tempo.beats_per_bar, tempo.beat_unit)
    signatures = [(0, *signature)]
    if lead.beats and lead.beats != tempo.beats_per_bar:
        bar_tick = round(lead.beats * beat_ticks)
        signatures = [(0, lead.beats, tempo.beat_unit), (bar_tick, *signature)]
    entries = _Entries(per_quarter)
    if lead_ticks:
        entries.add(lead_ticks, lead.length_s)
    start_beat = float(beats_at(tempo, np.array([start_s + lead.length_s]))[0])

    def session_s(tick: int) -> float:
        beat = start_beat + (tick - lead_ticks) / per_quarter
        return float(seconds_at(tempo, np.array([beat]))[0]) - start_s

    later = [change for change in tempo.changes if change.time_s > start_s + lead.length_s]
    before = tempo.changes[: len(tempo.changes) - len(later)]
    last_s = max([end_s, start_s + lead.length_s, *(change.time_s for change in later)]) + _AFTER_S
    beats = beats_at(tempo, np.array([*(change.time_s for change in later), last_s])) - start_beat
    ends = [lead_ticks + round(float(beat) * per_quarter) for beat in beats]
    ends[-1] = max(ends[-1], lead_ticks + 1)  # one entry at least
    bar_ticks = max(round(tempo.bar_beats * per_quarter), 1)
    speeds = [before[-1].bpm if before else tempo.bpm, *(change.bpm for change in later)]
    for end, bpm in zip(ends, speeds, strict=True):
        entries.fill(end, bpm, session_s, bar_ticks)
    return entries.clock(tuple(signatures))


@dataclass(frozen=True)
class _Lead:
    """A first stretch of a file with a tempo of its own: how long it lasts, as how many quarters it is
    ``written``, and how many beats stand before the first bar line; all 0 where there is none.
    """

    length_s: float
    written: float
    beats: int


def _lead(tempo: Tempo, start_s: float, first_s: float | None) -> _Lead:
    """The stretch before the first bar line that makes what stands before it a whole number of beats.

    Of all stretches that end on a sixteenth before the bar line, and before the first note, the one whose
    tempo is nearest to the session's.
    """
    none = _Lead(0.0, 0.0, 0)
    if not tempo.is_known:
        return none
    start_beat = float(beats_at(tempo, np.array([start_s]))[0])
    bar_beat = float(np.ceil(round(start_beat / tempo.bar_beats, 9))) * tempo.bar_beats
    bar_s = float(seconds_at(tempo, np.array([bar_beat]))[0])
    if bar_s - start_s < _NOTHING_S:
        return none
    unit, ahead = 4.0 / tempo.beat_unit, bar_beat - start_beat
    best: tuple[float, _Lead] | None = None
    for kept in range(int(ahead / _STEP) + 1):
        length = ahead - kept * _STEP
        until_s = float(seconds_at(tempo, np.array([bar_beat - kept * _STEP]))[0])
        if until_s - start_s < _NOTHING_S:
            continue
        for beats in range(1, int(np.ceil(ahead / unit)) + 2):
            written = beats * unit - kept * _STEP
            if written <= 0:
                continue
            bpm = 60.0 * written / (until_s - start_s)
            # Nearest to the session's tempo; the longest such stretch; no note inside; no tempo too fast.
            cost = abs(float(np.log2(written / length))) + 0.001 * kept
            cost += 100.0 * (first_s is not None and first_s < min(until_s, bar_s) - _NOTHING_S)
            cost += 1000.0 * (bpm > _FASTEST_BPM)
            if best is None or cost < best[0]:
                best = cost, _Lead(until_s - start_s, written, beats)
    return best[1] if best is not None else none


class _Entries:
    """Tempo entries, written one after the other; each is counted from where the one before really ends."""

    def __init__(self, per_quarter: int) -> None:
        self._per_quarter = per_quarter
        self._ticks, self._times, self._quarters = [0], [0.0], list[int]()

    def add(self, end_tick: int, end_s: float) -> None:
        """A stretch up to a tick that is to sound at ``end_s``."""
        count = end_tick - self._ticks[-1]
        ideal = (end_s - self._times[-1]) * 1e6 * self._per_quarter / count
        self._close(end_tick, max(round(ideal), 1))

    def fill(self, end_tick: int, bpm: float, session_s: Callable[[int], float], bar_ticks: int) -> None:
        """Stretches up to a tick: at the session's tempo, and where its rounding would add up to nearly
        half a tick, whole bars a microsecond off it.
        """
        quarter = round(60e6 / bpm)
        allowed_us = _DRIFT * quarter / self._per_quarter
        while (begin := self._ticks[-1]) < end_tick:
            ticks = end_tick - begin
            late_us = (self._times[-1] - session_s(begin)) * 1e6
            late_there_us = self._after(ticks, quarter) * 1e6 - session_s(end_tick) * 1e6
            if abs(late_there_us) > allowed_us:
                grows_us = (late_there_us - late_us) * bar_ticks / ticks  # a bar
                room_us = allowed_us - late_us if grows_us > 0 else allowed_us + late_us
                bars = int(room_us / max(abs(grows_us), 1e-9))
                if bars < 1:
                    # Taken back by about half a microsecond a quarter.
                    bars = max(int(2 * abs(late_us) * self._per_quarter / bar_ticks), 1)
                    ticks = min(bars * bar_ticks, ticks)
                    self.add(begin + ticks, session_s(begin + ticks))
                    continue
                ticks = min(bars * bar_ticks, ticks)
            self._close(begin + ticks, quarter)

    def _after(self, ticks: int, quarter: int) -> float:
        """When a stretch of so many ticks would end."""
        return self._times[-1] + ticks * quarter / 1e6 / self._per_quarter

    def _close(self, end_tick: int, quarter: int) -> None:
        self._times.append(self._after(end_tick - self._ticks[-1], quarter))
        self._quarters.append(quarter)
        self._ticks.append(end_tick)

    def clock(self, signatures: tuple[tuple[int, int, int], ...]) -> Clock:
        """The clock of all entries; those that change nothing are left out."""
        quarters = np.array(self._quarters, np.int64)
        kept = np.concatenate([[True], np.diff(quarters) != 0])
        ticks, times = np.array(self._ticks[:-1], np.int64), np.array(self._times[:-1])
        return Clock(ticks[kept], times[kept], quarters[kept], self._per_quarter, signatures)


def half_tick_ms(tempo: Tempo, per_quarter: int = TICKS_PER_QUARTER) -> float:
    """How far a note can be from its stroke at most, in ms: half a tick where the tempo is slowest."""
    slowest = min([tempo.bpm, *(change.bpm for change in tempo.changes)])
    return 0.5 * 60_000.0 / slowest / per_quarter
