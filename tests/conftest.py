"""What all tests share: strokes to test on, and a database of their own for those that need one."""

from __future__ import annotations

import os
import secrets
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import psycopg
import pytest
import soundfile
from numpy.typing import NDArray
from sqlalchemy import Engine

from nubrak.store.cache import Cache
from nubrak.store.database import migrate, open_engine

RATE_HZ = 44100


def decaying_strokes(times_s: list[float], levels: list[float], length_s: float, rate_hz: int = RATE_HZ, hz: float = 190.0, seed: int = 3) -> NDArray[np.float32]:
    """Strokes whose first sample is at exactly the given times: a burst of noise and a ringing mode, over a −80 dBFS hiss."""
    rng = np.random.default_rng(seed)
    out = rng.standard_normal(round(length_s * rate_hz)) * 1e-4
    t = np.arange(round(0.3 * rate_hz)) / rate_hz
    for time_s, level in zip(times_s, levels, strict=True):
        stroke = level * (0.7 * np.cos(2 * np.pi * hz * t) * np.exp(-t / 0.06) + 0.3 * rng.standard_normal(len(t)) * np.exp(-t / 0.02))
        begin = round(time_s * rate_hz)
        used = min(len(t), len(out) - begin)
        out[begin : begin + used] += stroke[:used]
    return out.astype(np.float32)


def write_wav(path: Path, audio: NDArray[np.float32], rate_hz: int = RATE_HZ, subtype: str = "PCM_24") -> Path:
    """An audio file for a test."""
    soundfile.write(str(path), audio, rate_hz, subtype=subtype)
    return path


@pytest.fixture(scope="session")
def database_url(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """A migrated database of this test process alone; a throw-away cluster is started where `./nubrak test` has not."""
    given = os.environ.get("NUBRAK_TEST_DATABASE")
    cluster = None
    if given is None:
        from nubrak.command.cluster import Cluster

        cluster = Cluster(tmp_path_factory.mktemp("cluster") / "postgres")
        given = cluster.start()
    name = f"test_{secrets.token_hex(5)}"
    with psycopg.connect(given, autocommit=True) as connection:
        connection.execute(f"CREATE DATABASE {name}")
    url = given.rsplit("/", 1)[0] + "/" + name
    migrate(url)
    yield url
    if cluster is not None:
        cluster.stop()


@pytest.fixture
def engine(database_url: str) -> Iterator[Engine]:
    engine = open_engine(database_url)
    yield engine
    engine.dispose()


@pytest.fixture
def cache(engine: Engine, database_url: str, tmp_path: Path) -> Cache:
    return Cache(engine, database_url, tmp_path)
