"""Layer: what is heard, sounds put with a part, locks and overlays."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Query, Response
from pydantic import BaseModel, Field

from nubrak.core.mix import Bus
from nubrak.desk.listening import (
    Matched,
    Meters,
    heard_parts,
    matched,
    meters,
    packed,
    settings_of,
    with_click,
    without_of,
)
from nubrak.desk.locking import LockFound, OverlayColumns, found_lock, lock_again, overlaid
from nubrak.desk.suggesting import Suggestions, suggestions
from nubrak.desk.trying import NewLayer, put_sound, sounding_hits, with_tried
from nubrak.store.sessions import SessionState
from nubrak.web.routes.wire import PROBLEMS, AnyDesk, samples

router = APIRouter(prefix="/api", responses=PROBLEMS)

MOST_WINDOW_FRAMES = 60 * 48000  # a minute at once
_MOST_METERED_S = 10  # metered at once: meters are drawn ahead of the sound
Start = Annotated[int, Query(ge=0)]


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
    click: bool = False,
    bus_id: str | None = None,
    without: Annotated[str | None, Query(max_length=2000)] = None,
) -> Response:
    """A window of what is heard, little-endian float32, interleaved stereo, at the session's rate; ``find``
    holds settings of one part that are still being moved, as JSON; ``before`` sounds the notes as played,
    with nothing shaped; ``back`` the session before its last edit; without ``backing`` what is only played
    along to is silent; ``kit`` and ``instrument`` are a sound tried on the part ``trying`` in place of
    its ``layer``, or instead of the ticks of the bus ``trigger``; with ``click`` every beat clicks; of
    all parts together ``bus_id`` is heard alone; ``without`` holds stages that are not heard, as JSON.
    """
    standing = desk.one_back(session_id) if back else desk.standing(session_id)
    if trying is not None and kit is not None and instrument is not None:
        standing = with_tried(desk, standing, trying, layer, kit, instrument)
    if bus == "trigger" and part is not None and kit is not None and instrument is not None:
        standing, bus = sounding_hits(desk, standing, part, kit, instrument), "layers"
    parts = heard_parts(standing, part, backing)
    settings = settings_of(find) if part else None
    window = desk.window(
        standing,
        bus,
        parts,
        start,
        frames,
        settings,
        before,
        solo=True,
        bussed=part is None,
        bus_id=bus_id if part is None else None,
        without=without_of(without),
        mastered=True,
    )
    return samples(packed(with_click(standing, window, start) if click else window))


@router.get("/sessions/{session_id}/loudness")
def loudness(
    session_id: str, desk: AnyDesk, start: Start, end: Start, part: str | None = None, backing: bool = True
) -> Matched:
    """How loud recording, layers and both are over a stretch, and what brings them to one loudness."""
    standing = desk.standing(session_id)
    most = round(standing.document.length_s * standing.document.rate_hz)
    return matched(
        desk, standing, heard_parts(standing, part, backing), min(start, most), min(end, most), part is None
    )


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
    return put_sound(desk, session_id, part_id, body)


@router.get("/sessions/{session_id}/parts/{part_id}/layers/{layer_id}/lock")
def lock_of_layer(session_id: str, part_id: str, layer_id: str, desk: AnyDesk) -> LockFound | None:
    """Polarity and offset of a layer against the recording, and what they are worth; null for a layer that
    was taken away while this was asked.
    """
    standing = desk.standing(session_id)
    if layer_id not in standing.document.part(part_id).layers:
        return None
    return found_lock(desk, standing, part_id, layer_id)


class LockRequest(BaseModel):
    """A layer to be put where its lock is."""

    revision: int
    each: bool = Field(default=False, description="every hit gets its own offset")


@router.post("/sessions/{session_id}/parts/{part_id}/layers/{layer_id}/lock")
def lock_layer(
    session_id: str, part_id: str, layer_id: str, body: LockRequest, desk: AnyDesk
) -> SessionState:
    """Put a layer where its lock is."""
    return lock_again(desk, session_id, body.revision, part_id, layer_id, body.each)


@router.get("/sessions/{session_id}/parts/{part_id}/layers/{layer_id}/overlay")
def overlay_of_layer(session_id: str, part_id: str, layer_id: str, desk: AnyDesk) -> OverlayColumns | None:
    """All hits of a part at their attack, and the layer over them; null for a layer that was taken away
    while this was asked.
    """
    standing = desk.standing(session_id)
    if layer_id not in standing.document.part(part_id).layers:
        return None
    return overlaid(desk, standing, part_id, layer_id)
