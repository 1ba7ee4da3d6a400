"""Bytes of Standard MIDI Files (RP-001): chunks, variable-length quantities, events in order of time; whole
columns at once.
"""

from __future__ import annotations

import struct
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nubrak.core.problem import Problem

TRACK_NAME, SET_TEMPO, TIME_SIGNATURE = 0x03, 0x51, 0x58  # types of meta events (Standard MIDI Files 1.0)
MOST_TICKS = (1 << 28) - 1  # the longest delta-time four bytes hold
_END_OF_TRACK = b"\x00\xff\x2f\x00"
Meta = tuple[int, bytes]  # its tick, its bytes from FF on


def header(form: int, tracks: int, per_quarter: int) -> bytes:
    """The header chunk."""
    return b"MThd" + struct.pack(">IHHH", 6, form, tracks, per_quarter)


def variable_length(values: NDArray[np.int64]) -> tuple[NDArray[np.uint8], NDArray[np.int64]]:
    """Numbers (n,) as variable-length quantities: bytes (n, 4), aligned to the right, and how many of each
    count, (n,).
    """
    groups = np.stack([values >> shift & 0x7F for shift in (21, 14, 7, 0)], axis=1).astype(np.uint8)
    groups[:, :3] |= 0x80
    return groups, 1 + (values >= 1 << 7).astype(np.int64) + (values >= 1 << 14) + (values >= 1 << 21)


def track_chunk(
    metas: Sequence[Meta], tick: NDArray[np.int64], ending: NDArray[np.bool_], message: NDArray[np.uint8]
) -> bytes:
    """A track chunk: ``metas`` and channel messages, (n, 3) bytes at ``tick`` (n,).

    At one tick metas come first, then what is ``ending`` (n,), then what begins; else the order given stands.
    A status byte that goes on from the message before is left out (running status). Raises ``Problem`` where
    a pause is longer than the format can say.
    """
    count = len(metas)
    ticks = np.concatenate([np.array([at for at, _ in metas], np.int64), tick])
    rank = np.concatenate([np.zeros(count, np.int64), np.where(ending, 1, 2)])
    order = np.lexsort((np.arange(len(ticks)), rank, ticks))
    delta = np.diff(ticks[order], prepend=0)
    if len(delta) and int(delta.max()) > MOST_TICKS:
        raise Problem(
            "A pause in this session is longer than a MIDI file can say.",
            "Nothing was written.",
            "Choose fewer ticks per quarter, or print a region.",
        )
    pauses, pause_size = variable_length(delta)
    is_message = order >= count
    status = np.zeros(len(order), np.int64)  # of a meta event none, which ends running status
    status[is_message] = message[order[is_message] - count, 0]
    runs_on = is_message & (status == np.concatenate([[0], status[:-1]]))
    size = np.where(is_message, 3 - runs_on, 0)
    size[~is_message] = [len(metas[which][1]) for which in order[~is_message].tolist()]
    begins = np.cumsum(pause_size + size) - size  # where each event's own bytes begin
    body = np.zeros(int((pause_size + size).sum()), np.uint8)
    for place in range(4):
        there = pause_size > 3 - place
        body[begins[there] - 4 + place] = pauses[there, place]
    data = message[order[is_message] - count]
    body[(begins + size)[is_message, None] + np.arange(-2, 0)] = data[:, 1:]
    says = is_message & ~runs_on
    body[begins[says]] = status[says]
    for at, which in zip(begins[~is_message].tolist(), order[~is_message].tolist(), strict=True):
        data = metas[which][1]
        body[at : at + len(data)] = np.frombuffer(data, np.uint8)
    return b"MTrk" + struct.pack(">I", len(body) + len(_END_OF_TRACK)) + body.tobytes() + _END_OF_TRACK


@dataclass(frozen=True)
class TrackRead:
    """One track: its channel messages, status and two data bytes (n, 3) at ``tick`` (n,), and its meta events
    (tick, type, bytes).
    """

    tick: NDArray[np.int64]
    message: NDArray[np.int64]
    metas: list[tuple[int, int, bytes]]
    end_tick: int


@dataclass(frozen=True)
class FileRead:
    """A file as it is written: format, division, tracks."""

    form: int
    division: int
    tracks: list[TrackRead]


class Damaged(ValueError):
    """What is wrong with a file, in a few words."""


def read_file(data: bytes) -> FileRead:
    """The events of a file. Chunks of other kinds are passed over, as the standard asks; ``Damaged`` where it
    does not hold together.
    """
    if len(data) < 14:
        raise Damaged("its header is cut off")
    size, form, _, division = struct.unpack(">IHHH", data[4:14])
    at = 8 + size
    tracks = []
    while at + 8 <= len(data):
        kind, size = data[at : at + 4], int.from_bytes(data[at + 4 : at + 8], "big")
        at += 8
        if at + size > len(data):
            raise Damaged("its last track is cut off" if kind == b"MTrk" else "it is cut off")
        if kind == b"MTrk":
            tracks.append(_read_track(data[at : at + size]))
        at += size
    if not tracks:
        raise Damaged("it has no track")
    return FileRead(form, division, tracks)


def _read_track(body: bytes) -> TrackRead:
    """One pass over the bytes of a track."""
    try:
        return _events(body)
    except IndexError:
        raise Damaged("a track ends in the middle of an event") from None


def _events(body: bytes) -> TrackRead:
    tick, status, at, count = 0, 0, 0, len(body)
    ticks: list[int] = []
    messages: list[tuple[int, int, int]] = []
    metas: list[tuple[int, int, bytes]] = []
    while at < count:
        pause, at = _number(body, at)
        tick += pause
        byte = body[at]
        if byte >= 0x80:
            at += 1
            if byte in (0xF0, 0xF7):
                size, at = _number(body, at)
                at += size
                continue
            if byte == 0xFF:
                kind = body[at]
                size, at = _number(body, at + 1)
                if at + size > count:
                    raise Damaged("a track ends in the middle of an event")
                metas.append((tick, kind, body[at : at + size]))
                at += size
                continue
            if byte > 0xF0:
                raise Damaged(f"a track holds the byte {byte:02X}, which no file may")
            status = byte
        elif not status:
            raise Damaged("a track goes on from a status that it never gave")
        ticks.append(tick)
        if 0xC0 <= status < 0xE0:
            messages.append((status, body[at], 0))
            at += 1
        else:
            messages.append((status, body[at], body[at + 1]))
            at += 2
    if at > count:
        raise Damaged("a track ends in the middle of an event")
    # A data byte is of seven bits; what is larger is taken for the largest.
    table = np.array(messages, np.int64).reshape(-1, 3)
    table[:, 1:] = np.minimum(table[:, 1:], 127)
    return TrackRead(np.array(ticks, np.int64), table, metas, tick)


def _number(body: bytes, at: int) -> tuple[int, int]:
    """A variable-length quantity and where what follows it begins."""
    byte = body[at]
    if byte < 0x80:
        return byte, at + 1
    number = byte & 0x7F
    for place in range(at + 1, at + 4):
        byte = body[place]
        number = number << 7 | byte & 0x7F
        if byte < 0x80:
            return number, place + 1
    raise Damaged("a number in it has more than four bytes")
