"""The routes. Each asks the desk and hands on; the rules are in the core."""

from __future__ import annotations

import secrets
import zipfile
from collections.abc import AsyncIterator
from dataclasses import replace
from io import BytesIO
from typing import Annotated, Literal
from urllib.parse import quote

import numpy as np
from fastapi import APIRouter, Depends, Query, Request, Response
from fastapi.responses import FileResponse
from sse_starlette.sse import EventSourceResponse
from starlette.background import BackgroundTask
from starlette.concurrency import run_in_threadpool

from nubrak.core.decide import WORTH_A_LOOK, Decisions, Mark, places, similar_to
from nubrak.core.flow import band_of
from nubrak.core.midi import TICKS_PER_QUARTER, USUAL_TICKS, Track, half_tick_ms, midi_file
from nubrak.core.mix import Bus
from nubrak.core.pieces import MATERIALS, PIECES, file_name, plain_name
from nubrak.core.prints import ENDING, Depth, Form, PrintSettings, to_csv, to_jams, to_json
from nubrak.core.problem import Problem
from nubrak.core.session import Document, Give, SetMark
from nubrak.core.signal import peaks as peaks
from nubrak.store.kits import all_kits
from nubrak.store.sessions import SessionLine, SessionState
from nubrak.web.arrive import arrive
from nubrak.web.desk import Desk, Standing
from nubrak.web.intake import take_in
from nubrak.web.looks import bar_to_take, differences, hit_lines, leaks_of, look_places, said, snapped
from nubrak.web.printing import printed
from nubrak.web.shapes import (
    AddRequest,
    AnalysisRequest,
    AskDecision,
    AskReason,
    AskSimilar,
    BestBar,
    DecisionColumns,
    EditRequest,
    GiveRequest,
    Library,
    NewSession,
    Overview,
    PartOverview,
    ProblemBody,
    Reason,
    SecondLook,
    Similar,
    SpillMap,
    WalkRequest,
)

router = APIRouter(prefix="/api", responses={code: {"model": ProblemBody} for code in (403, 404, 409, 422)})


def desk_of(request: Request) -> Desk:
    """The desk the application was set up with."""
    desk: Desk = request.app.state.desk
    return desk


AnyDesk = Annotated[Desk, Depends(desk_of)]


@router.get("/library")
def library(desk: AnyDesk) -> Library:
    """Pieces and kits to choose from."""
    return Library(
        pieces=list(PIECES.values()), materials=list(MATERIALS.values()), kits=all_kits(desk.engine)
    )


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


@router.post("/sessions/{session_id}/sources", status_code=201)
async def add_source(
    session_id: str,
    request: Request,
    desk: AnyDesk,
    name: Annotated[str, Query(max_length=4096)] = "unnamed",
    source: str | None = None,
) -> SessionState:
    """Take a file in as a new source, or as a further take of one; the request's body is the file."""
    document = desk.sessions.get(session_id).document
    if source is not None:
        document.source(source)
    name = plain_name(name)
    audio, facts = await take_in(request, desk.engine, desk.uploads, name)
    return await run_in_threadpool(arrive, desk, session_id, name, audio, facts, source)


@router.post("/sessions/{session_id}/analysis", status_code=204)
def analysis(session_id: str, body: AnalysisRequest, desk: AnyDesk) -> None:
    """Cancel the analysis of what is still missing, or take it up again."""
    desk.analyse(desk.standing(session_id), body.on)


@router.get("/sessions/{session_id}/overview")
def overview(session_id: str, desk: AnyDesk) -> Overview:
    """Every part's hits, for the staff and the list; asks for the analysis of what has not been analysed."""
    standing = desk.standing(session_id)
    desk.ask_for(standing)
    parts = []
    for part_id, part in standing.document.ordered_parts():
        notes, decisions = standing.notes(part_id), standing.decisions(part_id)
        share, problem = desk.progress(standing.waiting[part_id])
        parts.append(
            PartOverview(
                part_id=part_id,
                name=standing.document.part_name(part_id),
                time_s=np.round(notes.time_s, 5).tolist(),
                velocity=notes.velocity.tolist(),
                doubtful=len(places({part_id: decisions})),
                by_hand=len(part.marks),
                progress=share,
                problem=problem,
            )
        )
    rounding = {ticks: round(half_tick_ms(standing.document.tempo, ticks), 4) for ticks in USUAL_TICKS}
    return Overview(
        revision=standing.state.revision,
        length_s=standing.document.length_s,
        rounding_ms=rounding,
        parts=parts,
    )


