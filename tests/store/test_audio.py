"""Audio in the database, by content."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from sqlalchemy import Engine, func, select
from sqlalchemy.orm import Session as Db

from nubrak.core.gather.read import inspect
from nubrak.core.problem import Problem
from nubrak.store.audio import CHUNK_BYTES, chunks_of, facts_of, put_audio
from nubrak.store.tables import ChunkRow
from tests.conftest import write_wav


def test_audio_is_kept_once_in_chunks_and_comes_back_byte_for_byte(
    engine: Engine, database_url: str, tmp_path: Path
) -> None:
    path = write_wav(
        tmp_path / "long.wav", np.random.default_rng(1).uniform(-1, 1, (700_000, 2)).astype(np.float32)
    )
    key = put_audio(engine, path, "long.wav", inspect(path))
    assert put_audio(engine, path, "same bytes, other name.wav", inspect(path)) == key
    chunks = list(chunks_of(database_url, key))
    assert b"".join(chunks) == path.read_bytes() and max(map(len, chunks)) == CHUNK_BYTES
    with Db(engine) as db:
        assert db.scalar(select(func.count()).where(ChunkRow.hash == key)) == len(chunks)
    assert facts_of(engine, key).channels == 2
    with pytest.raises(Problem):
        facts_of(engine, "0" * 64)
