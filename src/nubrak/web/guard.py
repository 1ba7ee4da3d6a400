"""Only this machine's own pages may talk to the server: what comes from another page is refused, and no other
page may show, read or run anything of it.
"""

from __future__ import annotations

from urllib.parse import urlsplit

from starlette.datastructures import MutableHeaders
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

# Everything a page needs ships with it; nothing else is fetched, run, framed or read across.
_HEADERS = {
    "Content-Security-Policy": "; ".join(
        (
            "default-src 'self'",
            "img-src 'self' data: blob:",
            "font-src 'self' data:",
            "style-src 'self' 'unsafe-inline'",
            "media-src 'self' blob:",
            "worker-src 'self' blob:",
            "object-src 'none'",
            "base-uri 'none'",
            "form-action 'none'",
            "frame-ancestors 'none'",
        )
    ),
    "X-Content-Type-Options": "nosniff",
    "Cross-Origin-Resource-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Referrer-Policy": "no-referrer",
}
# By the browser's word (W3C, Fetch Metadata Request Headers): the page itself, or a person's own doing.
_OWN_SITES = ("same-origin", "none")

LOCAL_HOSTS = frozenset({"127.0.0.1", "localhost", "::1"})


def _host_of(netloc: str) -> str:
    try:
        return (urlsplit(f"//{netloc}").hostname or "").lower()
    except ValueError:
        return ""


def _place_of(origin: str) -> str | None:
    """Host and port of an Origin; None for what is none."""
    try:
        return urlsplit(origin).netloc.lower()
    except ValueError:
        return None


class LocalOnly:
    """Middleware that lets a request pass only if its Host is this machine, and its Origin, if it has one,
    the same place. What a browser sends for another page passes only if it opens the page: an image or a form
    elsewhere starts nothing and reads nothing.
    """

    def __init__(self, app: ASGIApp, allowed_hosts: frozenset[str] = LOCAL_HOSTS) -> None:
        self.app, self.allowed = app, allowed_hosts

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] == "http":
            send = _closed(send)
        if scope["type"] in ("http", "websocket"):
            headers = {name.lower(): value.decode("latin-1") for name, value in scope["headers"]}
            host, origin = headers.get(b"host", ""), headers.get(b"origin")
            if _host_of(host) not in self.allowed:
                return await _refuse(
                    "This address is not one Nubrak answers to.",
                    "Open the address that `./nubrak start` prints.",
                )(scope, receive, send)
            if origin is not None and _place_of(origin) != host.lower():
                return await _refuse(
                    "Another web page tried to use Nubrak.", "Use Nubrak from its own page."
                )(scope, receive, send)
            site = headers.get(b"sec-fetch-site", "none")
            opens = headers.get(b"sec-fetch-mode") == "navigate" and not scope["path"].startswith("/api")
            if site not in _OWN_SITES and not opens:
                return await _refuse(
                    "Another web page tried to use Nubrak.", "Use Nubrak from its own page."
                )(scope, receive, send)
            if "\0" in scope["path"] or b"%00" in scope.get("query_string", b""):
                # No id, name or file of anything here holds it, and the database refuses to look.
                return await _refuse("There is nothing at this address.", "Choose from the list.", 404)(
                    scope, receive, send
                )
        await self.app(scope, receive, send)


def _closed(send: Send) -> Send:
    async def with_headers(message: Message) -> None:
        if message["type"] == "http.response.start":
            MutableHeaders(scope=message).update(_HEADERS)
        await send(message)

    return with_headers


def _refuse(what: str, todo: str, status: int = 403) -> JSONResponse:
    return JSONResponse({"what": what, "kept": "Nothing was changed.", "todo": todo}, status_code=status)
