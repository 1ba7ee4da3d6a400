"""The simulated sound module on a web socket: MIDI bytes in, one frame of sound back for every note-on."""

from __future__ import annotations

from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from starlette.concurrency import run_in_threadpool

from nubrak.core.midi import Remembered, received
from nubrak.desk.desk import Desk
from nubrak.desk.module import frame_of, module_kit

router = APIRouter()
MOST_BYTES = 4096  # of one message: MIDI is sent as it is due


@router.websocket("/api/module")
async def module(socket: WebSocket) -> None:
    """A frame holds note, velocity, whether it silences an open hi-hat, a spare byte, then little-endian
    float32, interleaved stereo.
    """
    desk: Desk = socket.app.state.desk
    await socket.accept()
    kit = await run_in_threadpool(module_kit, desk)
    heard = Remembered()
    try:
        while True:
            message = await socket.receive()
            if message["type"] == "websocket.disconnect":
                return
            data = message.get("bytes")
            if data is None:
                await socket.close(1003, "MIDI comes as bytes.")
                return
            if len(data) > MOST_BYTES:
                await socket.close(1009, "More than a MIDI cable carries at once.")
                return
            strikes, heard = received(data, heard)
            for strike in strikes:
                frame, heard = await run_in_threadpool(frame_of, desk, kit, strike, heard)
                await socket.send_bytes(frame)
    except WebSocketDisconnect:
        return
