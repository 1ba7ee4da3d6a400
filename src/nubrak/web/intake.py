"""Taking a file in: streamed to disk, looked at, stored whole or not at all."""

from __future__ import annotations

import os
import tempfile
from contextlib import suppress
from pathlib import Path

from fastapi import Request
from starlette.concurrency import run_in_threadpool
from starlette.requests import ClientDisconnect

from nubrak.core.gather import AudioFacts, inspect
from nubrak.core.problem import Problem, disk_is_full
from nubrak.desk.desk import Desk
from nubrak.store.audio import put_audio

MOST_BYTES = 16 << 30  # a day of stereo at 96 kHz in 24 bits


async def take_in(request: Request, desk: Desk, name: str) -> tuple[str, AudioFacts]:
    """The request's body as a stored audio file: its hash and facts. A ``Problem`` where it is cut off or is
    not audio.
    """
    handle, draft = tempfile.mkstemp(dir=desk.uploads, suffix=".upload")
    os.close(handle)
    try:
        await received(request, Path(draft), name)
        facts = await run_in_threadpool(inspect, Path(draft), name)
        return await run_in_threadpool(put_audio, desk.engine, Path(draft), name, facts), facts
    finally:
        with suppress(FileNotFoundError):
            Path(draft).unlink()


async def received(request: Request, path: Path, name: str) -> None:
    """The request's body to a file, block by block. A ``Problem`` where it is cut off, too large, or where
    there is no room for it.
    """
    promised = request.headers.get("content-length")
    count = 0
    try:
        with path.open("wb") as file:
            async for block in request.stream():
                count += len(block)
                if count > MOST_BYTES:
                    raise Problem(
                        f"“{name}” is larger than {MOST_BYTES >> 30} GiB.", todo="Cut it into shorter files."
                    )
                await run_in_threadpool(file.write, block)
    except ClientDisconnect as cut:
        raise Problem(
            f"The upload of “{name}” was cut off after {count} bytes.", todo="Drop the file once more."
        ) from cut
    except OSError as error:
        if not disk_is_full(error):
            raise
        raise Problem(
            f"The disk is full; “{name}” could not be taken in.",
            todo="Make room and drop the file once more.",
            kind="full",
        ) from error
    if promised is not None and promised.isascii() and promised.isdecimal() and count != int(promised):
        raise Problem(
            f"The upload of “{name}” was cut off after {count} of {promised} bytes.",
            todo="Drop the file once more.",
        )


async def body_of(request: Request, most: int) -> bytes:
    """The request's body, as far as it is of a size that can be meant."""
    out = bytearray()
    async for chunk in request.stream():
        out += chunk
        if len(out) > most:
            raise Problem(
                f"This file has more than {most / 1e6:.0f} MB; no such file of drums is that large.",
                "Nothing was changed.",
                "Choose the file itself.",
            )
    return bytes(out)
