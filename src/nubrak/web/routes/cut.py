"""Cut: where a source is cut into slices, cuts put elsewhere, slices heard, and strokes that stand alone."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Response

from nubrak.desk.clear_strokes import Clearest, clearest_of
from nubrak.desk.listening import packed
from nubrak.desk.slicing import MoveCut, Slices, move_cut, slice_sound, slices_of
from nubrak.store.sessions import SessionState
from nubrak.web.routes.wire import PROBLEMS, AnyDesk, samples

router = APIRouter(prefix="/api", responses=PROBLEMS)


@router.get("/sessions/{session_id}/sources/{source_id}/slices")
def slices_of_source(session_id: str, source_id: str, desk: AnyDesk) -> Slices:
    """How a source is cut into slices."""
    return slices_of(desk, desk.standing(session_id), source_id)


@router.post("/sessions/{session_id}/sources/{source_id}/cuts")
def put_cut(session_id: str, source_id: str, body: MoveCut, desk: AnyDesk) -> SessionState:
    """Put a cut elsewhere, or make a new one."""
    return move_cut(desk, session_id, source_id, body)


@router.get("/sessions/{session_id}/sources/{source_id}/slices/{number}/sound", response_class=Response)
def sound_of_slice(session_id: str, source_id: str, number: int, desk: AnyDesk) -> Response:
    """One slice by itself, little-endian float32, interleaved stereo, at the session's rate."""
    return samples(packed(slice_sound(desk, desk.standing(session_id), source_id, number)))


@router.get("/sessions/{session_id}/clearest")
def clearest_strokes(
    session_id: str,
    desk: AnyDesk,
    part: str | None = None,
    source: str | None = None,
    most: Annotated[int, Query(ge=1, le=50)] = 5,
) -> Clearest:
    """The strokes of one part, of those of one source, or of all that stand most by themselves, with the
    reason in words.
    """
    standing = desk.standing(session_id)
    of = standing.document.parts
    parts = [one for one in standing.chosen(part) if standing.document.is_noted(one)]
    parts = [one for one in parts if source is None or source in of[one].sources]
    return clearest_of(desk, standing, parts, most)
