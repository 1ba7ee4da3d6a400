"""Half requests are closed in time, what would fill the memory is turned away; whole ones notice nothing."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable
from contextlib import suppress

import httpx
import pytest
import uvicorn
from starlette.applications import Starlette
from starlette.requests import ClientDisconnect, Request
from starlette.responses import PlainTextResponse
from starlette.routing import Route
from starlette.testclient import TestClient

from nubrak.web.patience import OfASize, Patient


class Hasty(Patient):
    HEAD_S, STALL_S = 0.4, 0.4


class Calmer(Patient):
    STALL_S = 1.5


async def _length(request: Request) -> PlainTextResponse:
    count = 0
    try:
        async for block in request.stream():
            count += len(block)
    except ClientDisconnect:
        request.app.state.cut_off += 1
        raise
    return PlainTextResponse(str(count))


def _application() -> Starlette:
    app = Starlette(routes=[Route("/", _length, methods=["GET", "POST"])])
    app.state.cut_off = 0
    return app


def served(do: Callable[[int], Awaitable[None]], http: type[Patient] = Hasty) -> Starlette:
    """Something done against a real server that loses its patience soon; the application afterwards."""
    app = _application()

    async def run() -> None:
        server = uvicorn.Server(uvicorn.Config(app, host="127.0.0.1", port=0, log_config=None, http=http))
        task = asyncio.create_task(server.serve())
        while not server.started:
            await asyncio.sleep(0.01)
        try:
            await do(server.servers[0].sockets[0].getsockname()[1])
        finally:
            server.should_exit = True
            await task

    asyncio.run(run())
    return app


async def _closed(port: int, sent: bytes) -> bytes:
    """Send this and nothing more; what came back until the server closed."""
    reader, writer = await asyncio.open_connection("127.0.0.1", port)
    writer.write(sent)
    said = await asyncio.wait_for(reader.read(), 20)
    writer.close()
    return said


HALF_BODY = b"POST / HTTP/1.1\r\nHost: x\r\nContent-Length: 100000\r\n\r\nabc"


@pytest.mark.parametrize("sent", [b"", b"G", b"GET / HTTP/1.1\r\nHost: x\r\n", HALF_BODY])
def test_half_a_request_is_closed(sent: bytes) -> None:
    async def do(port: int) -> None:
        assert await _closed(port, sent) == b""

    served(do)


def test_a_body_that_hardly_goes_on_is_cut_off_and_said_so_to_who_reads_it() -> None:
    async def do(port: int) -> None:
        reader, writer = await asyncio.open_connection("127.0.0.1", port)
        writer.write(HALF_BODY)

        async def drip() -> None:
            while True:
                writer.write(b"x")
                await asyncio.sleep(0.05)

        dripping = asyncio.create_task(drip())
        # Closed with something unread on its way, a connection may as well be reset.
        with suppress(ConnectionResetError):
            assert await asyncio.wait_for(reader.read(), 20) == b""
        dripping.cancel()

    assert served(do).state.cut_off == 1


def test_a_slow_upload_that_goes_on_comes_whole_and_so_does_what_follows_it() -> None:
    async def do(port: int) -> None:
        async def blocks() -> object:
            for _ in range(20):
                yield b"x" * 4000
                await asyncio.sleep(0.1)

        async with httpx.AsyncClient() as client:
            answer = await client.post(f"http://127.0.0.1:{port}/", content=blocks())
            assert answer.text == "80000"
            assert (await client.get(f"http://127.0.0.1:{port}/")).text == "0", "on the same connection"

    served(do, Calmer)


def test_words_without_end_before_a_request_are_turned_away() -> None:
    async def do(port: int) -> None:
        said = await _closed(port, b"GET / HTTP/1.1\r\n" + b"".join(b"A%d: x\r\n" % n for n in range(20000)))
        assert said.startswith(b"HTTP/1.1 400")

    served(do)


def test_a_request_read_whole_has_a_size() -> None:
    app = _application()
    app.add_middleware(OfASize, most_bytes=1000)
    with TestClient(app, raise_server_exceptions=False) as client:
        assert client.post("/", content=b"x" * 1000).text == "1000"
        answer = client.post("/", content=b"x" * 1001)
        assert answer.status_code == 413 and answer.json().keys() == {"what", "kept", "todo"}
        assert client.post("/", content=iter([b"x" * 600, b"x" * 600])).status_code >= 400
