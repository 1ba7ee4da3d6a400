"""A recording that comes in is kept lot by lot, in order, and nothing of it twice."""

from __future__ import annotations

import secrets

import pytest
from sqlalchemy import Engine

from nubrak.core.problem import Problem
from nubrak.core.session import Document
from nubrak.store.sessions import Sessions
from nubrak.store.streams import begin_stream, forget_stream, frames_of, keep_frames, stream_of, streams_of


@pytest.fixture
def a() -> str:
    return secrets.token_hex(8)


@pytest.fixture
def session(engine: Engine) -> str:
    return Sessions(engine).new(Document(name="Claps")).id


def test_frames_come_back_in_order(engine: Engine, session: str, a: str) -> None:
    begin_stream(engine, a, session, {"piece": "clap"})
    for lot in range(12):
        assert keep_frames(engine, a, 2 * lot, bytes([lot] * 8), 2) == 2 * lot + 2
    assert b"".join(frames_of(engine, a)) == b"".join(bytes([lot] * 8) for lot in range(12))
    assert stream_of(engine, a).frames == 24


def test_frames_that_do_not_follow_are_refused(engine: Engine, session: str, a: str) -> None:
    begin_stream(engine, a, session, {})
    keep_frames(engine, a, 0, b"1234", 1)
    for first in (0, 2, 99):
        with pytest.raises(Problem, match="1 were kept"):
            keep_frames(engine, a, first, b"5678", 1)
    assert b"".join(frames_of(engine, a)) == b"1234"


def test_it_goes_with_its_session_and_when_it_is_taken_in(engine: Engine, session: str, a: str) -> None:
    begin_stream(engine, a, session, {})
    begin_stream(engine, a + "b", session, {})
    keep_frames(engine, a, 0, b"1234", 1)
    forget_stream(engine, a)
    assert [one.id for one in streams_of(engine, session)] == [a + "b"]
    with pytest.raises(Problem, match="not coming in any more"):
        keep_frames(engine, a, 1, b"5678", 1)
    Sessions(engine).remove(session)
    with pytest.raises(Problem):
        stream_of(engine, a + "b")
