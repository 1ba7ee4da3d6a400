"""The simulated sound module on a web socket: MIDI bytes in, one frame of sound back for every note-on."""

from __future__ import annotations

import struct

import numpy as np
from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from starlette.concurrency import run_in_threadpool

from nubrak.core.midi import Remembered, Strike, chokes, fullest, received, sounded
from nubrak.core.samples import Kit
from nubrak.store.kits import all_kits
from nubrak.web.desk import Desk

RATE_HZ = 44100
MOST_BYTES = 4096
router = APIRouter()


@router.websocket("/api/module")
async def module(socket: WebSocket) -> None:
    """A frame holds note, velocity, whether it silences an open hi-hat, a spare byte, then little-endian
    float32, interleaved stereo.
    """
    desk: Desk = socket.app.state.desk
    await socket.accept()
    kit = fullest(list((await run_in_threadpool(all_kits, desk.engine)).values()))
    heard = Remembered()
    try:
        while True:
            data = await socket.receive_bytes()
            if len(data) > MOST_BYTES:
                await socket.close(1009, "More than a MIDI cable carries at once.")
                return
            strikes, heard = received(data, heard)
            for strike in strikes:
                frame, heard = await run_in_threadpool(_frame, desk, kit, strike, heard)
                await socket.send_bytes(frame)
    except WebSocketDisconnect:
        return


def _frame(desk: Desk, kit: Kit, strike: Strike, heard: Remembered) -> tuple[bytes, Remembered]:
    audio, heard = sounded(strike, kit, heard, lambda sample: desk.sample(sample, RATE_HZ), RATE_HZ)
    return struct.pack("<BBBB", strike.note, strike.velocity, chokes(strike.note), 0) + np.ascontiguousarray(
        audio, "<f4"
    ).tobytes(), heard
