"""Shape: notes, feels, repeats, note maps, MIDI and lists back in."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Request, Response
from pydantic import BaseModel, Field
from starlette.concurrency import run_in_threadpool

from nubrak.core.midi import MOST_BYTES, read_midi
from nubrak.core.names import Name
from nubrak.core.pieces import MOST_MAP_BYTES, NoteMap, to_text
from nubrak.core.prints import MOST_LIST_BYTES
from nubrak.core.tempo import Grid
from nubrak.core.time_line import TimeLineS
from nubrak.desk.coming_back import ChangesFromMidi, changes_from, parts_from_list, parts_from_midi
from nubrak.desk.shaping import (
    AskShape,
    LiveNotes,
    NoteMapRead,
    NoteMapTable,
    Same,
    ShapeColumns,
    live_notes,
    note_map_from,
    note_table,
    repeat_stretch,
    same,
    shape_columns,
    take_feel,
)
from nubrak.store.notemaps import forget_note_map, keep_note_map, kept_note_maps
from nubrak.store.sessions import SessionState
from nubrak.web.intake import body_of
from nubrak.web.routes.wire import PROBLEMS, AnyDesk, download

router = APIRouter(prefix="/api", responses=PROBLEMS)


class AskFeel(BaseModel):
    """A feel to take from a part."""

    revision: int
    name: Name = Field(min_length=1, max_length=80)
    grid: Grid = Grid()


class Repeat(BaseModel):
    """A stretch of a part once more, behind itself or where else it is wanted."""

    revision: int
    start_s: TimeLineS
    end_s: TimeLineS
    times: int = Field(default=1, ge=1, le=1000)
    to_s: TimeLineS | None = Field(default=None, description="copied once to here instead")


@router.post("/sessions/{session_id}/parts/{part_id}/shape", response_model=ShapeColumns)
def shaped(session_id: str, part_id: str, body: AskShape, desk: AnyDesk) -> Response:
    """Every note of a part: as it stands, as played, or with other settings."""
    columns = shape_columns(desk.standing(session_id), part_id, body)
    return Response(columns.model_dump_json(), media_type="application/json")


@router.get("/sessions/{session_id}/parts/{part_id}/same")
def same_sound(session_id: str, part_id: str, desk: AnyDesk) -> Same:
    """Which hits of a part are one and the same recorded sound."""
    return same(desk, desk.standing(session_id), part_id)


@router.post("/sessions/{session_id}/parts/{part_id}/feel")
def keep_feel(session_id: str, part_id: str, body: AskFeel, desk: AnyDesk) -> SessionState:
    """Take the feel of a part as it is played, and keep it."""
    return take_feel(desk, session_id, body.revision, part_id, body.name, body.grid)


@router.post("/sessions/{session_id}/parts/{part_id}/repeat")
def repeat(session_id: str, part_id: str, body: Repeat, desk: AnyDesk) -> SessionState:
    """A stretch of a part once more, as notes beside the recorded ones."""
    span_s = (body.start_s, body.end_s)
    return repeat_stretch(desk, session_id, body.revision, part_id, span_s, body.times, body.to_s)


@router.post("/sessions/{session_id}/midi/changes")
async def midi_changes(session_id: str, request: Request, desk: AnyDesk) -> ChangesFromMidi:
    """A MIDI file that left from here, edited elsewhere: what is different now. The request's body is the
    file.
    """
    data = await body_of(request, MOST_BYTES)
    return await run_in_threadpool(lambda: changes_from(desk.standing(session_id), read_midi(data)))


@router.post("/sessions/{session_id}/midi/parts")
async def midi_parts(session_id: str, request: Request, desk: AnyDesk, revision: int) -> SessionState:
    """Any MIDI file as parts without a source, one per piece. The request's body is the file."""
    data = await body_of(request, MOST_BYTES)
    return await run_in_threadpool(parts_from_midi, desk, session_id, revision, data)


@router.post("/sessions/{session_id}/hits")
async def hits_in(session_id: str, request: Request, desk: AnyDesk, revision: int) -> SessionState:
    """A list of hits, as CSV, JSON or JAMS, as parts without a source. The request's body is the file."""
    data = await body_of(request, MOST_LIST_BYTES)
    return await run_in_threadpool(parts_from_list, desk, session_id, revision, data)


@router.get("/sessions/{session_id}/notes", response_model=LiveNotes)
def notes_to_send(session_id: str, desk: AnyDesk, part: str | None = None, before: bool = False) -> Response:
    """Every note in order of time, to be sent to an instrument while it is due."""
    standing = desk.standing(session_id)
    notes = live_notes(standing, standing.chosen(part), before)
    return Response(notes.model_dump_json(), media_type="application/json")


@router.get("/sessions/{session_id}/note-map")
def note_map(session_id: str, desk: AnyDesk) -> NoteMapTable:
    """Which note every piece is written as."""
    return note_table(desk.standing(session_id))


@router.get("/sessions/{session_id}/print/note-map", response_class=Response)
def print_note_map(session_id: str, desk: AnyDesk) -> Response:
    """The note map as a CSV table."""
    standing = desk.standing(session_id)
    return Response(
        to_text(standing.document.note_map).encode(),
        media_type="text/csv; charset=utf-8",
        headers=download(standing, None, "csv", "note map"),
    )


@router.get("/note-maps")
def note_maps(desk: AnyDesk) -> list[NoteMap]:
    """The note maps that are kept for every session."""
    return kept_note_maps(desk.engine)


@router.put("/note-maps", status_code=204)
def keep_map(body: NoteMap, desk: AnyDesk) -> None:
    """Keep a note map under its name."""
    keep_note_map(desk.engine, body)


@router.delete("/note-maps/{name}", status_code=204)
def forget_map(name: str, desk: AnyDesk) -> None:
    """Forget a kept note map."""
    forget_note_map(desk.engine, name)


@router.post("/note-map")
async def read_note_map(
    request: Request, name: Annotated[str, Query(max_length=200)] = "Imported"
) -> NoteMapRead:
    """A CSV table as a note map, and what was skipped; the request's body is the table."""
    data = await body_of(request, MOST_MAP_BYTES)
    return await run_in_threadpool(note_map_from, data, name)
