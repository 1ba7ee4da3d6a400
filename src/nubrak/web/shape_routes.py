"""The routes of Shape: velocities, timing, feel, tempo, note maps, MIDI and lists back in."""

from __future__ import annotations

import secrets
from typing import Annotated, Any

from fastapi import APIRouter, Query, Request, Response
from starlette.concurrency import run_in_threadpool

from nubrak.core.midi import MOST_BYTES, parts_of, read_midi
from nubrak.core.pieces import NoteMap
from nubrak.core.pieces import note_map as notemap
from nubrak.core.prints import read_hits
from nubrak.core.problem import Problem
from nubrak.core.session import AddParts, KeepFeel, NewPart, SetPattern, SetTempo
from nubrak.core.shape import PatternNote, beside_what_is_there, copied, deviation_ms, feel_of, repeated
from nubrak.core.tempo import tapped
from nubrak.store.notemaps import forget_note_map, keep_note_map, kept_note_maps
from nubrak.store.sessions import SessionState
from nubrak.web.routes import AnyDesk, download
from nubrak.web.shape_looks import (
    changes_from,
    following,
    live_notes,
    note_table,
    same,
    shape_columns,
    tempo_guesses,
)
from nubrak.web.shape_wire import (
    AskFeel,
    AskShape,
    AskTempo,
    ChangesFromMidi,
    FollowRequest,
    LiveNotes,
    NoteMapRead,
    NoteMapTable,
    Repeat,
    Same,
    ShapeColumns,
    Tapped,
    Taps,
    TempoGuesses,
)
from nubrak.web.shapes import ProblemBody

router = APIRouter(prefix="/api", responses={code: {"model": ProblemBody} for code in (403, 404, 409, 422)})
_MOST_TEXT_BYTES = 64_000_000


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
    standing = desk.standing(session_id)
    notes, tempo = standing.notes(part_id, before=True), standing.document.tempo
    if len(notes) < 4:
        raise Problem(
            f"{standing.names[part_id]} has too few hits to take a feel from.",
            todo="Take it from a part that plays.",
        )
    step, late_ms = deviation_ms(notes.time_s, tempo, body.grid)
    feel = feel_of(body.name, step, late_ms, notes.velocity, body.grid, tempo.bar_beats)
    return desk.sessions.edit(
        session_id, body.revision, KeepFeel(kind="keep_feel", feel_id=secrets.token_hex(5), feel=feel)
    )


@router.post("/sessions/{session_id}/parts/{part_id}/repeat")
def repeat(session_id: str, part_id: str, body: Repeat, desk: AnyDesk) -> SessionState:
    """A stretch of a part once more, as notes beside the recorded ones."""
    standing = desk.standing(session_id)
    if body.end_s - body.start_s < 0.01:
        raise Problem("The stretch to repeat is empty.", todo="Drag over the bar that shall come again.")
    notes, tempo = standing.notes(part_id), standing.document.tempo
    new = (
        repeated(notes, tempo, body.start_s, body.end_s, body.times)
        if body.to_s is None
        else copied(notes, tempo, body.start_s, body.end_s, [body.to_s])
    )
    if not new:
        raise Problem("There are no notes in this stretch.", todo="Drag over notes.")
    new = beside_what_is_there(new, notes)
    if not new:
        raise Problem("These notes stand there already.", todo="Repeat further on, or more often.")
    return desk.sessions.edit(
        session_id, body.revision, SetPattern(kind="set_pattern", part_id=part_id, notes=_with_ids(new))
    )


@router.post("/sessions/{session_id}/tempo/guesses")
def guesses(session_id: str, body: AskTempo, desk: AnyDesk) -> TempoGuesses:
    """The tempo that the hits suggest, half of it and double it."""
    standing = desk.standing(session_id)
    hits = sum(
        len(standing.notes(part_id, before=True)) for part_id in body.part_ids or standing.document.parts
    )
    return TempoGuesses(guesses=tempo_guesses(standing, body.part_ids), hits=hits)


@router.post("/sessions/{session_id}/tempo/follow")
def follow_performance(session_id: str, body: FollowRequest, desk: AnyDesk) -> SessionState:
    """A tempo map, a change per bar, with which the grid stays with the hits."""
    changes = following(desk.standing(session_id), body.part_ids)
    if not changes["changes"]:
        raise Problem("There are too few hits to follow.", todo="Choose a part that keeps time.")
    return desk.sessions.edit(
        session_id, body.revision, SetTempo.model_validate({"kind": "set_tempo", "changes": changes})
    )


@router.post("/tempo/tapped")
def tapped_tempo(body: Taps) -> Tapped:
    """The tempo of taps."""
    return Tapped(bpm=tapped(body.time_s))


