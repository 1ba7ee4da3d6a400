"""Reading Standard MIDI Files (RP-001), whatever state they are in."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nubrak.core.midi import smf
from nubrak.core.problem import Problem
from nubrak.core.tempo import Tempo, TempoChange
from nubrak.core.time_line import LAST_S

MOST_BYTES = 3_000_000  # a million events; no performance has more

_USUAL_QUARTER_US = 500_000  # RP-001: 120 bpm where a file names no tempo
_ROUNDING_US = 2  # neighbours that differ by so little are one tempo
_NOTHING_S = 1e-4  # an entry so near bar one stands at it
_TODO = "Export it once more as a Standard MIDI File of format 0 or 1."


@dataclass(frozen=True)
class ReadTrack:
    """The notes of one track, in order of time: ``time_s``, ``length_s``, ``number``, ``velocity``,
    ``channel`` (1 to 16) and ``tick``, (n,) each.
    """

    name: str
    time_s: NDArray[np.float64]
    length_s: NDArray[np.float64]
    number: NDArray[np.int64]
    velocity: NDArray[np.int64]
    channel: NDArray[np.int64]
    tick: NDArray[np.int64]


@dataclass(frozen=True)
class ReadMidi:
    """A MIDI file: its tracks that have notes, its tempo, its ticks per quarter, and what was odd about it,
    a sentence each.
    """

    tracks: list[ReadTrack]
    tempo: Tempo
    per_quarter: int
    said: list[str]


def read_midi(data: bytes) -> ReadMidi:
    """Bytes to notes. Raises ``Problem`` with a sentence where they are no MIDI file or nothing can be made
    of them.
    """
    if len(data) > MOST_BYTES:
        size = (
            f"This MIDI file has {len(data) / 1e6:.1f} MB; drums of a whole evening take less than "
            f"{MOST_BYTES / 1e6:.0f}."
        )
        raise Problem(size, "Nothing was changed.", "Export only the drum tracks.")
    if not data.startswith(b"MThd"):
        raise Problem(
            "This is no Standard MIDI File: it does not begin with a MIDI header.",
            "Nothing was changed.",
            _TODO,
        )
    try:
        file = smf.read_file(data)
    except smf.Damaged as error:
        raise Problem(
            f"This MIDI file is damaged and cannot be read: {error}.", "Nothing was changed.", _TODO
        ) from error
    if file.form == 2:
        raise Problem(
            "This MIDI file is of format 2, whose tracks have no common time.", "Nothing was changed.", _TODO
        )
    said: list[str] = []
    per_quarter = file.division
    if per_quarter == 0 or per_quarter & 0x8000:
        # RP-001: the upper byte is minus the frames per second, the lower the ticks per frame.
        frames, ticks = 256 - (per_quarter >> 8 & 0xFF), per_quarter & 0xFF
        if not ticks or frames not in (24, 25, 29, 30):
            raise Problem(
                "This MIDI file counts in a way that the standard does not know.",
                "Nothing was changed.",
                _TODO,
            )
        raise Problem(
            f"This MIDI file counts in film frames ({frames} a second), not in beats.",
            "Nothing was changed.",
            _TODO,
        )
    starts, times, quarters = _tempo_entries(file, per_quarter)
    signature, bar_tick = _signature(file, per_quarter)
    tracks = []
    for number, track in enumerate(file.tracks, start=1):
        read = _notes(track, number, starts, times, quarters, per_quarter, said)
        if read is not None:
            tracks.append(read)
    bar_one_s = float(_seconds(np.array([bar_tick]), starts, times, quarters, per_quarter)[0])
    return ReadMidi(tracks, _tempo(times, quarters, signature, bar_one_s), per_quarter, said)


def _tempo_entries(
    file: smf.FileRead, per_quarter: int
) -> tuple[NDArray[np.int64], NDArray[np.float64], NDArray[np.int64]]:
    """Ticks, seconds and microseconds per quarter of every tempo, (m,) each."""
    changes: dict[int, int] = {0: _USUAL_QUARTER_US}
    for track in file.tracks:
        for tick, kind, data in track.metas:
            if kind == smf.SET_TEMPO and len(data) >= 3 and any(data[:3]):
                changes[tick] = int.from_bytes(data[:3], "big")
    ticks = np.array(sorted(changes), np.int64)
    quarters = np.array([changes[tick] for tick in ticks.tolist()], np.int64)
    times = np.concatenate([[0.0], np.cumsum(np.diff(ticks) * quarters[:-1] / 1e6 / per_quarter)])
    return ticks, times, quarters


def _signature(file: smf.FileRead, per_quarter: int) -> tuple[tuple[int, int], int]:
    """The time signature, and the tick of bar one: after a first bar of another length, as a pick-up or what
    is recorded before bar one, the second one's.
    """
    found = {
        tick: (data[0], 1 << min(data[1], 16))
        for track in file.tracks
        for tick, kind, data in track.metas
        if kind == smf.TIME_SIGNATURE and len(data) >= 2 and data[0]
    }
    ticks = sorted(found)
    if len(ticks) > 1:
        beats, unit = found[ticks[0]]
        if ticks[0] == 0 and abs(ticks[1] - beats * 4 * per_quarter / unit) < 1:
            return found[ticks[1]], ticks[1]
    return (found[ticks[0]] if ticks else (4, 4)), 0


def _seconds(
    tick: NDArray[np.int64],
    starts: NDArray[np.int64],
    times: NDArray[np.float64],
    quarters: NDArray[np.int64],
    per_quarter: int,
) -> NDArray[np.float64]:
    """The time of each tick (n,), in s, by the tempo entries (m,)."""
    row = np.searchsorted(starts, tick, side="right") - 1
    return np.asarray(times[row] + (tick - starts[row]) * quarters[row] / 1e6 / per_quarter)


def _tempo(
    times: NDArray[np.float64], quarters: NDArray[np.int64], signature: tuple[int, int], bar_one_s: float
) -> Tempo:
    """The tempo that a file's entries say. Those before bar one say only when it comes; neighbours that
    differ by rounding are one tempo, whose rounding they take back.
    """
    row = max(int(np.searchsorted(times, bar_one_s + _NOTHING_S, side="right")) - 1, 0)
    times, quarter_us = times[row:], quarters[row:].astype(np.float64)
    if len(times) > 1:
        # Of a run of such neighbours the tempo is what they come to together; the last has no end.
        run = np.concatenate([[0], np.cumsum(np.abs(np.diff(quarter_us)) > _ROUNDING_US)])
        first = np.flatnonzero(np.diff(run, prepend=-1))
        length = np.append(np.diff(times), times[-1] - times[0] + 1.0)
        spent = np.bincount(run, length)
        counted = np.bincount(run, length / quarter_us)
        times, quarter_us = times[first], spent / counted
    bpm = np.clip(60e6 / quarter_us, 20, 400)
    changes = [
        TempoChange(time_s=float(time_s), bpm=float(one))
        for time_s, one in zip(times[1:].tolist(), bpm[1:].tolist(), strict=True)
        if time_s <= LAST_S
    ][:20000]
    beats, unit = signature
    return Tempo(
        bpm=float(bpm[0]),
        beats_per_bar=min(max(beats, 1), 32),
        beat_unit=unit if unit in (2, 4, 8, 16) else 4,
        bar_one_s=min(bar_one_s, LAST_S),
        changes=changes,
    )


def _notes(
    track: smf.TrackRead,
    place: int,
    starts: NDArray[np.int64],
    times: NDArray[np.float64],
    quarters: NDArray[np.int64],
    per_quarter: int,
    said: list[str],
) -> ReadTrack | None:
    name = next((_text(data) for _, kind, data in track.metas if kind == smf.TRACK_NAME), "")
    tick = track.end_tick
    open_notes: dict[int, list[int]] = {}
    rows: list[list[int]] = []
    kinds = track.message[:, 0] >> 4
    mine = np.nonzero((kinds == 0x8) | (kinds == 0x9))[0]
    for at, (status, note, velocity) in zip(
        track.tick[mine].tolist(), track.message[mine].tolist(), strict=True
    ):
        key = (status & 0xF) << 7 | note
        if status >= 0x90 and velocity > 0:
            open_notes.setdefault(key, []).append(len(rows))
            rows.append([at, -1, note, velocity, (status & 0xF) + 1])
        elif open_notes.get(key):
            rows[open_notes[key].pop(0)][1] = at
    if not rows:
        return None
    table = np.array(rows, np.int64)
    hanging = table[:, 1] < 0
    if hanging.any():
        table[hanging, 1] = tick
        said.append(
            f"{np.count_nonzero(hanging)} notes of “{name or f'track {place}'}” never end; they last to "
            "the end of their track."
        )

    begin, end = (_seconds(table[:, column], starts, times, quarters, per_quarter) for column in (0, 1))
    inside = begin <= LAST_S
    if not inside.all():
        said.append(
            f"{np.count_nonzero(~inside)} notes of “{name or f'track {place}'}” stand later than a day "
            "and were left out."
        )
    order = np.argsort(begin[inside], kind="stable")
    kept = table[inside][order]
    if not len(kept):
        return None
    return ReadTrack(
        name or f"Track {place}",
        begin[inside][order],
        (end - begin)[inside][order],
        kept[:, 2],
        kept[:, 3],
        kept[:, 4],
        kept[:, 0],
    )


def _text(data: bytes) -> str:
    """A name as UTF-8, or as Latin-1 where it is none."""
    try:
        return data.decode("utf-8")
    except UnicodeDecodeError:
        return data.decode("latin-1")
