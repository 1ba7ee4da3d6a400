"""Sessions: the list, one as it stands, edits, undo and redo, news, archives."""

from __future__ import annotations

from collections.abc import AsyncIterator

from fastapi import APIRouter, Request
from pydantic import BaseModel, Field
from sse_starlette.sse import EventSourceResponse

from nubrak.core.names import Name
from nubrak.core.session import UNTITLED, AnyAction, Document
from nubrak.desk import locking
from nubrak.desk.leftovers import Freed, Holds, free, holds
from nubrak.desk.overview import Overview, overview_of
from nubrak.store.sessions import SessionLine, SessionState
from nubrak.web.routes.wire import PROBLEMS, AnyDesk, WalkRequest

router = APIRouter(prefix="/api", responses=PROBLEMS)


class NewSession(BaseModel):
    """A session to begin."""

    name: Name = Field(default=UNTITLED, min_length=1, max_length=120)


class EditRequest(BaseModel):
    """One action, made on the revision the window has."""

    revision: int
    action: AnyAction
    gesture: str | None = Field(
        default=None, max_length=40, description="edits of one gesture of a hand are one step of undo"
    )


@router.get("/sessions")
def sessions(desk: AnyDesk) -> list[SessionLine]:
    """All sessions."""
    return desk.sessions.all()


@router.get("/holds")
def what_is_held(desk: AnyDesk) -> Holds:
    """How much room everything takes, and how much of it nothing needs."""
    return holds(desk.engine, desk.cache.folder)


@router.post("/holds/free")
def free_room(desk: AnyDesk) -> Freed:
    """Delete what nothing needs any more: no session, nothing that undo brings back, no kit."""
    return free(desk.engine, desk.cache.url, desk.cache.folder)


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
    return locking.edit(desk, session_id, body.revision, body.action, body.gesture)


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
