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
from pydantic import BaseModel, Field, model_validator

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
    pieces: list[PieceId] = Field(
        default=[],
        max_length=MOST_CHANNELS,
        description="one for each channel, which then is a source of its own; empty: one source of `piece`",
    )
    name: Name = Field(default="", max_length=400, description="empty: its piece, numbered")
    beside: str | None = Field(default=None, description="the source that it is another pass of")

    @model_validator(mode="after")
    def _a_piece_for_each_channel(self) -> PassAsked:
        if self.pieces and len(self.pieces) != self.channels:
            raise ValueError("there is to be a piece for each channel")
        return self

    @property
    def becomes(self) -> list[PieceId]:
        """The pieces of the sources that come of it."""
        return self.pieces or [self.piece]


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


def part_of_pass(stream_id: str, channel: int = 0) -> str:
    """The id of the part that a channel of a recording becomes."""
    return f"of-{_of_channel(stream_id, channel)}"


def _of_channel(stream_id: str, channel: int) -> str:
    return f"{stream_id}-{channel + 1}" if channel else stream_id


def begin_pass(desk: Desk, recordings: Recordings, session_id: str, asked: PassAsked) -> str:
    """A pass that begins; its id."""
    document = desk.sessions.get(session_id).document
    if asked.beside is not None:
        document.source(asked.beside)
    stream_id = secrets.token_hex(8)
    # Before it is there for others to see, so that nobody takes it for one that was cut off.
    recordings.take_up(session_id, stream_id)
    try:
        begin_stream(desk.engine, stream_id, session_id, asked.model_dump(mode="json"))
    except BaseException:
        recordings.let_go(session_id, stream_id)
        raise
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
    """The session with what came in as sources of their own. A recording of nothing leaves nothing."""
    asked = PassAsked.model_validate(stream.document)
    state = desk.sessions.get(stream.session_id)
    # A server that was killed in the middle of this has some of them already.
    left = [
        channel
        for channel in range(len(asked.becomes))
        if f"pass-{_of_channel(stream.id, channel)}" not in state.document.sources
    ]
    for channel, (clip, facts) in zip(left, _as_clips(desk, stream, asked, left), strict=False):
        beside = state.document.sources.get(asked.beside or "")
        if beside is not None and clip.audio in {one.audio for one in beside.passes}:
            continue
        action = _added(state.document, asked, stream.id, channel, clip, facts)
        state = desk.sessions.edit(stream.session_id, None, action)
    forget_stream(desk.engine, stream.id)
    desk.ask_for(desk.standing(stream.session_id))
    return state


def take_up_what_was_cut_off(desk: Desk, recordings: Recordings, session_id: str) -> list[str]:
    """Make takes of recordings that nobody sends any more; the names of what became of them."""
    out = []
    for stream in streams_of(desk.engine, session_id):
        # Asked once they are listed: what began meanwhile is being sent.
        if stream.id not in recordings.sending():
            before = set(desk.sessions.get(session_id).document.sources)
            sources = finish_pass(desk, stream).document.sources
            out += [one.name for key, one in sources.items() if key not in before]
    return out


def _added(
    document: Document, asked: PassAsked, stream_id: str, channel: int, clip: Clip, facts: AudioFacts
) -> AnyAction:
    piece = PIECES[asked.becomes[channel]]
    name = asked.name or _pass_name(document, piece.name)
    if asked.beside is not None and asked.beside in document.sources:
        return AddPass(kind="add_pass", source_id=asked.beside, name=name, clip=clip)
    return AddSource(
        kind="add_source",
        source_id=f"pass-{_of_channel(stream_id, channel)}",
        part_id=part_of_pass(stream_id, channel),
        name=name,
        clip=clip,
        guess=PieceGuess(piece=piece.id, sure=1.0, why=f"It was recorded as {piece.name.lower()}."),
        notes=facts.notes,
        # Nothing else was played while it was recorded, but what the same pass holds.
        room=stream_id,
    )


def _pass_name(document: Document, named: str) -> str:
    taken = {source.name for source in document.sources.values()}
    return next(name for name in (f"{named} pass {k}" for k in range(1, 10000)) if name not in taken)


def _as_clips(
    desk: Desk, stream: Stream, asked: PassAsked, wanted: list[int]
) -> list[tuple[Clip, AudioFacts]]:
    """What came in for these of its sources as stored files of 32-bit samples, from the start of the time
    line on; none where there is nothing of it.
    """
    start_s = asked.start_s - asked.round_trip_s
    skipped = max(round(-start_s * asked.rate_hz), 0)
    # To the sample: a place between two samples would be rounded wherever it is heard.
    at = max(round(start_s * asked.rate_hz), 0) / asked.rate_hz
    out = []
    for source in wanted:
        name = PIECES[asked.becomes[source]].name
        path = desk.uploads / f"{secrets.token_hex(8)}.wav"
        channels = slice(source, source + 1) if asked.pieces else slice(None)
        try:
            frames = _write(path, desk, stream, asked, channels, skipped)
            if frames < _LEAST_S * asked.rate_hz:
                return []
            facts = inspect(path, name)
            audio = put_audio(desk.engine, path, file_name(f"{asked.name or name}.wav"), facts)
        finally:
            path.unlink(missing_ok=True)
        clip = Clip(
            audio=audio, start_s=at, length_s=facts.length_s, channels=facts.channels, rate_hz=asked.rate_hz
        )
        out.append((clip, facts))
    return out


def _write(path: Path, desk: Desk, stream: Stream, asked: PassAsked, channels: slice, skipped: int) -> int:
    written = 0
    count = len(range(asked.channels)[channels])
    with soundfile.SoundFile(
        str(path), "w", samplerate=asked.rate_hz, channels=count, format="RF64", subtype="FLOAT"
    ) as file:
        at = 0
        for data in frames_of(desk.engine, stream.id):
            block: NDArray[np.float32] = np.frombuffer(data, "<f4").reshape(-1, asked.channels)
            part = block[max(skipped - at, 0) :, channels]
            at += len(block)
            # What is no number would stay one through all that is made of it.
            file.write(np.nan_to_num(part, nan=0.0, posinf=1.0, neginf=-1.0))
            written += len(part)
    return written
