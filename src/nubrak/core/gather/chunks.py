"""The chunks of RIFF, RF64 and AIFF files: what a file says of itself before its audio."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO, Literal

_MOST_CHUNKS = 64  # a file that has more before its data is not one a recorder wrote
_NOT_SAID = 0x7FFF0000  # bytes: what a program writes that does not know the length yet is larger
_PLAIN = (1, 3, 0xFFFE)  # format tags of whole numbers, floats, and of either with more said of them
_DS64_BYTES = 24  # of a ds64 chunk: the sizes of the file, of its data, and its frames (EBU Tech 3306)


@dataclass(frozen=True)
class Chunk:
    """One chunk: its four letters, where its body begins, and the size that it says."""

    kind: bytes
    begins: int
    size: int


def chunks_of(file: BinaryIO) -> Iterator[Chunk]:
    """The chunks of an open WAVE or AIFF file in their order; nothing where it is neither.

    The size of a large file's data stands in its ``ds64`` chunk (EBU Tech 3306).
    """
    file.seek(0)
    head = file.read(12)
    order: Literal["little", "big"] = "big" if head[:4] == b"FORM" else "little"
    known = (b"RIFF", b"RF64", b"BW64", b"FORM")
    if head[:4] not in known or head[8:12] not in (b"WAVE", b"AIFF", b"AIFC"):
        return
    at, data_bytes = 12, None
    for _ in range(_MOST_CHUNKS):
        file.seek(at)
        said = file.read(8)
        if len(said) < 8:
            return
        size = int.from_bytes(said[4:8], order)
        if said[:4] == b"ds64" and size >= _DS64_BYTES:
            # No more than is needed: its size may be anything.
            data_bytes = int.from_bytes(file.read(_DS64_BYTES)[8:16], "little")
        if size == 0xFFFFFFFF:
            if data_bytes is None:
                return
            size = data_bytes
        yield Chunk(said[:4], at + 8, size)
        at += 8 + size + size % 2


def promised_frames(path: Path) -> int | None:
    """How many frames the header of a WAVE or AIFF file promises; None where it does not say."""
    with path.open("rb") as file:
        frame_bytes = 0
        for chunk in chunks_of(file):
            file.seek(chunk.begins)
            if chunk.kind == b"COMM":
                # AIFF 1.3: channels, then frames, as a number of four bytes.
                return int.from_bytes(file.read(6)[2:6], "big") or None
            if chunk.kind == b"fmt ":
                said = file.read(14)
                # Of packed audio a block is no frame.
                plain = int.from_bytes(said[:2], "little") in _PLAIN
                frame_bytes = int.from_bytes(said[12:14], "little") if plain else 0
            if chunk.kind == b"data":
                known = frame_bytes > 0 and chunk.size > 0
                large = chunk.size >= _NOT_SAID and chunk.begins + chunk.size > path.stat().st_size
                return chunk.size // frame_bytes if known and not large else None
    return None
