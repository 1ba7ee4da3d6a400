"""Find: decisions, reasons, Second look, hits added and given away."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Response
from pydantic import BaseModel, Field

from nubrak.core.decide import FindSettings
from nubrak.core.mix import Cleaning
from nubrak.core.time_line import TimeLineS
from nubrak.desk.cleaning import GapColumns, gaps_of
from nubrak.desk.finding import (
    DecisionColumns,
    Reason,
    SecondLook,
    Similar,
    add_hit_near,
    decision_columns,
    doubtful_places,
    ghost_places,
    give_strokes,
    put_hit_near,
    reason_of,
    similar_places,
)
from nubrak.desk.mending import Donors, MendWith, donors_of, mend_stroke
from nubrak.store.sessions import SessionState
from nubrak.web.routes.wire import PROBLEMS, AnyDesk

router = APIRouter(prefix="/api", responses=PROBLEMS)


class AddRequest(BaseModel):
    """Add a hit near a place."""

    revision: int
    time_s: TimeLineS


class PutRequest(BaseModel):
    """Put a hit near another place."""

    revision: int
    found_s: TimeLineS = Field(description="where it was found, wherever it stands now")
    near_s: TimeLineS


class AskDecision(BaseModel):
    """Decide with these settings instead of the part's own."""

    find: FindSettings | None = None


class AskReason(AskDecision):
    """Why one row is what it is."""

    index: int = Field(ge=0)


class AskSimilar(AskDecision):
    """What sounds like one row."""

    index: int = Field(ge=0)


class AskGaps(BaseModel):
    """Draw the gaps with these settings instead of the source's own; what a hand set stands."""

    cleaning: Cleaning | None = None


class GiveRequest(BaseModel):
    """Strokes that belong to another part."""

    revision: int
    to_part_id: str
    time_s: list[float] = Field(min_length=1, max_length=5000)


@router.post("/sessions/{session_id}/parts/{part_id}/decisions", response_model=DecisionColumns)
def decisions(session_id: str, part_id: str, body: AskDecision, desk: AnyDesk) -> Response:
    """Every candidate of a part with its decision: as the part stands, or with other settings."""
    columns = decision_columns(desk.standing(session_id), part_id, body.find)
    return Response(columns.model_dump_json(), media_type="application/json")


@router.post("/sessions/{session_id}/parts/{part_id}/reason")
def why(session_id: str, part_id: str, body: AskReason, desk: AnyDesk) -> Reason:
    """Why one candidate counts or not."""
    return reason_of(desk.standing(session_id), part_id, body.index, body.find)


@router.post("/sessions/{session_id}/parts/{part_id}/similar")
def similar(session_id: str, part_id: str, body: AskSimilar, desk: AnyDesk) -> Similar:
    """What sounds like one candidate and was decided the same way."""
    return similar_places(desk.standing(session_id), part_id, body.index, body.find)


@router.get("/sessions/{session_id}/parts/{part_id}/ghosts")
def ghosts_of(session_id: str, part_id: str, desk: AnyDesk) -> Similar:
    """The ghost strokes of a part: hits that are a soft group of their own under the full ones."""
    return ghost_places(desk.standing(session_id), part_id)


@router.get("/sessions/{session_id}/second-look")
def second_look(session_id: str, desk: AnyDesk, part: str | None = None) -> SecondLook:
    """The doubtful places of a session or of one part, worst first."""
    return doubtful_places(desk.standing(session_id), part)


@router.post("/sessions/{session_id}/parts/{part_id}/give")
def give(session_id: str, part_id: str, body: GiveRequest, desk: AnyDesk) -> SessionState:
    """Strokes of this part belong to another: dropped here, there hits that snap to the attack."""
    return give_strokes(desk, session_id, body.revision, part_id, body.to_part_id, body.time_s)


@router.post("/sessions/{session_id}/parts/{part_id}/add")
def add_hit(session_id: str, part_id: str, body: AddRequest, desk: AnyDesk) -> SessionState:
    """Add a hit near a place; it snaps to the attack."""
    return add_hit_near(desk, session_id, body.revision, part_id, body.time_s)


@router.post("/sessions/{session_id}/parts/{part_id}/put")
def put_hit(session_id: str, part_id: str, body: PutRequest, desk: AnyDesk) -> SessionState:
    """Put a hit near another place; it snaps to the attack."""
    return put_hit_near(desk, session_id, body.revision, part_id, body.found_s, body.near_s)


@router.get("/sessions/{session_id}/parts/{part_id}/donors")
def what_mends(
    session_id: str, part_id: str, desk: AnyDesk, found_s: Annotated[float, Query(ge=0)]
) -> Donors:
    """The strokes of a part that can take the place of one, the best first."""
    return donors_of(desk, desk.standing(session_id), part_id, found_s)


@router.post("/sessions/{session_id}/parts/{part_id}/mend")
def mend(session_id: str, part_id: str, body: MendWith, desk: AnyDesk) -> SessionState:
    """Let a stroke sound as another of the same drum did, in all microphones."""
    return mend_stroke(desk, session_id, part_id, body)


@router.post("/sessions/{session_id}/sources/{source_id}/gaps")
def gaps(session_id: str, source_id: str, body: AskGaps, desk: AnyDesk) -> GapColumns:
    """Where a source is open and where its gaps are turned down: as it stands, or with other settings."""
    return gaps_of(desk.standing(session_id), source_id, body.cleaning)
