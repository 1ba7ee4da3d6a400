"""Sessions: the list, one as it stands, edits, undo and redo, news, archives."""

from __future__ import annotations

from collections.abc import AsyncIterator
from typing import Annotated

from fastapi import APIRouter, Query, Request
from fastapi.responses import FileResponse
from pydantic import BaseModel, Field
from sse_starlette.sse import EventSourceResponse
from starlette.background import BackgroundTask
from starlette.concurrency import run_in_threadpool

from nubrak.core.session import AnyAction, Document
from nubrak.desk.archiving import open_archive, write_archive
from nubrak.desk.overview import Overview, overview_of
from nubrak.desk.printing import draft
from nubrak.store.sessions import SessionLine, SessionState
from nubrak.web.intake import received
from nubrak.web.routes.wire import PROBLEMS, AnyDesk, WalkRequest, download

router = APIRouter(prefix="/api", responses=PROBLEMS)


class NewSession(BaseModel):
    """A session to begin."""

    name: str = Field(default="Untitled session", min_length=1, max_length=120)


class EditRequest(BaseModel):
    """One action, made on the revision the window has."""

    revision: int
    action: AnyAction


@router.get("/sessions")
def sessions(desk: AnyDesk) -> list[SessionLine]:
    """All sessions."""
    return desk.sessions.all()


@router.post("/sessions", status_code=201)
def new_session(body: NewSession, desk: AnyDesk) -> SessionState:
    """Begin an empty session."""
    return desk.sessions.new(Document(name=body.name))


@router.get("/sessions/{session_id}")
def session(session_id: str, desk: AnyDesk) -> SessionState:
    """A session as it stands."""
    return desk.sessions.get(session_id)


@router.delete("/sessions/{session_id}", status_code=204)
def remove_session(session_id: str, desk: AnyDesk) -> None:
    """Delete a session."""
    desk.sessions.remove(session_id)


@router.post("/sessions/{session_id}/edits")
def edit(session_id: str, body: EditRequest, desk: AnyDesk) -> SessionState:
    """Apply an action."""
    return desk.sessions.edit(session_id, body.revision, body.action)


@router.post("/sessions/{session_id}/undo")
def undo(session_id: str, body: WalkRequest, desk: AnyDesk) -> SessionState:
    """Take the last edit back."""
    return desk.sessions.undo(session_id, body.revision)


@router.post("/sessions/{session_id}/redo")
def redo(session_id: str, body: WalkRequest, desk: AnyDesk) -> SessionState:
    """Do it once more."""
    return desk.sessions.redo(session_id, body.revision)


@router.get("/sessions/{session_id}/overview")
def overview(session_id: str, desk: AnyDesk) -> Overview:
    """Every part's hits, for the staff and the list; asks for the analysis of what has not been analysed."""
    return overview_of(desk, session_id)


@router.get("/sessions/{session_id}/events")
async def events(session_id: str, request: Request, desk: AnyDesk) -> EventSourceResponse:
    """News of this session: a new revision, the analysis of an audio file."""

    async def news() -> AsyncIterator[dict[str, str]]:
        async for message in request.app.state.hub.news():
            kind, _, rest = message.partition(" ")
            if kind == "session" and not rest.startswith(session_id + " "):
                continue
            yield {"event": kind, "data": rest}

    return EventSourceResponse(news(), ping=15)


@router.get("/sessions/{session_id}/archive", response_class=FileResponse)
def archive(session_id: str, desk: AnyDesk) -> FileResponse:
    """The whole session as one file that another installation opens alike."""
    standing = desk.standing(session_id)
    path = write_archive(desk, standing)
    return FileResponse(
        path,
        media_type="application/zip",
        headers=download(standing, None, "zip", "session"),
        background=BackgroundTask(path.unlink),
    )


@router.post("/archives", status_code=201)
async def open_session(
    request: Request, desk: AnyDesk, name: Annotated[str, Query(max_length=4096)] = "archive.zip"
) -> SessionState:
    """Open a session archive as a new session; the request's body is the file."""
    path = draft(desk, "upload")
    try:
        await received(request, path, name)
        return await run_in_threadpool(open_archive, desk, path)
    finally:
        path.unlink(missing_ok=True)
