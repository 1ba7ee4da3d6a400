"""Live playing on a web socket: blocks of a microphone in, or the simulated stage; strokes out as soon as
they are decided.
"""

from __future__ import annotations

import asyncio
import json
import struct
import time
from contextlib import suppress
from typing import Any

import anyio
from fastapi import APIRouter, Response, WebSocket, WebSocketDisconnect
from pydantic import BaseModel, Field, ValidationError
from starlette.concurrency import run_in_threadpool

from nubrak.core.decide import FindSettings
from nubrak.core.live import Latency
from nubrak.core.problem import Problem
from nubrak.desk.desk import Desk
from nubrak.desk.live import (
    CALIBRATION_S,
    AgainstOffline,
    Difference,
    LiveAsked,
    LivePartSaid,
    LiveRun,
    LiveTakeLine,
    StrokeSaid,
    begin_live,
    differences,
    keep_learnt,
    keep_run,
    stage,
    stage_channels,
    take_as_midi,
    takes_of_session,
)
from nubrak.store.livetakes import forget_live_take
from nubrak.web.routes.wire import PROBLEMS, AnyDesk, download

router = APIRouter(prefix="/api", responses=PROBLEMS)
STAGE_FRAMES = 128  # that the stage plays at a time, as a page's audio does
MOST_BYTES = 1 << 20
_SAID_EVERY_S = 0.5  # how it stands is said so often
_HEAD = struct.Struct("<dQ")  # when the page sent a block, in ms of its own clock; its first frame
_REFUSED, _TOO_LARGE = 1008, 1009
_BEHIND_S = 0.25  # further behind, the stage skips nothing but says so


class LiveSaid(BaseModel):
    """What the server says while it listens; what is not new is empty."""

    parts: list[LivePartSaid] | None = None
    strokes: list[StrokeSaid] = []
    heard_s: float = 0.0
    echo_ms: float | None = Field(default=None, description="when the block this answers was sent")
    latency: Latency | None = None
    against: AgainstOffline | None = None
    learnt: bool = Field(default=False, description="the kit was learnt just now")
    take_id: str | None = None
    ended: bool = False
    problem: str | None = None


class LiveWord(BaseModel):
    """What a page says while it plays."""

    find: dict[str, FindSettings] | None = None
    look_ahead_ms: float | None = Field(default=None, ge=0, le=10)
    network_ms: float | None = Field(default=None, ge=0, le=10000, description="half of a round trip")
    pass_id: str | None = Field(
        default=None, max_length=32, description="the recording that what is heard becomes"
    )
    stop: bool = False


@router.websocket("/sessions/{session_id}/live")
async def live(socket: WebSocket, session_id: str) -> None:
    """First a word of what is listened to; then, from a microphone, blocks (when it was sent, as float64 ms,
    the number of its first frame as 64 bits, then little-endian float32, channels in turn). What was decided
    comes back at once. A word changes settings, or stops; what was played is kept as a take either way.
    """
    desk: Desk = socket.app.state.desk
    await socket.accept()
    run: LiveRun | None = None
    try:
        asked = LiveAsked.model_validate_json(await socket.receive_text())
        run = await run_in_threadpool(begin_live, desk, session_id, asked)
        await _say(socket, LiveSaid(parts=run.parts_said()))
        if asked.origin == "stage":
            await _play_stage(socket, _Words(socket, desk, session_id, run))
        else:
            await _listen(socket, _Words(socket, desk, session_id, run))
        take_id = await run_in_threadpool(keep_run, desk, session_id, run)
        said = LiveSaid(
            ended=True,
            take_id=take_id,
            heard_s=run.heard_s,
            latency=run.latency(),
            against=await run_in_threadpool(run.against_offline, True),
        )
        run = None
        await _say(socket, said)
        await socket.close()
    except WebSocketDisconnect:
        pass
    except (ValidationError, ValueError) as error:
        await socket.close(_REFUSED, f"This cannot be listened to: {type(error).__name__}."[:120])
    except Problem as problem:
        await _say(socket, LiveSaid(problem=str(problem)))
        await socket.close(_REFUSED)
    finally:
        if run is not None:
            # The page went away in the middle, or the server is told to end: what was played is kept all the
            # same, and nothing may cut that off.
            with anyio.CancelScope(shield=True):
                await run_in_threadpool(keep_run, desk, session_id, run)


async def _say(socket: WebSocket, said: LiveSaid) -> None:
    await socket.send_text(said.model_dump_json(exclude_defaults=True))