@router.post("/sessions/{session_id}/parts/{part_id}/decisions", response_model=DecisionColumns)
def decisions(session_id: str, part_id: str, body: AskDecision, desk: AnyDesk) -> Response:
    """Every candidate of a part with its decision: as the part stands, or with other settings."""
    standing = desk.standing(session_id)
    now = standing.decisions(part_id)
    then = now if body.find is None else standing.decisions(part_id, body.find)
    part = standing.document.parts[part_id]
    velocity = np.zeros(len(then.time_s), np.int64)
    notes = standing.notes(part_id, body.find)
    struck = notes.row >= 0
    velocity[notes.row[struck]] = notes.velocity[struck]
    lost, let_in = differences(now, then)
    low_hz, high_hz = band_of(replace(standing.inputs[part_id], find=body.find or part.find))
    # Asked for at every step of a dragged threshold: the columns go out as they are, without being checked
    # once more.
    columns = DecisionColumns.model_construct(
        revision=standing.state.revision,
        time_s=np.round(then.time_s, 6).tolist(),
        level_db=np.round(then.level_db, 2).tolist(),
        rise_db=np.round(then.rise_db, 1).tolist(),
        state=then.state.tolist(),
        doubt=np.round(then.doubt, 3).tolist(),
        spill_db=np.round(then.spill_db, 1).tolist(),
        velocity=velocity.tolist(),
        hits=int(np.count_nonzero(then.counts)),
        lost_s=lost,
        let_in_s=let_in,
        threshold_db=round(then.threshold_db, 2),
        hold_off_ms=then.hold_off_ms,
        re_arm_db=then.re_arm_db,
        rise_needed_db=then.rise_needed_db,
        low_hz=low_hz,
        high_hz=high_hz,
        weighs=then.weighs,
        worth_a_look=WORTH_A_LOOK,
        suggestion=then.suggestion,
    )
    return Response(columns.model_dump_json(), media_type="application/json")


@router.post("/sessions/{session_id}/parts/{part_id}/reason")
def why(session_id: str, part_id: str, body: AskReason, desk: AnyDesk) -> Reason:
    """Why one candidate counts or not."""
    standing = desk.standing(session_id)
    found = standing.decisions(part_id, body.find)
    _there(found, body.index)
    return said(standing, part_id, found, body.index, body.find)


@router.post("/sessions/{session_id}/parts/{part_id}/alike")
def similarity(session_id: str, part_id: str, body: AskSimilar, desk: AnyDesk) -> Similar:
    """What sounds like one candidate and was decided the same way."""
    standing = desk.standing(session_id)
    found = standing.decisions(part_id, body.find)
    _there(found, body.index)
    return Similar(
        time_s=found.time_s[similar_to(standing.inputs[part_id].candidates, found, body.index)].tolist()
    )


@router.get("/sessions/{session_id}/second-look")
def second_look(session_id: str, desk: AnyDesk, part: str | None = None) -> SecondLook:
    """The doubtful places of a session or of one part, worst first."""
    standing = desk.standing(session_id)
    return SecondLook(
        revision=standing.state.revision,
        places=look_places(standing, _chosen(standing, part)),
        analysing=any(standing.waiting.values()),
    )


@router.get("/sessions/{session_id}/best-bar")
def bar_that_stands_for_all(session_id: str, desk: AnyDesk) -> BestBar:
    """The bar most like all others, surest and tightest."""
    return bar_to_take(desk.standing(session_id))


@router.get("/sessions/{session_id}/spill")
def spill_map(session_id: str, desk: AnyDesk) -> SpillMap:
    """Which pieces leak into which microphones, in dB and ms."""
    return leaks_of(desk.standing(session_id))


@router.post("/sessions/{session_id}/parts/{part_id}/give")
def give(session_id: str, part_id: str, body: GiveRequest, desk: AnyDesk) -> SessionState:
    """Strokes of this part belong to another: dropped here, there hits that snap to the attack."""
    standing = desk.standing(session_id)
    here = {secrets.token_hex(5): time_s for time_s in body.time_s}
    there = {secrets.token_hex(5): snapped(desk, standing, body.to_part_id, time_s) for time_s in body.time_s}
    return desk.sessions.edit(
        session_id,
        body.revision,
        Give(kind="give", part_id=part_id, to_part_id=body.to_part_id, marks=here, there=there),
    )


@router.post("/sessions/{session_id}/parts/{part_id}/add")
def add_hit(session_id: str, part_id: str, body: AddRequest, desk: AnyDesk) -> SessionState:
    """Add a hit near a place; it snaps to the attack."""
    time_s = snapped(desk, desk.standing(session_id), part_id, body.time_s)
    return desk.sessions.edit(
        session_id,
        body.revision,
        SetMark(kind="mark", part_id=part_id, marks={secrets.token_hex(5): Mark(kind="add", time_s=time_s)}),
    )


def _there(found: Decisions, index: int) -> None:
    if index >= len(found.time_s):
        raise Problem("This candidate is not there any more.", kind="missing")


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


