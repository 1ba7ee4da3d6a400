"""Odd inputs made from whole ones, so that what stands in front of the odd place is as it should be: lengths
and checksums around it are put right again.
"""

from __future__ import annotations

import copy
import io
import json
import re
import struct
import zipfile
from collections.abc import Callable
from typing import Any

import numpy as np

_NUMBERS = (
    0, 1, -1, 2, 7, 127, 128, 255, 256, 32767, 65535, 2**31 - 1, 2**31, 2**32 - 1, 2**63, 10**30, 10**400
)  # fmt: skip
_ODD_VALUES: tuple[Any, ...] = (
    None, True, "", "\0", "a" * 5000, [], {}, [[]], 1e308, -1e308, 1e-320, float("nan"), float("inf"),
    *_NUMBERS,
)  # fmt: skip
_ODD_WORDS = (
    "", "\0", "nan", "inf", "-1", "1e999", "9" * 5000, "/*", "*/", "<", ">", "<region>", "<group>", "=",
    '"', ",", "\r", "\n", "../../x.wav", "/etc/x", "é\u0301", "\ufeff", '#include "x"', "#define $A $A",
    "$A", "١٢٣",
)  # fmt: skip


def any_bytes(data: bytes, rng: np.random.Generator) -> bytes:
    """Some bytes changed, cut out, put in twice, or the end cut off."""
    out = bytearray(data)
    for _ in range(int(rng.integers(1, 5))):
        if not out:
            break
        at, kind = int(rng.integers(len(out))), int(rng.integers(6))
        if kind == 0:
            out[at] = int(rng.integers(256))
        elif kind == 1:
            out[at] ^= 1 << int(rng.integers(8))
        elif kind == 2:
            out[at : at + 4] = struct.pack("<I", int(rng.choice([0, 1, 0x7FFFFFFF, 0xFFFFFFFF, 0x80000000])))
        elif kind == 3:
            del out[at : at + int(rng.integers(1, 64))]
        elif kind == 4:
            out[at:at] = out[at : at + int(rng.integers(1, 64))]
        else:
            del out[at:]
    return bytes(out)


def chunked(order: str) -> Callable[[bytes, np.random.Generator], bytes]:
    """RIFF and IFF files: one chunk's inside is changed, or chunks change places or come twice, and all
    lengths are put right again; now and then one length is not.
    """

    def change(data: bytes, rng: np.random.Generator) -> bytes:
        if data[:4] not in (b"RIFF", b"FORM", b"RF64"):
            return any_bytes(data, rng)
        chunks, at = [], 12
        while at + 8 <= len(data):
            size = struct.unpack(f"{order}I", data[at + 4 : at + 8])[0]
            chunks.append((data[at : at + 4], data[at + 8 : at + 8 + size]))
            at += 8 + size + size % 2
        if not chunks:
            return any_bytes(data, rng)
        for _ in range(int(rng.integers(1, 4))):
            one = int(rng.integers(len(chunks)))
            kind = int(rng.integers(5))
            if kind <= 2:
                chunks[one] = (chunks[one][0], any_bytes(chunks[one][1], rng))
            elif kind == 3:
                chunks.insert(int(rng.integers(len(chunks) + 1)), chunks[one])
            else:
                chunks.append(chunks.pop(one))
        body = b""
        for name, inside in chunks:
            size = len(inside) if rng.random() > 0.1 else int(rng.choice([0, 1, 0xFFFFFFFF, len(inside) * 2]))
            body += name + struct.pack(f"{order}I", size & 0xFFFFFFFF) + inside + b"\0" * (len(inside) % 2)
        return data[:4] + struct.pack(f"{order}I", len(body) + 4) + data[8:12] + body

    return change


def _crc(data: bytes, polynomial: int, bits: int) -> int:
    value = 0
    for byte in data:
        value ^= byte << (bits - 8)
        for _ in range(8):
            value = ((value << 1) ^ polynomial) if value >> (bits - 1) & 1 else value << 1
            value &= (1 << bits) - 1
    return value


def flac(data: bytes, rng: np.random.Generator) -> bytes:
    """A metadata block or the inside of a frame is changed; checksums of frames are put right again (RFC
    9639, 9.1.8 and 9.3).
    """
    blocks, at, last = [], 4, False
    while not last:
        last = bool(data[at] & 0x80)
        size = int.from_bytes(data[at + 1 : at + 4], "big")
        blocks.append((data[at] & 0x7F, data[at + 4 : at + 4 + size]))
        at += 4 + size
    frames = re.split(rb"(?=\xff\xf8)", data[at:])
    frames = [frame for frame in frames if frame]
    if rng.random() < 0.4:
        one = int(rng.integers(len(blocks)))
        inside = any_bytes(blocks[one][1], rng)
        blocks[one] = (blocks[one][0], inside if one else inside[:34].ljust(34, b"\0"))
        if rng.random() < 0.3:
            blocks.append((int(rng.integers(127)), bytes(rng.integers(0, 256, 40, np.uint8))))
    else:
        one = int(rng.integers(len(frames)))
        frame = bytearray(any_bytes(frames[one], rng))
        if len(frame) > 8:
            frame[0:2] = b"\xff\xf8"
            head = 5 if rng.random() < 0.8 else 6
            frame[head] = _crc(bytes(frame[:head]), 0x07, 8)
            frame[-2:] = _crc(bytes(frame[:-2]), 0x8005, 16).to_bytes(2, "big")
        frames[one] = bytes(frame)
    out = b"fLaC"
    for number, (kind, inside) in enumerate(blocks):
        ends = 0x80 if number == len(blocks) - 1 else 0
        out += bytes([kind | ends]) + (len(inside) & 0xFFFFFF).to_bytes(3, "big") + inside
    return out + b"".join(frames)


