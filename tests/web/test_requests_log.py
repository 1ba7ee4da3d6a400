"""Each request in the log, with how it ended."""

from __future__ import annotations

import asyncio

import pytest
from starlette.types import Message, Receive, Scope, Send
from structlog.testing import capture_logs

from nubrak.web.requests_log import LogRequests


def logged(path: str, kind: str = "http", fails: bool = False) -> list[dict]:
    async def app(scope: Scope, receive: Receive, send: Send) -> None:
        if fails:
            raise RuntimeError("a wire is loose")
        await send({"type": "http.response.start", "status": 201})

    async def nothing(*_: object) -> Message:
        return {"type": "http.request"}

    with capture_logs() as lines:
        try:
            scope = {"type": kind, "method": "POST", "path": path}
            asyncio.run(LogRequests(app)(scope, nothing, nothing))  # type: ignore[arg-type]
        except RuntimeError:
            assert fails
    return [dict(line) for line in lines]


def test_a_request_is_logged_with_its_end_and_how_long_it_took() -> None:
    (line,) = logged("/api/sessions")
    assert (line["method"], line["path"], line["status"]) == ("POST", "/api/sessions", 201)
    assert line["took_ms"] >= 0 and line["log_level"] == "info"


@pytest.mark.parametrize(("path", "kind"), [("/api/events", "http"), ("/api/sessions", "websocket")])
def test_what_lasts_as_long_as_a_window_is_not(path: str, kind: str) -> None:
    assert logged(path, kind) == []


def test_what_is_asked_at_every_step_of_a_drag_is_logged_only_where_it_is_slow(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    assert logged("/api/sessions/a/parts/b/decisions") == []
    monkeypatch.setattr("nubrak.web.requests_log._SLOW_MS", 0.0)
    assert len(logged("/api/sessions/a/parts/b/decisions")) == 1


def test_what_nobody_expected_is_logged_with_where_it_was_and_goes_on() -> None:
    (line,) = logged("/api/sessions", fails=True)
    assert line["log_level"] == "error" and line["path"] == "/api/sessions"
