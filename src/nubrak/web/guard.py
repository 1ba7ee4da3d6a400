"""Only this machine's own pages may talk to the server: foreign Host and Origin headers are refused."""

from __future__ import annotations

from urllib.parse import urlsplit

from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Receive, Scope, Send

LOCAL_HOSTS = frozenset({"127.0.0.1", "localhost", "::1"})


def _host_of(netloc: str) -> str:
    try:
        return (urlsplit(f"//{netloc}").hostname or "").lower()
    except ValueError:
        return ""


class LocalOnly:
    """Middleware that lets a request pass only if its Host is this machine, and its Origin, if it has one,
    the same place.
    """

    def __init__(self, app: ASGIApp, allowed_hosts: frozenset[str] = LOCAL_HOSTS) -> None:
        self.app, self.allowed = app, allowed_hosts

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] in ("http", "websocket"):
            headers = {name.lower(): value.decode("latin-1") for name, value in scope["headers"]}
            host, origin = headers.get(b"host", ""), headers.get(b"origin")
            if _host_of(host) not in self.allowed:
                return await _refuse(
                    "This address is not one Nubrak answers to.",
                    "Open the address that `./nubrak start` prints.",
                )(scope, receive, send)
            if origin is not None and urlsplit(origin).netloc.lower() != host.lower():
                return await _refuse(
                    "Another web page tried to use Nubrak.", "Use Nubrak from its own page."
                )(scope, receive, send)
        await self.app(scope, receive, send)


def _refuse(what: str, todo: str) -> JSONResponse:
    return JSONResponse({"what": what, "kept": "Nothing was changed.", "todo": todo}, status_code=403)