@router.get("/audio/{audio}/peaks/{exponent}/{index}", response_class=Response)
def peak_tile(audio: str, exponent: int, index: int, desk: AnyDesk) -> Response:
    """Smallest and largest samples, little-endian int16 pairs, of ``peaks.TILE_BINS`` bins of 2**exponent
    samples.
    """
    desk.facts(audio)
    if not (0 <= exponent <= 24 and 0 <= index < 1 << 32):
        raise Problem("There is no such picture.", kind="missing")
    tile = peaks.tile(
        desk.cache.peaks_base(audio),
        desk.cache.mono(audio) if exponent < peaks.BASE_EXPONENT else np.zeros(0, np.float32),
        exponent,
        index,
    )
    return Response(
        tile.astype("<i2").tobytes(),
        media_type="application/octet-stream",
        headers={"Cache-Control": "private, max-age=31536000, immutable"},
    )


@router.get("/sessions/{session_id}/print/midi", response_class=Response)
def print_midi(
    session_id: str,
    desk: AnyDesk,
    part: str | None = None,
    layout: Literal["tracks", "one", "each"] = "tracks",
    per_quarter: Annotated[int, Query(ge=24, le=15360)] = TICKS_PER_QUARTER,
    start_s: Annotated[float | None, Query(ge=0)] = None,
    end_s: Annotated[float | None, Query(ge=0)] = None,
) -> Response:
    """Standard MIDI Files of one part or of all: a track for each, all on one track, or a file for each in a
    zip; of a region only, where both its ends are given.
    """
    standing = desk.standing(session_id)
    tempo, span = (
        standing.document.tempo,
        (start_s, end_s) if start_s is not None and end_s is not None else None,
    )
    tracks = [
        Track(standing.document.part_name(part_id), standing.notes(part_id))
        for part_id in _chosen(standing, part)
    ]
    if layout != "each":
        return Response(
            midi_file(tracks, tempo, layout == "one", per_quarter, span),
            media_type="audio/midi",
            headers=download(standing, part, "mid"),
        )
    files = BytesIO()
    with zipfile.ZipFile(files, "w", zipfile.ZIP_DEFLATED) as bundle:
        for track in tracks:
            bundle.writestr(
                file_name(f"{track.name}.mid"), midi_file([track], tempo, False, per_quarter, span)
            )
    return Response(
        files.getvalue(), media_type="application/zip", headers=download(standing, part, "zip", "MIDI")
    )


@router.get("/sessions/{session_id}/print/hits", response_class=Response)
def print_hits(
    session_id: str, desk: AnyDesk, form: Literal["csv", "json", "jams"] = "csv", part: str | None = None
) -> Response:
    """Hits as an open list: a CSV table, JSON, or a JAMS annotation."""
    standing = desk.standing(session_id)
    lines = [line for part_id in _chosen(standing, part) for line in hit_lines(standing, part_id)]
    title, length_s = standing.document.name, standing.document.length_s
    text = (
        to_csv(lines) if form == "csv" else (to_json if form == "json" else to_jams)(lines, title, length_s)
    )
    return Response(
        text.encode(),
        media_type="text/csv; charset=utf-8" if form == "csv" else "application/json",
        headers=download(standing, part, form),
    )


@router.get("/sessions/{session_id}/print/audio", response_class=FileResponse)
def print_audio(
    session_id: str,
    desk: AnyDesk,
    bus: Bus = "layers",
    depth: Depth = "24",
    part: str | None = None,
    form: Form = "wav",
    channels: Literal["stereo", "mono"] = "stereo",
    rate_hz: Annotated[int | None, Query(ge=8000, le=192000)] = None,
) -> FileResponse:
    """An audio file of the whole session that starts at zero and, as WAV, says when that was."""
    standing = desk.standing(session_id)
    parts, settings = (
        _chosen(standing, part),
        PrintSettings(form=form, depth=depth, channels=channels, rate_hz=rate_hz),
    )
    path = printed(desk, standing, bus, parts, settings)
    return FileResponse(
        path,
        media_type=f"audio/{form}",
        headers=download(standing, part, ENDING[form], bus),
        background=BackgroundTask(path.unlink),
    )


def _chosen(standing: Standing, part: str | None) -> list[str]:
    if part is None:
        return [part_id for part_id, _ in standing.document.ordered_parts()]
    standing.document.part(part)
    return [part]


def download(standing: Standing, part: str | None, ending: str, about: str = "") -> dict[str, str]:
    """The headers of a file to keep, named for the session."""
    words = [standing.document.name, standing.document.part_name(part) if part else "", about]
    return disposition(" - ".join(word for word in words if word) + f".{ending}")


def disposition(name: str) -> dict[str, str]:
    """The header of a file to keep under a name."""
    name = file_name(name)
    plain = name.encode("ascii", "replace").decode().replace('"', "'").replace("?", "_")
    return {"Content-Disposition": f"attachment; filename=\"{plain}\"; filename*=UTF-8''{quote(name)}"}
