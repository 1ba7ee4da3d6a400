"""Jobs: prints, archives and kits that take a while, how far each is, and its file when it is done."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, Query, Request
from fastapi.responses import FileResponse
from pydantic import BaseModel, Field
from starlette.concurrency import run_in_threadpool

from nubrak.desk.desk import Desk
from nubrak.desk.jobs import (
    OpenedSession,
    begin_archive,
    begin_kit,
    begin_opening,
    begin_print,
    begin_slices,
    begin_sound_font,
    cancel_job,
    file_of,
)
from nubrak.desk.printing import StemChoice, StemReport, draft
from nubrak.desk.recorded_kit import KitChoice, RecordedKit
from nubrak.desk.slicing import SlicesChoice
from nubrak.desk.sound_font import FontKits
from nubrak.store.jobs import Job, job_of
from nubrak.web.intake import received
from nubrak.web.routes.wire import PROBLEMS, AnyDesk, ProblemBody, disposition

router = APIRouter(prefix="/api", responses=PROBLEMS)


class JobState(BaseModel):
    """How far a job is, and what it says when it is done."""

    job_id: str
    kind: str
    share: float
    done: bool
    report: StemReport | None = Field(default=None, description="of prints")
    opened: OpenedSession | None = Field(default=None, description="of an archive that was opened")
    kit: RecordedKit | None = Field(default=None, description="that was made of a session")
    font: FontKits | None = Field(default=None, description="a sound font's, that came in")
    problem: ProblemBody | None = None


@router.post("/sessions/{session_id}/print/jobs", status_code=202)
def print_everything(session_id: str, body: StemChoice, desk: AnyDesk) -> JobState:
    """Begin to print a choice: the files, the MIDI and a report in one zip."""
    return _state(begin_print(desk, session_id, body))


@router.post("/sessions/{session_id}/archive/jobs", status_code=202)
def pack_session(session_id: str, desk: AnyDesk) -> JobState:
    """Begin to pack the whole session as one file that another installation opens alike."""
    return _state(begin_archive(desk, session_id))


@router.post("/sessions/{session_id}/kit/jobs", status_code=202)
def make_kit_of_session(session_id: str, body: KitChoice, desk: AnyDesk) -> JobState:
    """Begin to make a playable kit of the drums in a session: each piece's clearest strokes."""
    return _state(begin_kit(desk, session_id, body))


@router.post("/sessions/{session_id}/slices/jobs", status_code=202)
def print_slices_of_source(session_id: str, body: SlicesChoice, desk: AnyDesk) -> JobState:
    """Begin to print a source's slices: WAVs, SFZ, and MIDI that replays them."""
    return _state(begin_slices(desk, session_id, body))


@router.post("/archives", status_code=202)
async def open_session(
    request: Request, desk: AnyDesk, name: Annotated[str, Query(max_length=4096)] = "archive.zip"
) -> JobState:
    """Begin to open a session archive as a new session; the request's body is the file."""
    return await _begun_with(request, desk, name, begin_opening)


@router.post("/sound-fonts", status_code=202)
async def take_font(
    request: Request, desk: AnyDesk, name: Annotated[str, Query(max_length=4096)] = "font.sf2"
) -> JobState:
    """Begin to bring in the drum kits of a sound font (SF2, SF3); the request's body is the file."""
    return await _begun_with(request, desk, name, begin_sound_font)


async def _begun_with(
    request: Request, desk: Desk, name: str, begin: Callable[[Desk, Path], Job]
) -> JobState:
    path = await run_in_threadpool(draft, desk, "upload")
    try:
        await received(request, path, name)
        return _state(await run_in_threadpool(begin, desk, path))
    finally:
        await run_in_threadpool(path.unlink, missing_ok=True)


@router.get("/jobs/{job_id}")
def job(job_id: str, desk: AnyDesk) -> JobState:
    """How far a job is, and what it says when it is done."""
    return _state(job_of(desk.engine, job_id))


@router.delete("/jobs/{job_id}", status_code=204)
def stop_job(job_id: str, desk: AnyDesk) -> None:
    """No more of it is wanted; nothing of it is kept."""
    cancel_job(desk, job_id)


@router.get("/jobs/{job_id}/file", response_class=FileResponse)
def job_file(job_id: str, desk: AnyDesk) -> FileResponse:
    """The file of a job that is done."""
    path = file_of(desk, job_id)
    return FileResponse(path, media_type="application/zip", headers=disposition(path.name))


def _state(job: Job) -> JobState:
    done = job.said is not None and job.problem is None
    return JobState(
        job_id=job.id,
        kind=job.kind,
        share=round(job.share, 3),
        done=done,
        report=StemReport.model_validate(job.said) if done and job.kind == "print" else None,
        opened=OpenedSession.model_validate(job.said) if done and job.kind == "open" else None,
        kit=RecordedKit.model_validate(job.said) if done and job.kind == "kit" else None,
        font=FontKits.model_validate(job.said) if done and job.kind == "font" else None,
        problem=ProblemBody.model_validate(job.problem) if job.problem else None,
    )
