"""Each request in the log, with how it ended and how long it took."""

from __future__ import annotations

import time

import structlog
from starlette.types import ASGIApp, Message, Receive, Scope, Send

log = structlog.get_logger("nubrak.requests")
_LASTING = "/events"  # open for as long as a window is
_OFTEN = ("/decisions", "/shape")  # asked at every step of whatever is dragged, and worth a line where slow
_SLOW_MS = 250.0


class LogRequests:
    """Middleware that logs every request when it is over, and what it did not expect with where it was."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            return await self.app(scope, receive, send)
        begun, status = time.perf_counter(), 0

        async def noting(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
            await send(message)

        about = {"method": scope["method"], "path": scope["path"]}
        try:
            await self.app(scope, receive, noting)
        except Exception:
            log.exception("a request ended unexpectedly", **about)
            raise
        took_ms = round(1000 * (time.perf_counter() - begun), 1)
        often = scope["path"].endswith(_OFTEN) and status < 300 and took_ms < _SLOW_MS
        if not often and not scope["path"].endswith(_LASTING):
            log.info("request", **about, status=status, took_ms=took_ms)