def _ogg_crc(page: bytes) -> int:
    value = 0
    for byte in page:
        value ^= byte << 24
        for _ in range(8):
            value = ((value << 1) ^ 0x04C11DB7 if value & 0x80000000 else value << 1) & 0xFFFFFFFF
    return value


def ogg(data: bytes, rng: np.random.Generator) -> bytes:
    """The inside of a page is changed and its checksum put right again (RFC 3533, 6)."""
    pages = [b"OggS" + page for page in data.split(b"OggS")[1:]]
    one = int(rng.integers(len(pages)))
    page = bytearray(pages[one])
    for _ in range(int(rng.integers(1, 6))):
        at = int(rng.integers(5, len(page)))
        page[at] = int(rng.integers(256))
    page[22:26] = b"\0\0\0\0"
    page[22:26] = struct.pack("<I", _ogg_crc(bytes(page)))
    pages[one] = bytes(page)
    if rng.random() < 0.1:
        pages.append(pages.pop(one))
    return b"".join(pages)


def midi(data: bytes, rng: np.random.Generator) -> bytes:
    """The head's numbers or the inside of a track is changed; lengths are put right again."""
    tracks, at = [], 14
    while at + 8 <= len(data):
        size = int.from_bytes(data[at + 4 : at + 8], "big")
        tracks.append(data[at + 8 : at + 8 + size])
        at += 8 + size
    head = bytearray(data[8:14])
    if rng.random() < 0.2:
        head[int(rng.integers(6))] = int(rng.integers(256))
    one = int(rng.integers(len(tracks)))
    tracks[one] = any_bytes(tracks[one], rng)
    out = b"MThd" + (6).to_bytes(4, "big") + bytes(head)
    for track in tracks:
        size = len(track) if rng.random() > 0.05 else int(rng.integers(1 << 32))
        out += b"MTrk" + size.to_bytes(4, "big") + track
    return out


def words(data: bytes, rng: np.random.Generator) -> bytes:
    """Words and numbers of a text change places, are replaced by odd ones, or come many times."""
    parts = re.split(r"([=,\s<>]+)", data.decode("utf-8", "replace"))
    for _ in range(int(rng.integers(1, 6))):
        at, kind = int(rng.integers(len(parts))), int(rng.integers(5))
        if kind == 0:
            parts[at] = str(rng.choice(np.array(_ODD_WORDS, dtype=object)))
        elif kind == 1:
            parts[at] = str(_NUMBERS[int(rng.integers(len(_NUMBERS)))])
        elif kind == 2:
            parts.insert(at, parts[int(rng.integers(len(parts)))])
        elif kind == 3 and sum(map(len, parts)) < 100_000:
            parts[at] *= int(rng.choice([2, 50, 500]))
        else:
            del parts[at]
            if not parts:
                break
    text = "".join(parts).encode("utf-8", "replace")
    return any_bytes(text, rng) if rng.random() < 0.2 else text


def json_values(data: bytes, rng: np.random.Generator) -> bytes:
    """A value somewhere in a JSON text becomes an odd one, goes, comes twice, or is wrapped."""
    tree = json.loads(data)
    for _ in range(int(rng.integers(1, 4))):
        _change(tree, rng)
    text = json.dumps(tree)
    if rng.random() < 0.05:
        text = "[" * 20000 + text
    return text.encode()


def _change(tree: Any, rng: np.random.Generator) -> None:
    here = tree
    while True:
        keys = list(here) if isinstance(here, dict) else list(range(len(here)))
        if not keys:
            return
        key = keys[int(rng.integers(len(keys)))]
        inner = here[key]
        if isinstance(inner, dict | list) and inner and rng.random() < 0.85:
            here = inner
            continue
        kind = int(rng.integers(4))
        if kind == 0 and isinstance(here, dict):
            del here[key]
        elif kind == 1 and isinstance(here, dict):
            here[str(_ODD_WORDS[int(rng.integers(len(_ODD_WORDS)))])] = inner
        elif kind == 2:
            here[key] = [inner]
        else:
            here[key] = copy.deepcopy(_ODD_VALUES[int(rng.integers(len(_ODD_VALUES)))])
        return


def archive(data: bytes, rng: np.random.Generator) -> bytes:
    """The document, the names or the audio of an archive is changed and packed again as it should be; now and
    then the zip itself is changed.
    """
    if rng.random() < 0.2:
        return any_bytes(data, rng)
    with zipfile.ZipFile(io.BytesIO(data)) as files:
        entries = [(name, files.read(name)) for name in files.namelist()]
    one = int(rng.integers(len(entries)))
    name, inside = entries[one]
    kind = rng.random()
    if kind < 0.75:
        entries[0] = (entries[0][0], json_values(entries[0][1], rng))
    elif kind < 0.85:
        entries[one] = (name, any_bytes(inside, rng))
    else:
        entries[one] = (str(_ODD_WORDS[int(rng.integers(len(_ODD_WORDS)))]) + name, inside)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as files:
        for name, inside in entries:
            info = zipfile.ZipInfo(name.replace("\0", "0") or "x")
            info.compress_type = zipfile.ZIP_DEFLATED if rng.random() < 0.9 else zipfile.ZIP_STORED
            files.writestr(info, inside)
    packed = bytearray(out.getvalue())
    if rng.random() < 0.1:
        # A length that the directory gives wrongly (PKWARE, APPNOTE 4.3.12).
        at = packed.rfind(b"PK\x01\x02")
        packed[at + 24 : at + 28] = struct.pack("<I", int(rng.integers(1 << 32)))
    return bytes(packed)
