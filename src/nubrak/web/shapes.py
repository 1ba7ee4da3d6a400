"""What goes over the wire beside the core's own models."""

from __future__ import annotations

from pydantic import BaseModel, Field

from nubrak.core.decide import FindSettings, Suggestion
from nubrak.core.pieces import Material, Piece
from nubrak.core.samples import Kit
from nubrak.core.session import AnyAction
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
    rounding_ms: dict[int, float] = Field(
        description="how far a note may be from its stroke in MIDI of so many ticks per quarter"
    )
    parts: list[PartOverview]


class DecisionColumns(BaseModel):
    """Every candidate of a part with its decision, as columns in order of time."""

    revision: int
    time_s: list[float]
    level_db: list[float]
    rise_db: list[float]
    state: list[int]
    doubt: list[float]
    spill_db: list[float] = Field(
        description="what other strokes spill there, in dBFS; −200 where nothing does"
    )
    velocity: list[int] = Field(description="0 where it does not count")
    hits: int
    lost_s: list[float] = Field(description="hits as the part stands that would be lost")
    let_in_s: list[float] = Field(description="candidates that would newly count")
    threshold_db: float
    hold_off_ms: float
    re_arm_db: float
    rise_needed_db: float
    low_hz: float
    high_hz: float
    weighs: bool = Field(description="whether all evidence of the kit is weighed")
    worth_a_look: float = Field(description="from this doubt on a place stands in Second look")
    suggestion: Suggestion


class AskDecision(BaseModel):
    """Decide with these settings instead of the part's own."""

    find: FindSettings | None = None


class AskReason(AskDecision):
    """Why one row is what it is."""

    index: int = Field(ge=0)


class Suspect(BaseModel):
    """Another part whose stroke is heard at a place, and where it is seen best."""

    part_id: str
    name: str
    source_id: str
    time_s: float = Field(description="when that part was struck")
    under_db: float = Field(description="how far what it spills stands under the candidate, in dB")


class Reason(BaseModel):
    """One sentence, and who is suspected."""

    text: str
    suspect: Suspect | None = None


class LookPlace(BaseModel):
    """One doubtful place of Second look."""

    part_id: str
    part_name: str
    source_id: str
    index: int
    time_s: float
    counts: bool
    doubt: float
    level_db: float
    text: str
    suspect: Suspect | None


class SecondLook(BaseModel):
    """All doubtful places, worst first."""

    revision: int
    places: list[LookPlace]
    analysing: bool = Field(description="whether more may come")


class AskSimilar(AskDecision):
    """What sounds like one row."""

    index: int = Field(ge=0)


class Similar(BaseModel):
    """Places that sound alike and were decided the same way."""

    time_s: list[float]


class GiveRequest(BaseModel):
    """Strokes that belong to another part."""

    revision: int
    to_part_id: str
    time_s: list[float] = Field(min_length=1, max_length=5000)


class LeakLine(BaseModel):
    """How one piece is heard in another's microphone."""

    from_part: str
    to_part: str
    level_db: float = Field(description="against how it is heard in its own, as recorded")
    delay_ms: float | None = Field(
        description="empty where it lies under other sounds and only its level is known"
    )
    strokes: int = Field(description="how many taught it")


class SpillMap(BaseModel):
    """Who leaks into whom."""

    revision: int
    parts: list[str]
    leaks: list[LeakLine]


class BestBar(BaseModel):
    """The bar that stands for the recording."""

    number: int
    start_s: float
    end_s: float
    said: str


class AnalysisRequest(BaseModel):
    """Look for strokes, or stop looking."""

    on: bool


class Library(BaseModel):
    """Everything that can be chosen from."""

    pieces: list[Piece]
    materials: list[Material]
    kits: dict[str, Kit]