@router.post("/sessions/{session_id}/tempo/midi")
async def tempo_from_midi(session_id: str, request: Request, desk: AnyDesk, revision: int) -> SessionState:
    """Tempo, its changes and the time signature of a MIDI file; the request's body is the file."""
    read = await run_in_threadpool(read_midi, await _body(request, MOST_BYTES))
    changes: dict[str, Any] = read.tempo.model_dump(exclude={"bar_one_s"})
    return await run_in_threadpool(
        desk.sessions.edit,
        session_id,
        revision,
        SetTempo.model_validate({"kind": "set_tempo", "changes": changes | {"bar_one_s": 0.0}}),
    )


@router.post("/sessions/{session_id}/midi/changes")
async def midi_changes(session_id: str, request: Request, desk: AnyDesk) -> ChangesFromMidi:
    """A MIDI file that left from here, edited elsewhere: what is different now. The request's body is the
    file.
    """
    read = await run_in_threadpool(read_midi, await _body(request, MOST_BYTES))
    return await run_in_threadpool(lambda: changes_from(desk.standing(session_id), read))


@router.post("/sessions/{session_id}/midi/parts")
async def midi_parts(session_id: str, request: Request, desk: AnyDesk, revision: int) -> SessionState:
    """Any MIDI file as parts without a source, one per piece. The request's body is the file."""
    read = await run_in_threadpool(read_midi, await _body(request, MOST_BYTES))
    document = await run_in_threadpool(lambda: desk.standing(session_id).document)
    found = parts_of(read, document.note_map)
    if not found:
        raise Problem(
            "This MIDI file holds no notes.", "Nothing was changed.", "Export the tracks that have notes."
        )
    parts = [NewPart(piece=one.piece, notes=_with_ids(one.notes)) for one in found]
    return await run_in_threadpool(_add_parts, desk, session_id, revision, parts)


@router.post("/sessions/{session_id}/hits")
async def hits_in(session_id: str, request: Request, desk: AnyDesk, revision: int) -> SessionState:
    """A list of hits, as CSV, JSON or JAMS, as parts without a source. The request's body is the file."""
    lines = read_hits((await _body(request, _MOST_TEXT_BYTES)).decode("utf-8", "replace"))
    document = await run_in_threadpool(lambda: desk.standing(session_id).document)
    by_part: dict[tuple[str, str], list[PatternNote]] = {}
    for line in lines:
        usual = document.note_map.number_of(line.piece)
        note = PatternNote(
            time_s=line.note_time_s, velocity=line.velocity, note=None if line.note == usual else line.note
        )
        by_part.setdefault((line.part, line.piece), []).append(note)
    if not by_part:
        raise Problem("This list holds no hits.", "Nothing was changed.")
    parts = [
        NewPart.model_validate({"piece": piece, "notes": _with_ids(notes)})
        for (_, piece), notes in by_part.items()
    ]
    return await run_in_threadpool(_add_parts, desk, session_id, revision, parts)


@router.get("/sessions/{session_id}/notes", response_model=LiveNotes)
def notes_to_send(session_id: str, desk: AnyDesk, part: str | None = None, before: bool = False) -> Response:
    """Every note in order of time, to be sent to an instrument while it is due."""
    standing = desk.standing(session_id)
    parts = [part_id for part_id, _ in standing.document.ordered_parts()] if part is None else [part]
    return Response(live_notes(standing, parts, before).model_dump_json(), media_type="application/json")


@router.get("/sessions/{session_id}/note-map")
def note_map(session_id: str, desk: AnyDesk) -> NoteMapTable:
    """Which note every piece is written as."""
    return note_table(desk.standing(session_id).document.note_map)


@router.get("/sessions/{session_id}/print/note-map", response_class=Response)
def print_note_map(session_id: str, desk: AnyDesk) -> Response:
    """The note map as a CSV table."""
    standing = desk.standing(session_id)
    return Response(
        notemap.to_text(standing.document.note_map).encode(),
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
    found, skipped = notemap.from_text(
        (await _body(request, _MOST_TEXT_BYTES)).decode("utf-8", "replace"),
        name.rpartition(".")[0][:80] or "Imported",
    )
    return NoteMapRead(note_map=found, skipped=skipped)


async def _body(request: Request, most: int) -> bytes:
    """The request's body, as far as it is of a size that can be meant."""
    out = bytearray()
    async for chunk in request.stream():
        out += chunk
        if len(out) > most:
            raise Problem(
                f"This file has more than {most / 1e6:.0f} MB; no such file of drums is that large.",
                "Nothing was changed.",
                "Choose the file itself.",
            )
    return bytes(out)


def _with_ids(notes: list[PatternNote]) -> dict[str, PatternNote]:
    return {secrets.token_hex(6): note for note in notes}


def _add_parts(desk: AnyDesk, session_id: str, revision: int, parts: list[NewPart]) -> SessionState:
    return desk.sessions.edit(
        session_id, revision, AddParts(kind="add_parts", parts={secrets.token_hex(5): part for part in parts})
    )
