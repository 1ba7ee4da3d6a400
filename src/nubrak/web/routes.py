"""The routes. Each asks the desk and hands on; the rules are in the core."""

from __future__ import annotations

import secrets
import tempfile
from collections.abc import AsyncIterator
from pathlib import Path
from typing import Annotated, Literal
from urllib.parse import quote

import numpy as np
from fastapi import APIRouter, Depends, Query, Request, Response
from fastapi.responses import FileResponse
from sse_starlette.sse import EventSourceResponse
from starlette.background import BackgroundTask

from nubrak.core import peaks
from nubrak.core.attack import snap
from nubrak.core.decide import Decisions, Mark, reason
from nubrak.core.document import Clip, Document
from nubrak.core.edit import AddSource, SetMark
from nubrak.core.find import find_candidates
from nubrak.core.flow import doubtful
from nubrak.core.kit import Instrument, Sample
from nubrak.core.midi import Track, midi_file
from nubrak.core.mix import Bus
from nubrak.core.names import PieceGuess, guess_from_name, plain_name
from nubrak.core.pieces import PIECES
from nubrak.core.prints import Depth, print_wav
from nubrak.core.problem import Problem
from nubrak.core.shape import shape
from nubrak.store.kits import all_kits
from nubrak.store.sessions import SessionLine, SessionState
from nubrak.web.desk import Desk, Standing
from nubrak.web.intake import take_in
from nubrak.web.shapes import (
    AddRequest,
    AskDecision,
    AskReason,
    DecisionColumns,
    EditRequest,
    Library,
    NewSession,
    Overview,
    PartOverview,
    ProblemBody,
    Reason,
    WalkRequest,
)

MOST_WINDOW_FRAMES = 60 * 48000
router = APIRouter(prefix="/api", responses={code: {"model": ProblemBody} for code in (403, 404, 409, 422)})


def desk_of(request: Request) -> Desk:
    """The desk the application was set up with."""
    desk: Desk = request.app.state.desk
    return desk


AnyDesk = Annotated[Desk, Depends(desk_of)]


@router.get("/library")
def library(desk: AnyDesk) -> Library:
    """Pieces and kits to choose from."""
    return Library(pieces=list(PIECES.values()), kits=all_kits(desk.engine))


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
async def add_source(session_id: str, request: Request, desk: AnyDesk, name: Annotated[str, Query(max_length=4096)] = "unnamed") -> SessionState:
    """Take a file in as a new source; the request's body is the file."""
    desk.sessions.get(session_id)
    name = plain_name(name)
    audio, facts = await take_in(request, desk.engine, desk.uploads, name)
    guess = guess_from_name(name) or PieceGuess(piece="else", why="The file's name does not say what it is.", sure=0.0)
    action = AddSource(
        kind="add_source", source_id=secrets.token_hex(5), part_id=secrets.token_hex(5), name=name, guess=guess, notes=facts.notes,
        clip=Clip(audio=audio, length_s=facts.length_s, channels=facts.channels, rate_hz=facts.rate_hz),
    )
    state = desk.sessions.edit(session_id, None, action)
    desk.ask_for(desk.standing(session_id))
    return state


@router.get("/sessions/{session_id}/overview")
def overview(session_id: str, desk: AnyDesk) -> Overview:
    """Every part's hits, for the staff and the list; asks for the analysis of what has not been analysed."""
    standing = desk.standing(session_id)
    desk.ask_for(standing)
    parts = []
    for part_id, part in standing.document.ordered_parts():
        notes, decisions = standing.notes(part_id), standing.decisions(part_id)
        share, problem = desk.progress(standing.waiting[part_id])
        parts.append(PartOverview(
            part_id=part_id, name=standing.document.part_name(part_id), time_s=np.round(notes.time_s, 5).tolist(), velocity=notes.velocity.tolist(),
            doubtful=doubtful(decisions), by_hand=len(part.marks), progress=share, problem=problem,
        ))
    return Overview(revision=standing.state.revision, length_s=standing.document.length_s, parts=parts)


@router.post("/sessions/{session_id}/parts/{part_id}/decisions", response_model=DecisionColumns)
def decisions(session_id: str, part_id: str, body: AskDecision, desk: AnyDesk) -> Response:
    """Every candidate of a part with its decision: as the part stands, or with other settings."""
    standing = desk.standing(session_id)
    now = standing.decisions(part_id)
    then = now if body.find is None else standing.decisions(part_id, body.find)
    part = standing.document.parts[part_id]
    velocity = np.zeros(len(then.time_s), np.int64)
    velocity[then.counts] = shape(then, part.shape, part.mark_list, PIECES[part.piece]).velocity
    lost, let_in = (int(np.count_nonzero(a & ~b)) for a, b in ((now.counts, then.counts), (then.counts, now.counts)))
    # Asked for at every step of a dragged threshold: the columns go out as they are, without being checked once more.
    columns = DecisionColumns.model_construct(
        revision=standing.state.revision, time_s=np.round(then.time_s, 6).tolist(), level_db=np.round(then.level_db, 2).tolist(),
        rise_db=np.round(then.rise_db, 1).tolist(), state=then.state.tolist(), doubt=np.round(then.doubt, 3).tolist(), velocity=velocity.tolist(),
        hits=int(np.count_nonzero(then.counts)), lost=lost, let_in=let_in, threshold_db=round(then.threshold_db, 2), hold_off_ms=then.hold_off_ms,
        rise_needed_db=then.rise_needed_db, suggestion=then.suggestion,
    )
    return Response(columns.model_dump_json(), media_type="application/json")


