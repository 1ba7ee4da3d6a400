"""A recording that comes in while it is played: kept as it comes, and a source of the session when it ends,
or when nobody goes on with it.
"""

from __future__ import annotations

import secrets
import threading
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from nubrak.core.gather import AudioFacts, inspect
from nubrak.core.names import Name
from nubrak.core.pieces import PIECES, PieceGuess, PieceId, file_name
from nubrak.core.problem import Problem
from nubrak.core.session import AddPass, AddSource, AnyAction, Clip, Document
from nubrak.core.time_line import LAST_S
from nubrak.desk.desk import Desk
from nubrak.store.audio import put_audio
from nubrak.store.sessions import SessionState
from nubrak.store.streams import Stream, begin_stream, forget_stream, frames_of, keep_frames, streams_of

_LEAST_S = 0.05  # shorter than any stroke
_SAMPLE_BYTES = 4
MOST_CHANNELS = 32


class PassAsked(BaseModel):
    """What a pass that begins is to become."""

    rate_hz: int = Field(ge=8000, le=384000, description="of the page's clock; the recording keeps it")
    channels: int = Field(default=1, ge=1, le=MOST_CHANNELS)
    start_s: float = Field(
        ge=-60,
        le=LAST_S,
        description="where its first frame lies on the time line; what lies before 0 is cut",
    )
    round_trip_s: float = Field(
        default=0.0, ge=0, le=1, description="how much later than it was played it arrived; it is put earlier"
    )
    piece: PieceId = "clap"
    name: Name = Field(default="", max_length=400, description="empty: its piece, numbered")
    beside: str | None = Field(default=None, description="the source that it is another pass of")


@dataclass
class Recordings:
    """Which recordings somebody is sending right now; one at a time for each session."""

    live: dict[str, str] = field(default_factory=dict)
    lock: threading.Lock = field(default_factory=threading.Lock)

    def take_up(self, session_id: str, stream_id: str) -> None:
        """Begin to send; a ``Problem`` where another window does."""
        with self.lock:
            if self.live.get(session_id, stream_id) != stream_id:
                raise Problem(
                    "Another window is recording into this session.",
                    todo="Stop recording there first, or go on in that window.",
                    kind="refused",
                )
            self.live[session_id] = stream_id

    def let_go(self, session_id: str, stream_id: str) -> None:
        """Send no more."""
        with self.lock:
            if self.live.get(session_id) == stream_id:
                del self.live[session_id]

    def sending(self) -> set[str]:
        """The recordings that come in right now."""
        with self.lock:
            return set(self.live.values())


def part_of_pass(stream_id: str) -> str:
    """The id of the part that a recording becomes."""
    return f"of-{stream_id}"


def begin_pass(desk: Desk, session_id: str, asked: PassAsked) -> str:
    """A pass that begins; its id."""
    document = desk.sessions.get(session_id).document
    if asked.beside is not None:
        document.source(asked.beside)
    stream_id = secrets.token_hex(8)
    begin_stream(desk.engine, stream_id, session_id, asked.model_dump(mode="json"))
    return stream_id


def take_frames(desk: Desk, stream: Stream, first_frame: int, data: bytes, kept: int) -> int:
    """Keep what came in from ``first_frame`` on; how many frames are kept then. What was kept already is
    passed over, so that frames may be sent again.
    """
    width = _SAMPLE_BYTES * PassAsked.model_validate(stream.document).channels
    if len(data) % width:
        raise Problem(
            "A lot of frames came cut in the middle.", "What came in before is kept.", "Send it once more."
        )
    over = max(kept - first_frame, 0)
    data = data[over * width :]
    if not data:
        return kept
    return keep_frames(desk.engine, stream.id, first_frame + over, data, len(data) // width)


def finish_pass(desk: Desk, stream: Stream) -> SessionState:
    """The session with what came in as a source of its own. A recording of nothing leaves nothing."""
    asked = PassAsked.model_validate(stream.document)
    state = desk.sessions.get(stream.session_id)
    source_id = f"pass-{stream.id}"
    if source_id not in state.document.sources:
        kept = _as_clip(desk, stream, asked, _name_of(state.document, asked))
        if kept is not None:
            clip, facts, name = kept
            state = desk.sessions.edit(
                stream.session_id,
                None,
                _added(state.document, asked, source_id, stream.id, name, clip, facts),
            )
    forget_stream(desk.engine, stream.id)
    desk.ask_for(desk.standing(stream.session_id))
    return state


def take_up_what_was_cut_off(desk: Desk, session_id: str, sending: set[str]) -> list[str]:
    """Make takes of recordings that nobody sends any more; the names of what became of them."""
    out = []
    for stream in streams_of(desk.engine, session_id):
        if stream.id not in sending:
            before = set(desk.sessions.get(session_id).document.sources)
            sources = finish_pass(desk, stream).document.sources
            out += [one.name for key, one in sources.items() if key not in before]
    return out


def _added(
    document: Document,
    asked: PassAsked,
    source_id: str,
    stream_id: str,
    name: str,
    clip: Clip,
    facts: AudioFacts,
) -> AnyAction:
    if asked.beside is not None and asked.beside in document.sources:
        return AddPass(kind="add_pass", source_id=asked.beside, name=name, clip=clip)
    piece = PIECES[asked.piece]
    return AddSource(
        kind="add_source",
        source_id=source_id,
        part_id=part_of_pass(stream_id),
        name=name,
        clip=clip,
        guess=PieceGuess(piece=piece.id, sure=1.0, why=f"It was recorded as {piece.name.lower()}."),
        notes=facts.notes,
    )


def _name_of(document: Document, asked: PassAsked) -> str:
    if asked.name:
        return asked.name
    named = PIECES[asked.piece].name
    taken = {source.name for source in document.sources.values()}
    return next(name for name in (f"{named} pass {k}" for k in range(1, 10000)) if name not in taken)


def _as_clip(desk: Desk, stream: Stream, asked: PassAsked, name: str) -> tuple[Clip, AudioFacts, str] | None:
    """What came in as a stored file of 32-bit samples, from the start of the time line on; None where there
    is nothing of it.
    """
    start_s = asked.start_s - asked.round_trip_s
    skipped = max(round(-start_s * asked.rate_hz), 0)
    path = desk.uploads / f"{secrets.token_hex(8)}.wav"
    try:
        frames = _write(path, desk, stream, asked, skipped)
        if frames < _LEAST_S * asked.rate_hz:
            return None
        facts = inspect(path, name)
        audio = put_audio(desk.engine, path, file_name(f"{name}.wav"), facts)
    finally:
        path.unlink(missing_ok=True)
    # To the sample: a place between two samples would be rounded wherever it is heard.
    at = max(round(start_s * asked.rate_hz), 0) / asked.rate_hz
    clip = Clip(
        audio=audio, start_s=at, length_s=facts.length_s, channels=asked.channels, rate_hz=asked.rate_hz
    )
    return clip, facts, name


def _write(path: Path, desk: Desk, stream: Stream, asked: PassAsked, skipped: int) -> int:
    written = 0
    with soundfile.SoundFile(
        str(path), "w", samplerate=asked.rate_hz, channels=asked.channels, format="RF64", subtype="FLOAT"
    ) as file:
        at = 0
        for data in frames_of(desk.engine, stream.id):
            block: NDArray[np.float32] = np.frombuffer(data, "<f4").reshape(-1, asked.channels)
            part = block[max(skipped - at, 0) :]
            at += len(block)
            # What is no number would stay one through all that is made of it.
            file.write(np.nan_to_num(part, nan=0.0, posinf=1.0, neginf=-1.0))
            written += len(part)
    return written
