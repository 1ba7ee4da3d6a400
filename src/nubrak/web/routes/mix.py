"""Mix: what the stages of a part do."""

from __future__ import annotations

from fastapi import APIRouter

from nubrak.desk.mixing import AskStages, StagesSeen, stages_seen
from nubrak.web.routes.wire import PROBLEMS, AnyDesk

router = APIRouter(prefix="/api", responses=PROBLEMS)


@router.post("/sessions/{session_id}/parts/{part_id}/stages")
def stages(session_id: str, part_id: str, body: AskStages, desk: AnyDesk) -> StagesSeen:
    """Spectra before and after a part's stages, and what its dynamics takes, over a stretch."""
    return stages_seen(desk, desk.standing(session_id), part_id, body)
