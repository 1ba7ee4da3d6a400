"""Sort: the sounds of a source, what would follow a correction, strokes given to a piece."""

from __future__ import annotations

from fastapi import APIRouter, Response

from nubrak.desk.sorting import (
    AskFollow,
    AskGive,
    AskHear,
    Following,
    SortMap,
    following,
    give,
    sort_map,
    strokes_one_by_one,
)
from nubrak.store.sessions import SessionState
from nubrak.web.routes.wire import PROBLEMS, AnyDesk

router = APIRouter(prefix="/api/sessions/{session_id}/sort/{part_id}", responses=PROBLEMS)


@router.get("")
def sounds(desk: AnyDesk, session_id: str, part_id: str) -> SortMap:
    """The sounds of a source whose moments were told apart."""
    return sort_map(desk.standing(session_id), part_id)


@router.post("/follow")
def would_follow(desk: AnyDesk, session_id: str, part_id: str, ask: AskFollow) -> Following:
    """Which strokes would follow if these were given to a piece."""
    return following(desk.standing(session_id), part_id, ask)


@router.post("/hear", response_class=Response)
def hear(desk: AnyDesk, session_id: str, part_id: str, ask: AskHear) -> Response:
    """Moments one after the other, as float32 samples at the session's rate, left and right in turn."""
    sound = strokes_one_by_one(desk, desk.standing(session_id), part_id, ask)
    return Response(sound.astype("<f4").tobytes(), media_type="application/octet-stream")


@router.post("/give")
def give_to(desk: AnyDesk, session_id: str, part_id: str, ask: AskGive) -> SessionState:
    """Give strokes to a piece, with or without what follows."""
    return give(desk, session_id, part_id, ask)
