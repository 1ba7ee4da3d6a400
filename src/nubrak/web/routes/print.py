"""Print: MIDI, lists, audio files, and many prints as a job."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Query, Response
from fastapi.responses import FileResponse
from starlette.background import BackgroundTask

from nubrak.core.midi import TICKS_PER_QUARTER
from nubrak.core.mix import Bus
from nubrak.core.prints import ENDING, Depth, Form, PrintSettings
from nubrak.desk.lists import Channels, Layout, ListForm, hits_as, midi_of
from nubrak.desk.printing import StemChoice, StemReport, printed, report
from nubrak.web.routes.wire import PROBLEMS, AnyDesk, download

router = APIRouter(prefix="/api", responses=PROBLEMS)


@router.post("/sessions/{session_id}/print/report")
def print_report(session_id: str, body: StemChoice, desk: AnyDesk) -> StemReport:
    """Peak, loudness and what would be cut off, for every print of a choice, before any is written."""
    return report(desk, desk.standing(session_id), body)


@router.get("/sessions/{session_id}/print/midi", response_class=Response)
def print_midi(
    session_id: str,
    desk: AnyDesk,
    part: str | None = None,
    layout: Layout = "tracks",
    per_quarter: Annotated[int, Query(ge=24, le=15360)] = TICKS_PER_QUARTER,
    start_s: Annotated[float | None, Query(ge=0)] = None,
    end_s: Annotated[float | None, Query(ge=0)] = None,
    channels: Channels = "set",
    keys: bool = False,
    lead_ms: Annotated[float, Query(ge=0, le=200)] = 0.0,
    from_bar_one: bool = False,
) -> Response:
    """Standard MIDI Files of one part or of all: a track for each, all on one track, or a file for each in a
    zip; of a region only, where both its ends are given. With ``keys`` they are notes that key a gate on the
    recordings: as long as each stroke rings, and ``lead_ms`` early. A file begins with the recording, or at
    bar one with ``from_bar_one``.
    """
    standing = desk.standing(session_id)
    span_s = (start_s, end_s) if start_s is not None and end_s is not None else None
    lead_s = lead_ms / 1000 if keys else None
    data = midi_of(
        standing, standing.chosen(part), layout, per_quarter, span_s, channels, lead_s, from_bar_one
    )
    if layout == "each":
        named = download(standing, part, "zip", "keys" if keys else "MIDI")
        return Response(data, media_type="application/zip", headers=named)
    return Response(
        data, media_type="audio/midi", headers=download(standing, part, "mid", "keys" if keys else "")
    )


@router.get("/sessions/{session_id}/print/hits", response_class=Response)
def print_hits(session_id: str, desk: AnyDesk, form: ListForm = "csv", part: str | None = None) -> Response:
    """Hits as an open list: a CSV table, JSON, or a JAMS annotation."""
    standing = desk.standing(session_id)
    text = hits_as(standing, standing.chosen(part), form)
    kind = "text/csv; charset=utf-8" if form == "csv" else "application/json"
    return Response(text.encode(), media_type=kind, headers=download(standing, part, form))


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
        standing.chosen(part),
        PrintSettings(form=form, depth=depth, channels=channels, rate_hz=rate_hz),
    )
    path = printed(desk, standing, bus, parts, settings, part is None)
    return FileResponse(
        path,
        media_type=f"audio/{form}",
        headers=download(standing, part, ENDING[form], bus),
        background=BackgroundTask(path.unlink),
    )
