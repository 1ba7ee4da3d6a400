"""Who may come in: the login that Nubrak runs for, and whoever has the key of the address that was printed.

Another login of the machine can reach the port as well. The system knows whose connection it is (proc(5),
``/proc/net/tcp``); a browser that came with the key keeps it as a cookie. What a browser sends to start work
carries a word that only the page itself was given, so that no other page can have sent it.
"""

from __future__ import annotations

import hashlib
import hmac
import os
import secrets
from http.cookies import CookieError, SimpleCookie
from pathlib import Path
from urllib.parse import parse_qs

from starlette.datastructures import Headers, MutableHeaders
from starlette.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

PAGE_HEADER = "x-nubrak-page"
KEY_HEADER = "x-nubrak-key"
_CONNECTIONS = Path("/proc/net/tcp")
_ESTABLISHED = "01"  # linux/include/net/tcp_states.h; a connection given up has no owner any more
_A_YEAR_S = 365 * 86400
_SAFE = ("GET", "HEAD", "OPTIONS")


def page_word(key: str) -> str:
    """What the page carries for what it sends; it says nothing of the key, and outlives a restart."""
    return hmac.new(key.encode(), b"page", hashlib.sha256).hexdigest()[:32] if key else ""


def kept_key(path: Path) -> str:
    """The key of an installation, made where there is none; only its owner may read it."""
    if not path.exists() or not path.read_text().strip():
        path.touch(mode=0o600)
        path.write_text(secrets.token_urlsafe(24) + "\n")
    return path.read_text().strip()


def owner_of(client_port: int, server_port: int, connections: str) -> int | None:
    """The login at the other end of a connection over the loopback address, by the system's table of
    connections; None where the table does not know.
    """
    # Addresses stand there in the machine's own order of bytes, ports as they are written.
    ends = [f"{number:04X}" for number in (client_port, server_port)]
    for line in connections.splitlines()[1:]:
        words = line.split()
        if len(words) < 10 or words[3] != _ESTABLISHED:
            continue
        local, remote = words[1].rpartition(":"), words[2].rpartition(":")
        if local[2] == ends[0] and remote[2] == ends[1] and local[0] == remote[0] == "0100007F":
            return int(words[7])
    return None


class WithKey:
    """Middleware that lets in the own login and who has the key; without a key, everybody."""

    def __init__(self, app: ASGIApp, key: str, port: int) -> None:
        self.app, self.key, self.port = app, key, port
        # Cookies do not know ports: two installations of one machine would take each other's.
        self.cookie = f"nubrak-{port}"
        self.word = page_word(key)

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if not self.key or scope["type"] not in ("http", "websocket"):
            return await self.app(scope, receive, send)
        headers = Headers(scope=scope)
        given = parse_qs(scope.get("query_string", b"").decode("latin-1")).get("key", [""])[0]
        opens = scope["type"] == "http" and not scope["path"].startswith("/api")
        if opens and given and self._is_key(given):
            return await self._kept(RedirectResponse(scope["path"], 303))(scope, receive, send)
        if not self._has_key(headers):
            if not self._is_own(scope):
                return await _locked(opens)(scope, receive, send)
            if opens:
                send = self._keeping(send)
        by_a_browser = "sec-fetch-site" in headers
        starts = scope["type"] == "http" and scope["method"] not in _SAFE
        if by_a_browser and starts and not _same(headers.get(PAGE_HEADER, ""), self.word):
            return await _not_from_the_page()(scope, receive, send)
        await self.app(scope, receive, send)

    def _is_key(self, given: str) -> bool:
        return _same(given, self.key)

    def _has_key(self, headers: Headers) -> bool:
        try:
            cookie = SimpleCookie(headers.get("cookie", "")).get(self.cookie)
        except CookieError:
            cookie = None
        given = headers.get(KEY_HEADER, "") if cookie is None else cookie.value
        return self._is_key(given)

    def _is_own(self, scope: Scope) -> bool:
        try:
            connections = _CONNECTIONS.read_text()
        except OSError:
            return False
        client, server = scope.get("client"), scope.get("server")
        if not client or not server or client[0] != "127.0.0.1":
            return False
        # Root may read everything anyway.
        return owner_of(client[1], server[1], connections) in (os.geteuid(), 0)

    def _keeping(self, send: Send) -> Send:
        """Give a page of the own login the key to keep: it need not be looked up again."""

        async def with_key(message: Message) -> None:
            if message["type"] == "http.response.start":
                cookie = self._kept(Response()).headers["set-cookie"]
                MutableHeaders(scope=message).append("set-cookie", cookie)
            await send(message)

        return with_key

    def _kept(self, answer: Response) -> Response:
        answer.set_cookie(self.cookie, self.key, max_age=_A_YEAR_S, httponly=True, samesite="lax", path="/")
        return answer


def _same(given: str, wanted: str) -> bool:
    return secrets.compare_digest(given.encode("utf-8", "replace"), wanted.encode())


_LOCKED = "This is somebody’s Nubrak, and this browser does not have its key."
_TODO = "Open the address that `./nubrak start` printed; it carries the key."


def _locked(opens: bool) -> Response:
    if opens:
        page = f"<!doctype html><title>Nubrak</title><h1>Nubrak</h1><p>{_LOCKED}</p><p>{_TODO}</p>"
        return HTMLResponse(page, 401)
    return JSONResponse({"what": _LOCKED, "kept": "Nothing was changed.", "todo": _TODO}, 401)


def _not_from_the_page() -> Response:
    said = {
        "what": "This did not come from Nubrak's own page, or from one that is older than the key.",
        "kept": "Nothing was changed.",
        "todo": "Reload the page.",
    }
    return JSONResponse(said, 403)
