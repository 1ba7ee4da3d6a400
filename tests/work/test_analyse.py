"""The analysis of one file: done once, cancelled at any point, shared through the database."""

from __future__ import annotations

import secrets
from pathlib import Path

import pytest
from sqlalchemy import Engine

from nubrak.core.flow import Look
from nubrak.core.gather import inspect
from nubrak.store.audio import put_audio
from nubrak.store.cache import Cache
from nubrak.store.progress import cancel, progress_of
from nubrak.work import analyse
from nubrak.work.analyse import analyse_audio
from tests.conftest import decaying_strokes, write_wav


@pytest.fixture
def audio(engine: Engine, tmp_path: Path) -> str:
    """A recording that no other test has."""
    seed = secrets.randbelow(1 << 30)
    path = write_wav(tmp_path / "kick.wav", decaying_strokes([0.2, 0.7], [0.5, 0.4], 1.2, seed=seed))
    return put_audio(engine, path, path.name, inspect(path))


def test_it_is_found_once_and_known_to_every_machine(
    engine: Engine,
    cache: Cache,
    database_url: str,
    audio: str,
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    analyse_audio(engine, cache, audio)
    found = cache.candidates(audio)
    assert found is not None and len(found) >= 2 and cache.candidates(audio, look=Look.CLOSELY) is None
    assert progress_of(engine, [audio]) == (0.99, None)
    (tmp_path / "elsewhere").mkdir()
    other = Cache(engine, database_url, tmp_path / "elsewhere")

    def never(*_: object) -> None:
        raise AssertionError("listened twice")

    monkeypatch.setattr(analyse, "look_through", never)
    analyse_audio(engine, other, audio)
    there = other.candidates(audio)
    assert there is not None and there.time_s.tolist() == found.time_s.tolist()


def test_what_was_cancelled_is_not_listened_to(engine: Engine, cache: Cache, audio: str) -> None:
    cancel(engine, [audio], off=True)
    analyse_audio(engine, cache, audio)
    assert cache.candidates(audio) is None
    cancel(engine, [audio], off=False)
    analyse_audio(engine, cache, audio, look=Look.CLOSELY)
    assert cache.candidates(audio, look=Look.CLOSELY) is not None
