"""The application: routes, errors in sentences, the built front end."""

from __future__ import annotations

import os
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from functools import partial
from pathlib import Path

import anyio.to_thread
import structlog
from fastapi import FastAPI, HTTPException, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import FileResponse, HTMLResponse, JSONResponse, Response
from starlette.exceptions import HTTPException as StarletteHTTPException

from nubrak.core.problem import Problem, disk_is_full
from nubrak.desk.desk import Desk
from nubrak.desk.jobs import forget_uploads
from nubrak.desk.recording import Recordings
from nubrak.store.cache import Cache
from nubrak.store.database import CannotKeep, NoDatabase, open_engine
from nubrak.store.sessions import Sessions, StaleRevision
from nubrak.web.guard import LOCAL_HOSTS, LocalOnly
from nubrak.web.hub import Hub
from nubrak.web.keys import WithKey, page_word
from nubrak.web.patience import OfASize
from nubrak.web.requests_log import LogRequests
from nubrak.web.routes import ROUTERS
from nubrak.web.words import describe_sockets
from nubrak.work.queue import handing_out
from nubrak.work.settings import Settings
from nubrak.work.still_to_do import ask_after_edit

log = structlog.get_logger()
# Of HTTP (RFC 9110) for each kind of problem.
_STATUS = {"input": 422, "missing": 404, "stale": 409, "refused": 403, "full": 507}


def make_application(settings: Settings | None = None) -> FastAPI:
    """The web application. Without settings, as for its schema alone, it can describe itself but not
    serve.
    """

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        assert settings is not None
        engine = open_engine(settings.database_url)
        folder = Path(settings.cache_folder)
        uploads = folder / "uploads"
        forget_uploads(uploads)
        # More threads than this only take the interpreter from each other.
        anyio.to_thread.current_default_thread_limiter().total_tokens = max(8, 2 * (os.cpu_count() or 1))
        queue = handing_out(settings.database_url)
        with queue.open():
            cache = Cache(engine, settings.database_url, folder)
            sessions = Sessions(engine, edited=partial(ask_after_edit, engine, cache, queue))
            app.state.desk = Desk(engine, cache, sessions, queue, uploads)
            app.state.hub = Hub(settings.database_url, sessions.revisions)
            app.state.recordings = Recordings()
            app.state.hub.start()
            yield
            await app.state.hub.stop()
        engine.dispose()

    app = FastAPI(
        title="Nubrak",
        version="0.1.0",
        lifespan=lifespan,
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/openapi.json",
        generate_unique_id_function=lambda route: str(route.name),
    )
    for router in ROUTERS:
        app.include_router(router)
    describe_sockets(app)
    app.add_middleware(OfASize)
    app.add_middleware(LogRequests)
    if settings and settings.key:
        app.add_middleware(WithKey, key=settings.key, port=settings.port)
    app.add_middleware(
        LocalOnly, allowed_hosts=LOCAL_HOSTS | frozenset(settings.allowed_hosts if settings else ())
    )
    app.add_exception_handler(Problem, _problem)
    app.add_exception_handler(RequestValidationError, _invalid)
    app.add_exception_handler(StarletteHTTPException, _http)
    app.add_exception_handler(NoDatabase, _no_database)
    app.add_exception_handler(CannotKeep, _cannot_keep)
    # What the system, libsndfile and the database raise where there is no room, among other things.
    for kind in (OSError, RuntimeError):
        app.add_exception_handler(kind, _perhaps_full)
    app.add_exception_handler(Exception, _unexpected)
    if settings and settings.interface_folder:
        _serve_interface(app, Path(settings.interface_folder), page_word(settings.key))
    return app


def _say(
    status: int, what: str, kept: str = "Nothing was changed.", todo: str = "", **more: object
) -> JSONResponse:
    return JSONResponse({"what": what, "kept": kept, "todo": todo, **more}, status_code=status)


def _problem(_: Request, error: Exception) -> Response:
    assert isinstance(error, Problem)
    more = {"state": error.state.model_dump(mode="json")} if isinstance(error, StaleRevision) else {}
    return _say(_STATUS[error.kind], error.what, error.kept, error.todo, **more)


def _invalid(_: Request, error: Exception) -> Response:
    assert isinstance(error, RequestValidationError)
    first = error.errors()[0]
    where = " → ".join(str(step) for step in first["loc"] if step not in ("body", "query", "path"))
    return _say(
        422,
        f"{where or 'The request'}: {str(first['msg']).removeprefix('Value error, ')}.",
        todo="Choose a value that fits.",
    )


def _http(_: Request, error: Exception) -> Response:
    assert isinstance(error, HTTPException | StarletteHTTPException)
    return _say(
        error.status_code,
        {
            400: "The request could not be read.",
            404: "There is nothing at this address.",
            405: "This cannot be done here.",
        }.get(error.status_code, str(error.detail)),
    )


def _unexpected(request: Request, error: Exception) -> Response:
    log.error("unexpected", method=request.method, path=request.url.path, exc_info=error)
    return _say(
        500,
        f"Something went wrong that Nubrak did not expect ({type(error).__name__}).",
        "What was acknowledged is kept.",
        "Try it once more; the log in the data folder says what happened.",
    )


def _full() -> Response:
    return _say(
        507,
        "The disk is full.",
        "What was acknowledged is kept; this was not done.",
        "Make room and do it once more; the list of sessions frees what nothing needs.",
    )


def _perhaps_full(request: Request, error: Exception) -> Response:
    if disk_is_full(error, request.app.state.desk.cache.folder):
        log.error("the disk is full", path=request.url.path, error=repr(error))
        return _full()
    return _unexpected(request, error)


def _no_database(_: Request, error: Exception) -> Response:
    if disk_is_full(error):
        return _full()
    return _say(
        503,
        "The database does not answer.",
        "What was acknowledged is kept.",
        "Wait a moment; if it lasts, start Nubrak again.",
    )


def _cannot_keep(_: Request, error: Exception) -> Response:
    return _say(422, "This holds characters or numbers that cannot be kept.", todo="Choose others.")


def _serve_interface(app: FastAPI, folder: Path, word: str) -> None:
    """The built front end: files as they are, and its page, with the word it sends along, for every other
    address.
    """
    page = (folder / "index.html").read_text()
    page = page.replace("<head>", f'<head><meta name="nubrak-page" content="{word}">', 1)

    @app.get("/{path:path}", include_in_schema=False)
    def interface(path: str) -> Response:
        if path.startswith("api/"):
            raise HTTPException(404)
        asked = (folder / path).resolve()
        if path and asked.is_file() and asked.is_relative_to(folder.resolve()):
            lasting = path.startswith("assets/")
            return FileResponse(
                asked,
                headers={"Cache-Control": "public, max-age=31536000, immutable" if lasting else "no-cache"},
            )
        return HTMLResponse(page, headers={"Cache-Control": "no-cache"})
