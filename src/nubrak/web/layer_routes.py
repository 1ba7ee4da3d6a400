"""The routes of Layer and Print: what is heard, how a layer locks to its recording and lies over it, what
would suit, and everything as stems.
"""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Query, Request, Response
from fastapi.responses import FileResponse
from pydantic import BaseModel, Field
from starlette.background import BackgroundTask
from starlette.concurrency import run_in_threadpool

from nubrak.core.decide import FindSettings
from nubrak.core.mix import Bus
from nubrak.core.problem import Problem
from nubrak.core.samples import Instrument
from nubrak.core.session import AddLayer, SetLayer
from nubrak.store.sessions import SessionState
from nubrak.web.archiving import open_archive, write_archive
from nubrak.web.intake import received
from nubrak.web.layer_looks import LockFound, OverlayColumns, found_lock, overlaid
from nubrak.web.listening import Matched, Meters, heard_parts, matched, meters
from nubrak.web.printing import StemChoice, StemReport, bundle, check, draft, report
from nubrak.web.routes import AnyDesk, download
from nubrak.web.shapes import ProblemBody
from nubrak.web.suits import Suggestions, suggestions
from nubrak.web.trying import fitted, instrument_of, with_tried

MOST_WINDOW_FRAMES = 60 * 48000
_MOST_METERED_S = 10
router = APIRouter(prefix="/api", responses={code: {"model": ProblemBody} for code in (403, 404, 409, 422)})
Start = Annotated[int, Query(ge=0)]


class NewLayer(BaseModel):
    """A sound to put with a part: an instrument of the library or one of its own; locked and brought to level
    as it comes in.
    """

    revision: int
    layer_id: str = Field(pattern=r"^[A-Za-z0-9_-]{1,32}$")
    instead: bool = Field(default=False, description="in place of the layer of that id, as loud as it was")
    kit_id: str | None = None
    instrument_id: str | None = None
    instrument: Instrument | None = None


class PrintJob(BaseModel):
    """How far a print is."""

    job_id: str
    share: float
    done: bool
    report: StemReport | None = None
    problem: ProblemBody | None = None


@router.get("/sessions/{session_id}/sound/{bus}", response_class=Response)
def sound(
    session_id: str,
    bus: Bus,
    desk: AnyDesk,
    start: Start,
    frames: Annotated[int, Query(ge=1, le=MOST_WINDOW_FRAMES)],
    part: str | None = None,
    find: Annotated[str | None, Query(max_length=20000)] = None,
    before: bool = False,
    backing: bool = True,
    back: bool = False,
    trying: str | None = None,
    layer: str | None = None,
    kit: str | None = None,
    instrument: str | None = None,
) -> Response:
    """A window of what is heard, little-endian float32, interleaved stereo, at the session's rate; ``find``
    holds settings of one part that are still being moved, as JSON; ``before`` sounds the notes as played,
    with nothing shaped; ``back`` the session before its last edit; without ``backing`` what is only played
    along to is silent; ``kit`` and ``instrument`` are a sound tried on the part ``trying`` in place of its
    ``layer``.
    """
    standing = desk.one_back(session_id) if back else desk.standing(session_id)
    if trying is not None and kit is not None and instrument is not None:
        standing = with_tried(desk, standing, trying, layer, kit, instrument)
    parts = heard_parts(standing, part, backing)
    settings = FindSettings.model_validate_json(find) if find and part else None
    window = desk.window(standing, bus, parts, start, frames, settings, before, solo=True)
    return Response(
        window.astype("<f4").tobytes(),
        media_type="application/octet-stream",
        headers={"Cache-Control": "no-store"},
    )


@router.get("/sessions/{session_id}/loudness")
def loudness(
    session_id: str, desk: AnyDesk, start: Start, end: Start, part: str | None = None, backing: bool = True
) -> Matched:
    """How loud recording, layers and both are over a stretch, and what brings them to one loudness."""
    standing = desk.standing(session_id)
    most = round(standing.document.length_s * standing.document.rate_hz)
    return matched(desk, standing, heard_parts(standing, part, backing), min(start, most), min(end, most))


@router.get("/sessions/{session_id}/meters")
def meters_of(
    session_id: str,
    desk: AnyDesk,
    start: Start,
    frames: Annotated[int, Query(ge=1, le=_MOST_METERED_S * 48000)],
) -> Meters:
    """Peak and momentary loudness of every part along a stretch, recording and layers apart."""
    standing = desk.standing(session_id)
    return meters(desk, standing, heard_parts(standing, None), start, frames)


@router.get("/sessions/{session_id}/parts/{part_id}/suits")
def sounds_that_suit(
    session_id: str, part_id: str, desk: AnyDesk, by: Literal["likeness", "adds"] = "likeness"
) -> Suggestions:
    """The library's sounds for a part: by likeness to the recorded strokes, or by what they would add."""
    return suggestions(desk, desk.standing(session_id), part_id, by)


