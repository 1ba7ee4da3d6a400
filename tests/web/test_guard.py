"""Only this machine's own pages may talk to the server."""

from __future__ import annotations

import asyncio

import pytest
from starlette.types import Message, Receive, Scope, Send

from nubrak.web.guard import LocalOnly
from tests.web.conftest import Browser


def status_of(kind: str, headers: dict[str, str]) -> int:
    """How a request with these headers ends behind the guard; 200 where it passes."""
    sent: list[Message] = []

    async def app(scope: Scope, receive: Receive, send: Send) -> None:
        await send({"type": "http.response.start", "status": 200, "headers": []})

    async def receive() -> Message:
        return {"type": "http.request"}

    async def send(message: Message) -> None:
        sent.append(message)

    named = [(name.encode(), value.encode()) for name, value in headers.items() if name != "path"]
    scope = {"type": kind, "headers": named, "path": headers.get("path", "/api/sessions")}
    asyncio.run(LocalOnly(app)(scope, receive, send))
    return int(sent[0]["status"])


@pytest.mark.parametrize(
    ("headers", "status"),
    [
        ({"host": "127.0.0.1:8137"}, 200),
        ({"host": "localhost:8137", "origin": "http://localhost:8137"}, 200),
        ({"host": "[::1]:8137"}, 200),
        ({"Host": "LOCALHOST:8137"}, 200),
        ({}, 403),
        ({"host": "puppets.example"}, 403),
        ({"host": "127.0.0.1.puppets.example"}, 403),
        ({"host": "localhost@puppets.example"}, 403),
        ({"host": "[::1"}, 403),
        ({"host": "127.0.0.1:8137", "origin": "http://puppets.example"}, 403),
        ({"host": "127.0.0.1:8137", "origin": "http://127.0.0.1:9000"}, 403),
        ({"host": "127.0.0.1:8137", "origin": "null"}, 403),
    ],
)
def test_a_request_passes_only_from_this_place(headers: dict[str, str], status: int) -> None:
    assert status_of("http", headers) == status


@pytest.mark.parametrize(
    ("site", "mode", "path", "status"),
    [
        ("same-origin", "cors", "/api/sessions", 200),
        ("none", "navigate", "/api/sessions/x/print/midi", 200),
        ("cross-site", "no-cors", "/api/audio/x/peaks/3/0", 403),
        ("same-site", "no-cors", "/api/sessions", 403),  # another port of this machine
        ("cross-site", "navigate", "/api/sessions/x/archive", 403),
        ("cross-site", "navigate", "/session/x/find", 200),
        ("cross-site", "no-cors", "/assets/index.js", 403),
        ("cross-site", "websocket", "/api/module", 403),
    ],
)
def test_another_page_opens_this_one_and_nothing_else(site: str, mode: str, path: str, status: int) -> None:
    # W3C, Fetch Metadata Request Headers: what a browser says of where a request comes from.
    about = {"sec-fetch-site": site, "sec-fetch-mode": mode, "path": path}
    assert status_of("http", {"host": "127.0.0.1:8137"} | about) == status


def test_every_answer_says_that_no_other_page_may_frame_read_or_feed_it(browser: Browser) -> None:
    for path in ("/api/sessions", "/api/nothing"):
        headers = browser.get(path).headers
        assert "default-src 'self'" in headers["content-security-policy"]
        assert "frame-ancestors 'none'" in headers["content-security-policy"]
        assert headers["x-content-type-options"] == "nosniff"
        assert headers["cross-origin-resource-policy"] == "same-origin"


def test_what_is_no_request_passes() -> None:
    assert status_of("lifespan", {}) == 200
