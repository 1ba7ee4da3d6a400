"""The tables."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import JSON, BigInteger, DateTime, ForeignKey, Integer, LargeBinary, String, Text, func
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column


class Base(DeclarativeBase):
    """All tables of the store."""


class SessionRow(Base):
    """One session: its document as it stands, the revision it has reached, and what the list says of it."""

    __tablename__ = "session"
    id: Mapped[str] = mapped_column(String(32), primary_key=True)
    name: Mapped[str] = mapped_column(Text)
    revision: Mapped[int] = mapped_column(Integer, default=0)
    document: Mapped[dict[str, Any]] = mapped_column(JSON)
    about: Mapped[str] = mapped_column(Text, default="")
    sources: Mapped[int] = mapped_column(Integer, default=0)
    length_s: Mapped[float] = mapped_column(default=0.0)
    created: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())
    touched: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())


class EditRow(Base):
    """One edit: a labelled patch (RFC 6902) and the patch that takes it back. ``undone`` edits wait to be
    done again. What follows with the same ``gesture`` becomes part of it.
    """

    __tablename__ = "edit"
    session_id: Mapped[str] = mapped_column(ForeignKey("session.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(Integer, primary_key=True)
    label: Mapped[str] = mapped_column(Text)
    forward: Mapped[list[Any]] = mapped_column(JSON)
    backward: Mapped[list[Any]] = mapped_column(JSON)
    undone: Mapped[bool] = mapped_column(default=False)
    made: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())
    gesture: Mapped[str | None] = mapped_column(String(40), default=None)


class AudioRow(Base):
    """One audio file by the hash of its bytes; the bytes lie in ``audio_chunk``."""

    __tablename__ = "audio"
    hash: Mapped[str] = mapped_column(String(64), primary_key=True)
    name: Mapped[str] = mapped_column(Text)
    size: Mapped[int] = mapped_column(BigInteger)
    facts: Mapped[dict[str, Any]] = mapped_column(JSON)
    stored: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())


class ChunkRow(Base):
    """One MiB of an audio file."""

    __tablename__ = "audio_chunk"
    hash: Mapped[str] = mapped_column(ForeignKey("audio.hash", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(Integer, primary_key=True)
    data: Mapped[bytes] = mapped_column(LargeBinary)


class DerivedRow(Base):
    """Something computed from audio, kept under a key that says from what and by which version. May be
    deleted any time.
    """

    __tablename__ = "derived"
    key: Mapped[str] = mapped_column(String(120), primary_key=True)
    data: Mapped[bytes] = mapped_column(LargeBinary)


class KitRow(Base):
    """One kit of the library."""

    __tablename__ = "kit"
    id: Mapped[str] = mapped_column(String(32), primary_key=True)
    document: Mapped[dict[str, Any]] = mapped_column(JSON)


class NoteMapRow(Base):
    """One note map kept for every session."""

    __tablename__ = "note_map"
    name: Mapped[str] = mapped_column(String(80), primary_key=True)
    document: Mapped[dict[str, Any]] = mapped_column(JSON)


class ChainRow(Base):
    """One chain of stages kept for every session."""

    __tablename__ = "chain"
    name: Mapped[str] = mapped_column(String(80), primary_key=True)
    document: Mapped[dict[str, Any]] = mapped_column(JSON)


class StreamRow(Base):
    """One recording that is coming in: what it is to become, and how many frames of it are kept."""

    __tablename__ = "stream"
    id: Mapped[str] = mapped_column(String(32), primary_key=True)
    session_id: Mapped[str] = mapped_column(ForeignKey("session.id", ondelete="CASCADE"))
    document: Mapped[dict[str, Any]] = mapped_column(JSON)
    frames: Mapped[int] = mapped_column(BigInteger, default=0)
    touched: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())


class StreamChunkRow(Base):
    """Some frames of it: little-endian float32, channels in turn."""

    __tablename__ = "stream_chunk"
    stream_id: Mapped[str] = mapped_column(ForeignKey("stream.id", ondelete="CASCADE"), primary_key=True)
    first_frame: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    data: Mapped[bytes] = mapped_column(LargeBinary)


class LiveTakeRow(Base):
    """One stretch of live playing: what was struck, as it was decided then."""

    __tablename__ = "live_take"
    id: Mapped[str] = mapped_column(String(32), primary_key=True)
    session_id: Mapped[str] = mapped_column(ForeignKey("session.id", ondelete="CASCADE"))
    document: Mapped[dict[str, Any]] = mapped_column(JSON)
    made: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())


class CalibrationRow(Base):
    """What was learnt of a kit before live playing; ``of`` says from which parts and where it came from."""

    __tablename__ = "calibration"
    session_id: Mapped[str] = mapped_column(ForeignKey("session.id", ondelete="CASCADE"), primary_key=True)
    of: Mapped[str] = mapped_column(String(64), primary_key=True)
    data: Mapped[bytes] = mapped_column(LargeBinary)


class ProgressRow(Base):
    """How far the analysis of one audio file is, for windows that open in the middle."""

    __tablename__ = "progress"
    audio: Mapped[str] = mapped_column(String(64), primary_key=True)
    share: Mapped[float] = mapped_column(default=0.0)
    problem: Mapped[str | None] = mapped_column(Text, default=None)
    cancelled: Mapped[bool] = mapped_column(default=False)


class JobRow(Base):
    """One print or archive under way or done. ``asked`` is what it is made from, ``said`` what it says of
    itself when it is done, ``problem`` why it could not be.
    """

    __tablename__ = "job"
    id: Mapped[str] = mapped_column(String(32), primary_key=True)
    kind: Mapped[str] = mapped_column(String(20))
    asked: Mapped[dict[str, Any]] = mapped_column(JSON)
    share: Mapped[float] = mapped_column(default=0.0)
    wanted: Mapped[bool] = mapped_column(default=True)
    said: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True), default=None)
    problem: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True), default=None)
    file: Mapped[str | None] = mapped_column(Text, default=None)
    begun: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())
