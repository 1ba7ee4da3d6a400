"""Only this machine's own pages may talk to the server."""

from __future__ import annotations

import asyncio

import pytest
from starlette.types import Message, Receive, Scope, Send

from nubrak.web.guard import LocalOnly


def status_of(kind: str, headers: dict[str, str]) -> int:
    """How a request with these headers ends behind the guard; 200 where it passes."""
    sent: list[Message] = []

    async def app(scope: Scope, receive: Receive, send: Send) -> None:
        await send({"type": "http.response.start", "status": 200})

    async def receive() -> Message:
        return {"type": "http.request"}

    async def send(message: Message) -> None:
        sent.append(message)

    scope = {"type": kind, "headers": [(name.encode(), value.encode()) for name, value in headers.items()]}
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


def test_what_is_no_request_passes() -> None:
    assert status_of("lifespan", {}) == 200
