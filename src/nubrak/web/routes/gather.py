"""Gather: files in, analysis, pictures, the tempo."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Request, Response
from pydantic import BaseModel, Field
from starlette.concurrency import run_in_threadpool

from nubrak.core.midi import MOST_BYTES
from nubrak.core.pieces import plain_name
from nubrak.core.tempo import tapped
from nubrak.desk.arriving import arrive, pair
from nubrak.desk.drawing import peak_tile
from nubrak.desk.finding import BestBar, SpillMap, bar_to_take, leaks_of
from nubrak.desk.microphones import Besides, microphones_of
from nubrak.desk.tempo import TempoGuesses, follow_parts, tempo_guesses, tempo_of_midi
from nubrak.store.sessions import SessionState
from nubrak.web.intake import body_of, take_in
from nubrak.web.routes.wire import PROBLEMS, AnyDesk

router = APIRouter(prefix="/api", responses=PROBLEMS)


class AnalysisRequest(BaseModel):
    """Look for strokes, or stop looking."""

    on: bool


class AskTempo(BaseModel):
    """Parts whose hits tell the tempo; empty: all."""

    part_ids: list[str] = Field(default=[], max_length=64)


class FollowRequest(AskTempo):
    """A tempo map that stays with the performance."""

    revision: int


class Taps(BaseModel):
    """When a person tapped, in s of any clock."""

    time_s: list[float] = Field(min_length=1, max_length=500)


class Tapped(BaseModel):
    """The tempo of taps; empty for fewer than three."""

    bpm: float | None


@router.post("/sessions/{session_id}/sources", status_code=201)
async def add_source(
    session_id: str,
    request: Request,
    desk: AnyDesk,
    name: Annotated[str, Query(max_length=4096)] = "unnamed",
    source: str | None = None,
    drop: Annotated[str | None, Query(max_length=40)] = None,
) -> SessionState:
    """Take a file in as a new source, or as a further take of one; the request's body is the file. ``name``
    may hold the folder it lay in: a session that nobody named is called so. Files of one ``drop`` are one
    step of undo.
    """
    document = (await run_in_threadpool(desk.sessions.get, session_id)).document
    if source is not None:
        document.source(source)
    audio, facts = await take_in(request, desk, plain_name(name))
    return await run_in_threadpool(arrive, desk, session_id, name, audio, facts, source, drop)


class PairRequest(BaseModel):
    """Two sources that a hand takes for the sides of a pair."""

    revision: int
    left_id: str
    right_id: str


@router.post("/sessions/{session_id}/pair")
def as_pair(session_id: str, body: PairRequest, desk: AnyDesk) -> SessionState:
    """Take two recordings as the left and right side of one."""
    return pair(desk, session_id, body.revision, body.left_id, body.right_id)


@router.post("/sessions/{session_id}/analysis", status_code=204)
def analysis(session_id: str, body: AnalysisRequest, desk: AnyDesk) -> None:
    """Cancel the analysis of what is still missing, or take it up again."""
    desk.analyse(desk.standing(session_id), body.on)


@router.get("/sessions/{session_id}/best-bar")
def bar_that_stands_for_all(session_id: str, desk: AnyDesk) -> BestBar:
    """The bar most like all others, surest and tightest."""
    return bar_to_take(desk.standing(session_id))


@router.get("/sessions/{session_id}/spill")
def spill_map(session_id: str, desk: AnyDesk) -> SpillMap:
    """Which pieces leak into which microphones, in dB and ms."""
    return leaks_of(desk.standing(session_id))


@router.get("/sessions/{session_id}/parts/{part_id}/microphones")
def microphones(session_id: str, part_id: str, desk: AnyDesk) -> Besides:
    """The microphones of a part, and how each would be biggest together with the first."""
    return microphones_of(desk, desk.standing(session_id), part_id)


@router.get("/audio/{audio}/peaks/{exponent}/{index}", response_class=Response)
def peak_picture(audio: str, exponent: int, index: int, desk: AnyDesk) -> Response:
    """Smallest and largest samples, little-endian int16 pairs, of one tile of bins of 2**exponent samples."""
    lasting = {"Cache-Control": "private, max-age=31536000, immutable"}
    tile = peak_tile(desk, audio, exponent, index)
    return Response(tile, media_type="application/octet-stream", headers=lasting)


@router.post("/sessions/{session_id}/tempo/guesses")
def guesses(session_id: str, body: AskTempo, desk: AnyDesk) -> TempoGuesses:
    """The tempo that the hits suggest, half of it and double it."""
    return tempo_guesses(desk.standing(session_id), body.part_ids)


@router.post("/sessions/{session_id}/tempo/follow")
def follow_performance(session_id: str, body: FollowRequest, desk: AnyDesk) -> SessionState:
    """A tempo map, a change per bar, with which the grid stays with the hits."""
    return follow_parts(desk, session_id, body.revision, body.part_ids)


@router.post("/tempo/tapped")
def tapped_tempo(body: Taps) -> Tapped:
    """The tempo of taps."""
    return Tapped(bpm=tapped(body.time_s))


@router.post("/sessions/{session_id}/tempo/midi")
async def tempo_from_midi(session_id: str, request: Request, desk: AnyDesk, revision: int) -> SessionState:
    """Tempo, its changes and the time signature of a MIDI file; the request's body is the file."""
    data = await body_of(request, MOST_BYTES)
    return await run_in_threadpool(tempo_of_midi, desk, session_id, revision, data)
