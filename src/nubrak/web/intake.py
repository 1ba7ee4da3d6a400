"""Taking a file in: streamed to disk, looked at, stored whole or not at all."""

from __future__ import annotations

import os
import tempfile
from contextlib import suppress
from pathlib import Path

from fastapi import Request
from sqlalchemy import Engine
from starlette.concurrency import run_in_threadpool
from starlette.requests import ClientDisconnect

from nubrak.core.problem import Problem
from nubrak.core.read import AudioFacts, inspect
from nubrak.store.audio import put_audio

MOST_BYTES = 16 << 30


async def take_in(request: Request, engine: Engine, folder: Path, name: str) -> tuple[str, AudioFacts]:
    """The request's body as a stored audio file: its hash and facts. A ``Problem`` where it is cut off or not audio."""
    promised = request.headers.get("content-length")
    handle, draft = tempfile.mkstemp(dir=folder, suffix=".upload")
    received = 0
    try:
        with os.fdopen(handle, "wb") as file:
            try:
                async for block in request.stream():
                    received += len(block)
                    if received > MOST_BYTES:
                        raise Problem(f"“{name}” is larger than {MOST_BYTES >> 30} GiB.", todo="Cut it into shorter files.")
                    await run_in_threadpool(file.write, block)
            except ClientDisconnect as cut:
                raise Problem(f"The upload of “{name}” was cut off after {received} bytes.", todo="Drop the file once more.") from cut
        if promised is not None and received != int(promised):
            raise Problem(f"The upload of “{name}” was cut off after {received} of {promised} bytes.", todo="Drop the file once more.")
        facts = await run_in_threadpool(inspect, Path(draft), name)
        return await run_in_threadpool(put_audio, engine, Path(draft), name, facts), facts
    finally:
        with suppress(FileNotFoundError):
            Path(draft).unlink()