@router.post("/sessions/{session_id}/parts/{part_id}/layers")
def put_layer(session_id: str, part_id: str, body: NewLayer, desk: AnyDesk) -> SessionState:
    """Put a sound with a part, locked to the recording and about 6 dB under it, or as loud as the one it
    replaces.
    """
    standing = desk.standing(session_id)
    instrument = body.instrument
    if instrument is None:
        if body.kit_id is None or body.instrument_id is None:
            raise Problem("No sound was named.", todo="Choose one from the library.")
        instrument = instrument_of(desk, body.kit_id, body.instrument_id)
    instead = standing.document.part(part_id).layers.get(body.layer_id) if body.instead else None
    layer = fitted(desk, standing, part_id, instrument, instead)
    changes = {
        name: getattr(layer, name)
        for name in ("polarity", "offset_samples", "level_db", "notes", "silenced_by", "each")
    }
    if instead is not None:
        return desk.sessions.edit(
            session_id,
            body.revision,
            SetLayer(
                kind="set_layer",
                part_id=part_id,
                layer_id=body.layer_id,
                changes=changes,
                instrument=instrument,
            ),
        )
    return desk.sessions.edit(
        session_id,
        body.revision,
        AddLayer(
            kind="add_layer", part_id=part_id, layer_id=body.layer_id, instrument=instrument, changes=changes
        ),
    )


@router.get("/sessions/{session_id}/parts/{part_id}/layers/{layer_id}/lock")
def lock_of_layer(session_id: str, part_id: str, layer_id: str, desk: AnyDesk) -> LockFound:
    """Polarity and offset of a layer against the recording, and what they are worth."""
    return found_lock(desk, desk.standing(session_id), part_id, layer_id)


@router.get("/sessions/{session_id}/parts/{part_id}/layers/{layer_id}/overlay")
def overlay_of_layer(session_id: str, part_id: str, layer_id: str, desk: AnyDesk) -> OverlayColumns:
    """All hits of a part at their attack, and the layer over them."""
    return overlaid(desk, desk.standing(session_id), part_id, layer_id)


@router.post("/sessions/{session_id}/print/report")
def print_report(session_id: str, body: StemChoice, desk: AnyDesk) -> StemReport:
    """Peak, loudness and what would be cut off, for every print of a choice, before any is written."""
    return report(desk, desk.standing(session_id), body)


@router.post("/sessions/{session_id}/print/jobs", status_code=201)
def begin_print(session_id: str, body: StemChoice, desk: AnyDesk) -> PrintJob:
    """Begin to print a choice: the files, the MIDI and a report in one zip."""
    standing = desk.standing(session_id)
    check(desk, standing, body)
    job_id = desk.jobs.begin(lambda go_on: bundle(desk, standing, body, go_on))
    return PrintJob(job_id=job_id, share=0.0, done=False)


@router.get("/sessions/{session_id}/print/jobs/{job_id}")
def print_job(session_id: str, job_id: str, desk: AnyDesk) -> PrintJob:
    """How far a print is, and what its files say when it is done."""
    job = desk.jobs.get(job_id)
    problem = (
        ProblemBody(what=job.problem.what, kept=job.problem.kept, todo=job.problem.todo)
        if job.problem
        else None
    )
    return PrintJob(
        job_id=job_id,
        share=round(job.share, 3),
        done=job.path is not None,
        report=job.said if isinstance(job.said, StemReport) else None,
        problem=problem,
    )


@router.delete("/sessions/{session_id}/print/jobs/{job_id}", status_code=204)
def cancel_print(session_id: str, job_id: str, desk: AnyDesk) -> None:
    """No more of it is wanted; nothing of it is kept."""
    desk.jobs.cancel(job_id)


@router.get("/sessions/{session_id}/print/jobs/{job_id}/file", response_class=FileResponse)
def printed_file(session_id: str, job_id: str, desk: AnyDesk) -> FileResponse:
    """The zip of a print that is done."""
    job = desk.jobs.get(job_id)
    if job.path is None or not job.path.exists():
        raise Problem(
            "This print is not done yet." if not job.over else "This print is not there any more.",
            todo="Wait until it is, or print once more.",
            kind="missing",
        )
    return FileResponse(
        job.path,
        media_type="application/zip",
        headers=download(desk.standing(session_id), None, "zip", "prints"),
    )


@router.get("/sessions/{session_id}/archive", response_class=FileResponse)
def archive(session_id: str, desk: AnyDesk) -> FileResponse:
    """The whole session as one file that another installation opens alike."""
    standing = desk.standing(session_id)
    path = write_archive(desk, standing)
    return FileResponse(
        path,
        media_type="application/zip",
        headers=download(standing, None, "zip", "session"),
        background=BackgroundTask(path.unlink),
    )


@router.post("/archives", status_code=201)
async def open_session(
    request: Request, desk: AnyDesk, name: Annotated[str, Query(max_length=4096)] = "archive.zip"
) -> SessionState:
    """Open a session archive as a new session; the request's body is the file."""
    path = draft(desk, "upload")
    try:
        await received(request, path, name)
        return await run_in_threadpool(open_archive, desk, path)
    finally:
        path.unlink(missing_ok=True)
