"""The Broadcast Wave chunk (EBU Tech 3285): a WAV file that says where on the day's time line it begins."""

from __future__ import annotations

import struct
from pathlib import Path

_SIZE = 602  # version 1, without coding history
_MOST_SAMPLES = 1 << 64  # the time reference is a number of 64 bits (EBU Tech 3285)
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
    """Add the chunk to the end of a finished WAV or RF64 file and set its length; what was written before is
    left as it is.
    """
    added = chunk(time_reference_samples, description)
    with path.open("r+b") as file:
        head = file.read(16)
        if head[:4] not in (b"RIFF", b"RF64") or head[8:12] != b"WAVE":
            raise ValueError("only a RIFF or RF64 WAVE file takes a broadcast chunk")
        large = head[:4] == b"RF64"
        if large and head[12:] != b"ds64":
            raise ValueError("an RF64 file begins with a ds64 chunk (EBU Tech 3306)")
        file.seek(0, 2)
        size = file.tell()
        file.write(bytes(size % 2) + added)
        whole = size + size % 2 + len(added) - 8
        # A large file keeps its true length in the first field of its ds64 chunk.
        file.seek(_RF64_LENGTH_AT if large else 4)
        file.write(struct.pack("<Q" if large else "<I", whole))


def _ascii(text: str, size: int) -> bytes:
    return text.encode("ascii", "replace")[:size].ljust(size, b"\0")