class _Words:
    """What the page says meanwhile, taken in beside the playing."""

    def __init__(self, socket: WebSocket, desk: Desk, session_id: str, run: LiveRun) -> None:
        self.socket, self.desk, self.session_id, self.run = socket, desk, session_id, run
        self.stopped, self.network_ms, self.said_s = False, 0.0, -1.0

    def take(self, text: str) -> None:
        word = LiveWord.model_validate(json.loads(text))
        if word.find is not None or word.look_ahead_ms is not None:
            self.run.set(word.find or {}, word.look_ahead_ms)
        if word.pass_id is not None:
            self.run.pass_id = word.pass_id
        if word.network_ms is not None:
            self.network_ms = word.network_ms
        self.stopped = self.stopped or word.stop

    def answer(self, strokes: list[StrokeSaid], echo_ms: float | None = None) -> LiveSaid | None:
        """What there is to say after a block, if anything."""
        run = self.run
        due = run.heard_s - self.said_s >= _SAID_EVERY_S
        if not strokes and not due:
            return None
        said = LiveSaid(strokes=strokes, heard_s=run.heard_s, echo_ms=echo_ms)
        if due:
            self.said_s = run.heard_s
            said.latency, said.against, said.parts = run.latency(), run.against_offline(), run.parts_said()
        return said

    async def learn_when_due(self) -> bool:
        """Learn the kit once its ten seconds are over, and keep it; whether it was just now."""
        run = self.run
        if not run.heard or run.heard_s < CALIBRATION_S:
            return False
        await run_in_threadpool(keep_learnt, self.desk, self.session_id, run, run.learn())
        return True


async def _play_stage(socket: WebSocket, words: _Words) -> None:
    """What was recorded, played in its own time as if through cables."""
    desk, run = words.desk, words.run

    async def listen_to_words() -> None:
        with suppress(WebSocketDisconnect, RuntimeError):
            while not words.stopped:
                words.take(await socket.receive_text())
        words.stopped = True

    beside = asyncio.create_task(listen_to_words())
    try:
        channels = await run_in_threadpool(stage_channels, desk, run.document, run.asked)
        rate = run.asked.rate_hz
        begun = time.perf_counter()
        for block in stage(channels, round(run.asked.start_s * rate), STAGE_FRAMES):
            due = begun + (run.frames + len(block)) / rate
            if (ahead := due - time.perf_counter()) > 0:
                await asyncio.sleep(ahead)
            if words.stopped:
                break
            late_ms = 1000 * max(time.perf_counter() - due, 0.0)
            strokes = run.hear(block, late_ms, words.network_ms)
            learnt = await words.learn_when_due()
            said = words.answer(strokes)
            if said or learnt:
                said = said or LiveSaid(heard_s=run.heard_s)
                said.learnt = learnt
                await _say(socket, said)
            elif ahead < -_BEHIND_S:
                # A machine that cannot keep up still hears what the page says.
                await asyncio.sleep(0)
    finally:
        beside.cancel()
        with suppress(asyncio.CancelledError):
            await beside


async def _listen(socket: WebSocket, words: _Words) -> None:
    """What a page's microphone hears, block by block. The next is read when the last is decided, so that a
    page that sends faster than can be decided is held up by the socket.
    """
    run = words.run
    while not words.stopped:
        message: dict[str, Any] = dict(await socket.receive())
        if message["type"] == "websocket.disconnect":
            raise WebSocketDisconnect
        data, text = message.get("bytes"), message.get("text")
        if text is not None:
            words.take(text)
            continue
        if data is None or not _HEAD.size <= len(data) <= MOST_BYTES or not run.fits(data[_HEAD.size :]):
            await socket.close(_TOO_LARGE, "A block is cut or too large.")
            return
        came = time.perf_counter()
        sent_ms, first = _HEAD.unpack_from(data)
        strokes = run.hear(run.left_out(first), 0.0, words.network_ms)
        strokes += run.hear(
            run.samples(data[_HEAD.size :]), 1000 * (time.perf_counter() - came), words.network_ms
        )
        learnt = await words.learn_when_due()
        said = words.answer(strokes, sent_ms)
        if said or learnt:
            said = said or LiveSaid(heard_s=run.heard_s)
            said.learnt = learnt
            await _say(socket, said)


@router.get("/sessions/{session_id}/live")
def live_playing(session_id: str, desk: AnyDesk) -> list[LiveTakeLine]:
    """Every stretch of live playing that is kept, the newest first."""
    return takes_of_session(desk, session_id)


@router.get("/sessions/{session_id}/live/{take_id}/differences")
def live_differences(session_id: str, take_id: str, desk: AnyDesk) -> list[Difference]:
    """Where it and what Find says of the same parts differ."""
    return differences(desk, session_id, take_id)


@router.get("/sessions/{session_id}/live/{take_id}/midi", response_class=Response)
def live_midi(session_id: str, take_id: str, desk: AnyDesk) -> Response:
    """Its notes as a MIDI file."""
    data = take_as_midi(desk, session_id, take_id)
    return Response(
        data, media_type="audio/midi", headers=download(desk.standing(session_id), None, "mid", "live")
    )


@router.delete("/sessions/{session_id}/live/{take_id}", status_code=204)
def forget_live_playing(session_id: str, take_id: str, desk: AnyDesk) -> None:
    """Forget a stretch of live playing."""
    forget_live_take(desk.engine, session_id, take_id)
