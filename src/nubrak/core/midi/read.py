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
_TODO = "Export it once more as a Standard MIDI File of format 0 or 1."


@dataclass(frozen=True)
class ReadTrack:
    """The notes of one track, in order of time: ``time_s``, ``length_s``, ``number``, ``velocity``,
    ``channel`` (1 to 16), (n,) each.
    """

    name: str
    time_s: NDArray[np.float64]
    length_s: NDArray[np.float64]
    number: NDArray[np.int64]
    velocity: NDArray[np.int64]
    channel: NDArray[np.int64]


@dataclass(frozen=True)
class ReadMidi:
    """A MIDI file: its tracks that have notes, its tempo, and what was odd about it, a sentence each."""

    tracks: list[ReadTrack]
    tempo: Tempo
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
    starts, times, quarters, signature = _tempo_of(file, per_quarter)
    tracks = []
    for number, track in enumerate(file.tracks, start=1):
        read = _notes(track, number, starts, times, quarters, per_quarter, said)
        if read is not None:
            tracks.append(read)
    return ReadMidi(tracks, _tempo(times, quarters, signature), said)


def _tempo_of(
    file: smf.FileRead, per_quarter: int
) -> tuple[NDArray[np.int64], NDArray[np.float64], NDArray[np.int64], tuple[int, int]]:
    """Ticks, seconds and microseconds per quarter of every tempo, (m,) each, and the first time signature."""
    changes: dict[int, int] = {0: _USUAL_QUARTER_US}
    signature = None
    for track in file.tracks:
        for tick, kind, data in track.metas:
            if kind == smf.SET_TEMPO and len(data) >= 3 and any(data[:3]):
                changes[tick] = int.from_bytes(data[:3], "big")
            elif kind == smf.TIME_SIGNATURE and len(data) >= 2 and signature is None:
                signature = (data[0], 1 << min(data[1], 16))
    ticks = np.array(sorted(changes), np.int64)
    quarters = np.array([changes[tick] for tick in ticks.tolist()], np.int64)
    times = np.concatenate([[0.0], np.cumsum(np.diff(ticks) * quarters[:-1] / 1e6 / per_quarter)])
    return ticks, times, quarters, signature or (4, 4)


def _tempo(times: NDArray[np.float64], quarters: NDArray[np.int64], signature: tuple[int, int]) -> Tempo:
    bpm = np.clip(60e6 / quarters, 20, 400)
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
    name = next((data.decode("latin-1") for _, kind, data in track.metas if kind == smf.TRACK_NAME), "")
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

    def seconds(ticks: NDArray[np.int64]) -> NDArray[np.float64]:
        row = np.searchsorted(starts, ticks, side="right") - 1
        return np.asarray(times[row] + (ticks - starts[row]) * quarters[row] / 1e6 / per_quarter)

    begin, end = seconds(table[:, 0]), seconds(table[:, 1])
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
    )
