"""Writing: bars as they are read, strokes at their steps, bars copied, varied, felt, emptied, and what they
sound with.
"""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Path, Query, Response
from pydantic import BaseModel

from nubrak.core.tempo import Grid
from nubrak.desk.bars import (
    CopyBars,
    EmptyBars,
    FeelBars,
    PlayedPass,
    copy_bars,
    empty_bars,
    lay_feel,
    play_in,
)
from nubrak.desk.listening import packed
from nubrak.desk.sounding import sound_with, stroke_sound
from nubrak.desk.writing import MOST_BACK, MOST_BAR, WriteAt, WrittenBar, Wrote, write_at, written_bar
from nubrak.store.sessions import SessionState
from nubrak.web.routes.wire import PROBLEMS, AnyDesk, samples

router = APIRouter(prefix="/api", responses=PROBLEMS)
Velocity = Annotated[int, Query(ge=1, le=127)]


class KitForAll(BaseModel):
    """A kit that what is written sounds with."""

    revision: int
    kit_id: str


@router.get("/sessions/{session_id}/bars/{bar}")
def bar_as_read(
    session_id: str,
    bar: Annotated[int, Path(ge=-MOST_BACK, le=MOST_BAR)],
    desk: AnyDesk,
    step: Literal["2", "4", "8", "16", "32", "64"] = "16",
    kind: Literal["straight", "triplet", "dotted"] = "straight",
) -> WrittenBar:
    """A bar of all parts on the steps of a grid."""
    return written_bar(desk.standing(session_id), bar, Grid.model_validate({"step": int(step), "kind": kind}))


@router.post("/sessions/{session_id}/bars/write")
def write_stroke(session_id: str, body: WriteAt, desk: AnyDesk) -> Wrote:
    """Write, change or take away one stroke."""
    return write_at(desk, session_id, body)


@router.post("/sessions/{session_id}/bars/played")
def keep_played(session_id: str, body: PlayedPass, desk: AnyDesk) -> SessionState:
    """Keep strokes that were played in."""
    return play_in(desk, session_id, body)


@router.post("/sessions/{session_id}/bars/copy")
def copy_bar(session_id: str, body: CopyBars, desk: AnyDesk) -> SessionState:
    """A bar once more, or several times, as it is or varied."""
    return copy_bars(desk, session_id, body)


@router.post("/sessions/{session_id}/bars/feel")
def feel_over_bars(session_id: str, body: FeelBars, desk: AnyDesk) -> SessionState:
    """A feel laid over what is written in bars."""
    return lay_feel(desk, session_id, body)


@router.post("/sessions/{session_id}/bars/empty")
def empty_these_bars(session_id: str, body: EmptyBars, desk: AnyDesk) -> SessionState:
    """Take away what is written in bars."""
    return empty_bars(desk, session_id, body)


@router.post("/sessions/{session_id}/bars/kit")
def kit_for_all(session_id: str, body: KitForAll, desk: AnyDesk) -> SessionState:
    """Let what is written sound with a kit."""
    return sound_with(desk, session_id, body.revision, body.kit_id)


@router.get("/sessions/{session_id}/parts/{part_id}/stroke", response_class=Response)
def one_stroke(
    session_id: str,
    part_id: str,
    desk: AnyDesk,
    velocity: Velocity = 100,
    note: Annotated[int | None, Query(ge=0, le=127)] = None,
) -> Response:
    """One stroke of a part by itself, little-endian float32, interleaved stereo, at the session's rate."""
    return samples(packed(stroke_sound(desk, desk.standing(session_id), part_id, velocity, note)))
