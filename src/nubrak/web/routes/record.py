"""Recording: a web socket on which a page's microphone comes in and is kept while it comes, the passes that
were cut off, the round trip, and bars out of several passes.
"""

from __future__ import annotations

import json
import struct
from typing import Annotated

from fastapi import APIRouter, Query, Request, WebSocket, WebSocketDisconnect
from pydantic import BaseModel, Field, ValidationError
from starlette.concurrency import run_in_threadpool

from nubrak.core.problem import Problem, disk_is_full
from nubrak.desk.desk import Desk
from nubrak.desk.passes import PassBar, bars_of_passes, choose_bars, click_sound, measured_round_trip
from nubrak.desk.recording import (
    PassAsked,
    Recordings,
    begin_pass,
    finish_pass,
    take_frames,
    take_up_what_was_cut_off,
)
from nubrak.store.sessions import SessionState
from nubrak.store.streams import stream_of
from nubrak.web.intake import body_of
from nubrak.web.routes.wire import PROBLEMS, AnyDesk

router = APIRouter(prefix="/api", responses=PROBLEMS)
_HEAD = struct.Struct("<Q")  # the number of the first frame of a lot
MOST_BYTES = 8 << 20  # of one lot: some seconds of many channels
_MOST_ROUND_TRIP_BYTES = 64 << 20
_REFUSED, _TOO_LARGE, _NO_ROOM = 1008, 1009, 1013  # RFC 6455 and its registry of close codes


# When a click was sounded, in s of what was heard.
ClickS = Annotated[float, Field(ge=0, le=600, allow_inf_nan=False)]


class Begin(BaseModel):
    """What a page says first: what the pass is to become, or which one it goes on with."""

    stream_id: str | None = None
    asked: PassAsked | None = None


class TakenUp(BaseModel):
    """The takes that became of recordings that were cut off."""

    names: list[str]


class ChosenBars(BaseModel):
    """Which pass each bar is taken from."""

    revision: int
    chosen: list[int] = Field(max_length=4000, description="by bar, from the time line's start on")


class RoundTrip(BaseModel):
    """How much later than it is played a stroke arrives in the recording."""

    round_trip_s: float


@router.websocket("/sessions/{session_id}/record")
async def record(socket: WebSocket, session_id: str) -> None:
    """A pass: first a word of what it is to become, then lots of frames (the number of the first as 64 bits,
    then little-endian float32, channels in turn). Every lot is acknowledged once it is kept; a page that was
    cut off goes on from there. ``{"finish": true}`` makes a source of it.
    """
    desk: Desk = socket.app.state.desk
    recordings: Recordings = socket.app.state.recordings
    await socket.accept()
    stream_id = ""
    try:
        begin = Begin.model_validate_json(await socket.receive_text())
        stream_id, kept = await run_in_threadpool(_taken_up, desk, recordings, session_id, begin)
        stream = await run_in_threadpool(stream_of, desk.engine, stream_id)
        await socket.send_json({"stream_id": stream_id, "kept": kept})
        while True:
            message = await socket.receive()
            if message["type"] == "websocket.disconnect":
                return
            data, text = message.get("bytes"), message.get("text")
            if data is not None:
                if not _HEAD.size < len(data) <= MOST_BYTES:
                    await socket.close(_TOO_LARGE, "A lot of frames is cut or too large.")
                    return
                (first,) = _HEAD.unpack_from(data)
                # One lot after the other: a page that sends faster than can be kept is held up by the socket.
                kept = await run_in_threadpool(take_frames, desk, stream, first, data[_HEAD.size :], kept)
                await socket.send_json({"kept": kept})
            elif text is not None and json.loads(text).get("finish"):
                state = await run_in_threadpool(finish_pass, desk, stream)
                await socket.send_json({"finished": True, "revision": state.revision})
                await socket.close()
                return
    except WebSocketDisconnect:
        return
    except (ValidationError, ValueError) as error:
        await socket.close(_REFUSED, f"This is no recording: {type(error).__name__}."[:120])
    except Problem as problem:
        await socket.send_json({"problem": problem.what, "kept_so": problem.kept, "todo": problem.todo})
        await socket.close(_REFUSED)
    except Exception as error:
        if not disk_is_full(error, desk.cache.folder):
            raise
        await socket.send_json(
            {
                "problem": "The disk is full; the recording stopped.",
                "kept_so": "What was played until then is kept as a take.",
                "todo": "Make room and record the rest.",
            }
        )
        await socket.close(_NO_ROOM)
    finally:
        if stream_id:
            recordings.let_go(session_id, stream_id)


def _taken_up(desk: Desk, recordings: Recordings, session_id: str, begin: Begin) -> tuple[str, int]:
    """The id of the recording that a page sends now, and how many of its frames are kept."""
    if begin.stream_id is not None:
        stream = stream_of(desk.engine, begin.stream_id)
        if stream.session_id != session_id:
            raise Problem("This recording belongs to another session.", todo="Begin another one.")
        recordings.take_up(session_id, stream.id)
        return stream.id, stream.frames
    if begin.asked is None:
        raise Problem("Nothing was said of what is recorded.", todo="Say which piece it is.")
    return begin_pass(desk, recordings, session_id, begin.asked), 0


@router.post("/sessions/{session_id}/recordings/cut-off")
def take_up_recordings(session_id: str, request: Request, desk: AnyDesk) -> TakenUp:
    """Make takes of what was being recorded when the page or the server went away."""
    recordings: Recordings = request.app.state.recordings
    return TakenUp(names=take_up_what_was_cut_off(desk, recordings, session_id))


@router.get("/sessions/{session_id}/sources/{source_id}/bars")
def bars_under_passes(session_id: str, source_id: str, desk: AnyDesk) -> list[PassBar]:
    """The bars that the passes of a source reach over, each with its place in what is chosen by bar."""
    return bars_of_passes(desk, session_id, source_id)


@router.post("/sessions/{session_id}/sources/{source_id}/bars")
def bars_from_passes(session_id: str, source_id: str, body: ChosenBars, desk: AnyDesk) -> SessionState:
    """Take each bar of a source from one of its passes."""
    return choose_bars(desk, session_id, body.revision, source_id, body.chosen)


@router.post("/round-trip")
async def measure_round_trip(
    request: Request,
    rate_hz: Annotated[int, Query(ge=8000, le=384000)],
    clicks_s: Annotated[list[ClickS], Query(min_length=2, max_length=64)],
) -> RoundTrip:
    """How much later than they sounded clicks are heard; the request's body is what the microphone heard,
    little-endian float32.
    """
    data = await body_of(request, _MOST_ROUND_TRIP_BYTES)
    return RoundTrip(round_trip_s=await run_in_threadpool(measured_round_trip, data, rate_hz, clicks_s))


@router.get("/click")
def click_samples(rate_hz: Annotated[int, Query(ge=8000, le=384000)]) -> list[float]:
    """The click, as it sounds at a rate."""
    return click_sound(rate_hz)
