"""Connections that send half a request and then nothing, or hardly anything, are closed in time; requests
whose words would fill the memory are turned away.
"""

from __future__ import annotations

import asyncio
import re
from typing import Any

from starlette.datastructures import Headers
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send
from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol

MOST_JSON_BYTES = 64_000_000  # of a request that is read whole: many times a session's every note
# What is streamed to disk as it comes, and counted there.
_STREAMED = re.compile(
    r"/(sources|samples|samples/files|samples/several|samples/zip|archives|hits|note-map|midi/\w+|tempo/midi)$"
)


class Patient(HttpToolsProtocol):
    """uvicorn's protocol with an end to its patience."""

    HEAD_S = 20.0  # from a request's first byte, or the connection's begin, to the end of its head
    STALL_S = 30.0  # in which a body must have gone on
    LEAST_BYTES = 1024  # by so much; over the loopback address no upload is slower
    MOST_HEAD_BYTES = 64 << 10

    def __init__(self, *arguments: Any, **named: Any) -> None:
        super().__init__(*arguments, **named)
        self._timer: asyncio.TimerHandle | None = None
        self._in_head, self._head_bytes, self._body_bytes = True, 0, 0

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        super().connection_made(transport)
        self._in(self.HEAD_S, self._give_up)

    def connection_lost(self, exc: Exception | None) -> None:
        self._stop()
        super().connection_lost(exc)

    def data_received(self, data: bytes) -> None:
        if self._in_head:
            self._head_bytes += len(data)
        else:
            self._body_bytes += len(data)
        super().data_received(data)
        if self._in_head and self._head_bytes > self.MOST_HEAD_BYTES:
            self.send_400_response("This request has more words before it than any page sends.")

    def on_message_begin(self) -> None:
        super().on_message_begin()
        self._in_head, self._head_bytes = True, 0
        self._in(self.HEAD_S, self._give_up)

    def on_headers_complete(self) -> None:
        super().on_headers_complete()
        self._in_head, self._body_bytes = False, 0
        self._in(self.STALL_S, self._still_coming)

    def on_message_complete(self) -> None:
        self._stop()
        self._in_head, self._head_bytes = True, 0
        super().on_message_complete()

    def _still_coming(self) -> None:
        # Where the server is the slow one it has stopped reading by itself.
        if self._body_bytes < self.LEAST_BYTES and not self.flow.read_paused:
            return self._give_up()
        self._body_bytes = 0
        self._in(self.STALL_S, self._still_coming)

    def _give_up(self) -> None:
        self.transport.close()

    def _in(self, seconds: float, do: Any) -> None:
        self._stop()
        self._timer = self.loop.call_later(seconds, do)

    def _stop(self) -> None:
        if self._timer is not None:
            self._timer.cancel()
            self._timer = None


class OfASize:
    """Middleware that turns away a request read whole that is larger than any that can be meant."""

    def __init__(self, app: ASGIApp, most_bytes: int = MOST_JSON_BYTES) -> None:
        self.app, self.most = app, most_bytes

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or _STREAMED.search(scope["path"]):
            return await self.app(scope, receive, send)
        promised = Headers(scope=scope).get("content-length", "")
        if promised.isascii() and promised.isdecimal() and int(promised[:20]) > self.most:
            said = {
                "what": f"A request of more than {self.most / 1e6:.0f} MB is none that can be meant.",
                "kept": "Nothing was changed.",
                "todo": "Do it in smaller steps.",
            }
            return await JSONResponse(said, 413)(scope, receive, send)
        count = 0

        async def counting() -> Message:
            nonlocal count
            message = await receive()
            count += len(message.get("body", b""))
            if count > self.most:
                raise ValueError("a body that never ends")
            return message

        await self.app(scope, counting, send)