@router.post("/sessions/{session_id}/parts/{part_id}/reason")
def why(session_id: str, part_id: str, body: AskReason, desk: AnyDesk) -> Reason:
    """Why one candidate counts or not."""
    found: Decisions = desk.standing(session_id).decisions(part_id, body.find)
    if body.index >= len(found.time_s):
        raise Problem("This candidate is not there any more.", kind="missing")
    return Reason(text=reason(found, body.index))


@router.post("/sessions/{session_id}/parts/{part_id}/add")
def add_hit(session_id: str, part_id: str, body: AddRequest, desk: AnyDesk) -> SessionState:
    """Add a hit near a place; it snaps to the attack."""
    standing = desk.standing(session_id)
    document = standing.document
    source = document.sources[document.part(part_id).sources[0]]
    clip = next((c for c in source.clips if c.start_s <= body.time_s <= c.start_s + c.length_s), None)
    if clip is None:
        raise Problem("There is no recording at this place.", todo="Point at a place inside the recording.")
    known = standing.decisions(part_id)
    time_s = clip.start_s + snap(desk.cache.mono(clip.audio), body.time_s - clip.start_s, clip.rate_hz, known.time_s[~known.counts] - clip.start_s)
    return desk.sessions.edit(session_id, body.revision, SetMark(kind="mark", part_id=part_id, marks={secrets.token_hex(5): Mark(kind="add", time_s=time_s)}))


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
    """Smallest and largest samples, little-endian int16 pairs, of ``peaks.TILE_BINS`` bins of 2**exponent samples."""
    desk.facts(audio)
    if not (0 <= exponent <= 24 and 0 <= index < 1 << 32):
        raise Problem("There is no such picture.", kind="missing")
    tile = peaks.tile(desk.cache.peaks_base(audio), desk.cache.mono(audio) if exponent < peaks.BASE_EXPONENT else np.zeros(0, np.float32), exponent, index)
    return Response(tile.astype("<i2").tobytes(), media_type="application/octet-stream", headers={"Cache-Control": "private, max-age=31536000, immutable"})


@router.get("/sessions/{session_id}/sound/{bus}", response_class=Response)
def sound(
    session_id: str, bus: Bus, desk: AnyDesk, start: Annotated[int, Query(ge=0)],
    frames: Annotated[int, Query(ge=1, le=MOST_WINDOW_FRAMES)], part: str | None = None,
) -> Response:
    """A window of what is heard, little-endian float32, interleaved stereo, at the session's rate."""
    standing = desk.standing(session_id)
    window = desk.window(standing, bus, _chosen(standing, part), start, frames)
    return Response(window.astype("<f4").tobytes(), media_type="application/octet-stream", headers={"Cache-Control": "no-store"})


@router.post("/samples", status_code=201)
async def add_sample(request: Request, desk: AnyDesk, name: Annotated[str, Query(max_length=4096)] = "unnamed") -> Instrument:
    """Take a file in as an instrument of one sample; its attack is found and put on the hits."""
    name = plain_name(name)
    audio, facts = await take_in(request, desk.engine, desk.uploads, name)
    if facts.length_s > 20:
        raise Problem(f"“{name}” lasts {facts.length_s:.0f} s; a sample lasts at most 20 s.", todo="Drop it in Gather as a recording, or cut it.")
    if facts.peak == 0:
        raise Problem(f"“{name}” is silent.", todo="Choose a file that sounds.")
    found = find_candidates(desk.cache.mono(audio), facts.rate_hz)
    attack_s = float(found.time_s[np.argmax(found.peak_db)]) if len(found) else 0.0
    guess = guess_from_name(name)
    return Instrument(name=name.rpartition(".")[0] or name, piece=guess.piece if guess else "else", samples=[Sample(audio=audio, attack_s=attack_s)])


@router.get("/sessions/{session_id}/print/midi", response_class=Response)
def print_midi(session_id: str, desk: AnyDesk, part: str | None = None, layout: Literal["tracks", "one"] = "tracks") -> Response:
    """A Standard MIDI File of one part or of all."""
    standing = desk.standing(session_id)
    tracks = [Track(standing.document.part_name(part_id), standing.notes(part_id)) for part_id in _chosen(standing, part)]
    data = midi_file(tracks, standing.document.tempo, one_track=layout == "one")
    return Response(data, media_type="audio/midi", headers=_download(standing, part, "mid"))


@router.get("/sessions/{session_id}/print/audio", response_class=FileResponse)
def print_audio(session_id: str, desk: AnyDesk, bus: Bus = "layers", depth: Depth = "24", part: str | None = None) -> FileResponse:
    """A WAV file of the whole session that starts at zero."""
    standing = desk.standing(session_id)
    parts, rate = _chosen(standing, part), standing.document.rate_hz
    with tempfile.NamedTemporaryFile(dir=desk.uploads, suffix=".wav", delete=False) as draft:
        path = Path(draft.name)
    try:
        print_wav(path, lambda start, frames: desk.window(standing, bus, parts, start, frames), round(standing.document.length_s * rate), rate, depth)
    except BaseException:
        path.unlink(missing_ok=True)
        raise
    return FileResponse(path, media_type="audio/wav", headers=_download(standing, part, "wav", bus), background=BackgroundTask(path.unlink))


def _chosen(standing: Standing, part: str | None) -> list[str]:
    if part is None:
        return [part_id for part_id, _ in standing.document.ordered_parts()]
    standing.document.part(part)
    return [part]


def _download(standing: Standing, part: str | None, ending: str, about: str = "") -> dict[str, str]:
    words = [standing.document.name, standing.document.part_name(part) if part else "", about]
    name = plain_name(" - ".join(word for word in words if word) + f".{ending}".replace("/", "-"))
    plain = name.encode("ascii", "replace").decode().replace('"', "'").replace("?", "_")
    return {"Content-Disposition": f"attachment; filename=\"{plain}\"; filename*=UTF-8''{quote(name)}"}


