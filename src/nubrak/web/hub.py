"""News for open windows: one listening connection per process, handed on to every window."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator
from contextlib import suppress

import psycopg

from nubrak.store.revisions import Revisions
from nubrak.store.sessions import CHANNEL


class Hub:
    """Listens to the database and gives each message to all who subscribe."""

    def __init__(self, url: str, revisions: Revisions | None = None) -> None:
        self._url = url
        self._revisions = revisions or Revisions()
        self._windows: set[asyncio.Queue[str]] = set()
        self._task: asyncio.Task[None] | None = None

    def start(self) -> None:
        """Begin to listen."""
        self._task = asyncio.create_task(self._listen())

    async def stop(self) -> None:
        """Stop listening."""
        if self._task:
            self._task.cancel()
            with suppress(asyncio.CancelledError):
                await self._task

    async def news(self) -> AsyncIterator[str]:
        """Messages as they come, such as ``session ID REVISION`` and ``audio HASH SHARE``; the first is
        always ``again``.

        A window reads the session and then begins to listen; what happened between the two, and while a lost
        connection was away, it hears of by reading once more.
        """
        window: asyncio.Queue[str] = asyncio.Queue(maxsize=1000)
        window.put_nowait("again")
        self._windows.add(window)
        try:
            while True:
                yield await window.get()
        finally:
            self._windows.discard(window)

    async def _listen(self) -> None:
        while True:
            try:
                async with await psycopg.AsyncConnection.connect(self._url, autocommit=True) as connection:
                    await connection.execute(f"LISTEN {CHANNEL}")
                    self._revisions.begin()
                    # What was missed while the connection was away, windows ask for themselves.
                    self._tell("again")
                    async for notice in connection.notifies():
                        self._heard(notice.payload)
                        self._tell(notice.payload)
            except psycopg.Error:
                pause_s = 0.5
            else:
                pause_s = 0.0
            finally:
                self._revisions.end()
            await asyncio.sleep(pause_s)

    def _heard(self, message: str) -> None:
        kind, _, rest = message.partition(" ")
        if kind == "session":
            session_id, _, revision = rest.rpartition(" ")
            self._revisions.reached(session_id, int(revision))

    def _tell(self, message: str) -> None:
        for window in tuple(self._windows):
            behind = window.full()
            # One that fell far behind reads everything once instead of every step; the others do not.
            while behind and not window.empty():
                window.get_nowait()
            window.put_nowait("again" if behind else message)
