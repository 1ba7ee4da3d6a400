"""A desk on a test database, without the web over it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pytest
from sqlalchemy import Engine

from nubrak.core.gather import inspect
from nubrak.core.samples import STARTER, Kit
from nubrak.core.session import Document
from nubrak.desk.arriving import arrive
from nubrak.desk.desk import Desk
from nubrak.store.audio import put_audio
from nubrak.store.cache import Cache
from nubrak.store.kits import all_kits, put_kit, remove_kit
from nubrak.store.sessions import Sessions, SessionState
from nubrak.work.analyse import analyse_audio
from nubrak.work.listen_together import SIDES, listen_together
from nubrak.work.queue import handing_out
from tests.conftest import decaying_strokes, write_wav

STRUCK_S = [0.25, 0.75, 1.25, 1.75]
Drop = Callable[..., SessionState]


@pytest.fixture
def desk(engine: Engine, database_url: str, tmp_path: Path) -> Iterator[Desk]:
    uploads = tmp_path / "cache" / "uploads"
    uploads.mkdir(parents=True)
    queue = handing_out(database_url)
    with queue.open():
        yield Desk(engine, Cache(engine, database_url, uploads.parent), Sessions(engine), queue, uploads)


@pytest.fixture
def session(desk: Desk) -> str:
    return desk.sessions.new(Document(name="Lamps")).id


@pytest.fixture
def drop(desk: Desk, tmp_path: Path) -> Drop:
    """Puts a recording into a session and looks it through, as a worker would."""

    def put(session_id: str, name: str, audio: np.ndarray, source_id: str | None = None) -> SessionState:
        path = write_wav(tmp_path / name, audio.astype(np.float32))
        facts = inspect(path, name)
        state = arrive(desk, session_id, name, put_audio(desk.engine, path, name, facts), facts, source_id)
        for key, look in desk.standing(session_id).missing():
            analyse_audio(desk.engine, desk.cache, key, look)
        for side in range(SIDES):
            listen_together(desk.engine, desk.cache, session_id, side)
        return state

    return put


@pytest.fixture
def put_starter(desk: Desk) -> Iterator[Callable[[Kit], None]]:
    """A library without a starter kit, and how one is put into it; other tests find what was there."""
    before = all_kits(desk.engine).get(STARTER)
    if before is not None:
        remove_kit(desk.engine, STARTER)
    yield lambda kit: put_kit(desk.engine, STARTER, kit)
    if STARTER in all_kits(desk.engine):
        remove_kit(desk.engine, STARTER)
    if before is not None:
        put_kit(desk.engine, STARTER, before)


@pytest.fixture
def kick(session: str, drop: Drop) -> tuple[str, str]:
    """A session of four kick strokes, and its part."""
    state = drop(session, "kick.wav", decaying_strokes(STRUCK_S, [0.8, 0.7, 0.2, 0.75], 2.2, hz=60))
    return session, next(iter(state.document.parts))
