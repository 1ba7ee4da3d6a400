"""What goes over the wire beside the core's own models."""

from __future__ import annotations

from pydantic import BaseModel, Field

from nubrak.core.decide import FindSettings
from nubrak.core.edit import AnyAction
from nubrak.core.kit import Kit
from nubrak.core.pieces import Piece
from nubrak.core.suggest import Suggestion
from nubrak.store.sessions import SessionState


class NewSession(BaseModel):
    """A session to begin."""

    name: str = Field(default="Untitled session", min_length=1, max_length=120)


class EditRequest(BaseModel):
    """One action, made on the revision the window has."""

    revision: int
    action: AnyAction


class WalkRequest(BaseModel):
    """Undo or redo, from the revision the window has."""

    revision: int


class AddRequest(BaseModel):
    """Add a hit near a place."""

    revision: int
    time_s: float = Field(ge=0, le=86400)


class ProblemBody(BaseModel):
    """What a person is told; with the session as it stands where somebody else was faster."""

    what: str
    kept: str
    todo: str
    state: SessionState | None = None


class PartOverview(BaseModel):
    """One part on the staff and in the list."""

    part_id: str
    name: str
    time_s: list[float]
    velocity: list[int]
    doubtful: int
    by_hand: int
    progress: float = Field(description="1 when it is analysed")
    problem: str | None


class Overview(BaseModel):
    """The whole session at one revision."""

    revision: int
    length_s: float
    parts: list[PartOverview]


class DecisionColumns(BaseModel):
    """Every candidate of a part with its decision, as columns in order of time."""

    revision: int
    time_s: list[float]
    level_db: list[float]
    rise_db: list[float]
    state: list[int]
    doubt: list[float]
    velocity: list[int] = Field(description="0 where it does not count")
    hits: int
    lost: int = Field(description="hits as the part stands that would be lost")
    let_in: int = Field(description="candidates that would newly count")
    threshold_db: float
    hold_off_ms: float
    rise_needed_db: float
    suggestion: Suggestion


class AskDecision(BaseModel):
    """Decide with these settings instead of the part's own."""

    find: FindSettings | None = None


class AskReason(AskDecision):
    """Why one row is what it is."""

    index: int = Field(ge=0)


class Reason(BaseModel):
    """One sentence."""

    text: str


class Library(BaseModel):
    """Everything that can be chosen from."""

    pieces: list[Piece]
    kits: dict[str, Kit]
