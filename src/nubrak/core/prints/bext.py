"""The Broadcast Wave chunk (EBU Tech 3285): a WAV file that says where on the day's time line it begins."""

from __future__ import annotations

import struct
from pathlib import Path
from typing import BinaryIO

_SIZE = 602  # version 1, without coding history
_MOST_SAMPLES = 1 << 64  # the time reference is a number of 64 bits (EBU Tech 3285)
_BLOCK_BYTES = 1 << 23  # moved at once
_RF64_LENGTH_AT = 20  # after the header and the head of ds64 (EBU Tech 3306)


def chunk(
    time_reference_samples: int, description: str, originator: str = "Nubrak", date: str = "", time: str = ""
) -> bytes:
    """A ``bext`` chunk of version 1 with its header; ``date`` as yyyy-mm-dd, ``time`` as hh:mm:ss, empty
    where they are not known.
    """
    body = b"".join(
        (
            _ascii(description, 256),
            _ascii(originator, 32),
            _ascii("", 32),
            _ascii(date, 10),
            _ascii(time, 8),
            struct.pack("<QH", time_reference_samples % _MOST_SAMPLES, 1),
            bytes(64 + 190),
        )
    )
    assert len(body) == _SIZE
    return b"bext" + struct.pack("<I", _SIZE) + body


def stamp(path: Path, time_reference_samples: int, description: str) -> None:
    """Put the chunk before the audio of a finished WAV or RF64 file and set its length; all else is left as
    it is. Programs that read no further than the audio find it there.
    """
    added = chunk(time_reference_samples, description)
    with path.open("r+b") as file:
        head = file.read(20)
        if head[:4] not in (b"RIFF", b"RF64") or head[8:12] != b"WAVE":
            raise ValueError("only a RIFF or RF64 WAVE file takes a broadcast chunk")
        large = head[:4] == b"RF64"
        if large and head[12:16] != b"ds64":
            raise ValueError("an RF64 file begins with a ds64 chunk (EBU Tech 3306)")
        # After the form type; of a large file after its ds64 chunk, which stays the first.
        place = 20 + int.from_bytes(head[16:20], "little") if large else 12
        size = _move_on(file, place, len(added))
        file.seek(place)
        file.write(added)
        # A large file keeps its true length in the first field of its ds64 chunk.
        file.seek(_RF64_LENGTH_AT if large else 4)
        file.write(struct.pack("<Q" if large else "<I", size - 8))


def _move_on(file: BinaryIO, place: int, by: int) -> int:
    """Move what stands behind a place by so many bytes, from the end on; how long the file is then."""
    end = file.seek(0, 2)
    at = end
    while at > place:
        begin = max(at - _BLOCK_BYTES, place)
        file.seek(begin)
        block = file.read(at - begin)
        file.seek(begin + by)
        file.write(block)
        at = begin
    return end + by


def _ascii(text: str, size: int) -> bytes:
    return text.encode("ascii", "replace")[:size].ljust(size, b"\0")
