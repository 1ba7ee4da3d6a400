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
from hypothesis import settings
from numpy.typing import NDArray
from sqlalchemy import Engine

from nubrak.store.cache import Cache
from nubrak.store.database import migrate, open_engine

RATE_HZ = 44100

# No test is timed: beside other work a first call may take long, and what is slow shows in benchmarks.
settings.register_profile("untimed", deadline=None)
settings.load_profile("untimed")


def decaying_strokes(
    times_s: list[float],
    levels: list[float],
    length_s: float,
    rate_hz: int = RATE_HZ,
    hz: float = 190.0,
    seed: int = 3,
) -> NDArray[np.float32]:
    """Strokes whose first sample is at exactly the given times: a burst of noise and a ringing mode, over a
    −80 dBFS hiss.
    """
    rng = np.random.default_rng(seed)
    out = rng.standard_normal(round(length_s * rate_hz)) * 1e-4
    t = np.arange(round(0.3 * rate_hz)) / rate_hz
    for time_s, level in zip(times_s, levels, strict=True):
        stroke = level * (
            0.7 * np.cos(2 * np.pi * hz * t) * np.exp(-t / 0.06)
            + 0.3 * rng.standard_normal(len(t)) * np.exp(-t / 0.02)
        )
        begin = round(time_s * rate_hz)
        used = min(len(t), len(out) - begin)
        out[begin : begin + used] += stroke[:used]
    return out.astype(np.float32)


def write_wav(
    path: Path, audio: NDArray[np.float32], rate_hz: int = RATE_HZ, subtype: str = "PCM_24"
) -> Path:
    """An audio file for a test."""
    soundfile.write(str(path), audio, rate_hz, subtype=subtype)
    return path


def kit_files(folder: Path) -> list[Path]:
    """Kick and snare through two microphones each and a pair above, with spill; the snare ghosts once under
    the kick.
    """
    kicks, snares = [0.3 + n for n in range(10)], [0.8 + n for n in range(10)]
    kick, snare = (
        decaying_strokes(kicks, [0.7] * 10, 11.0, hz=60),
        decaying_strokes(snares, [0.6] * 10, 11.0, hz=190, seed=9),
    )

    def late(signal: NDArray[np.float32], ms: float) -> NDArray[np.float32]:
        return np.concatenate([np.zeros(round(ms * 44.1), np.float32), signal])[: len(signal)]

    mixes = {
        "Kick In.wav": kick + 0.05 * late(snare, 2.9),
        "Kick Out.wav": 0.5 * late(kick, 1.0) + 0.06 * late(snare, 3.2),
        "Snare Top.wav": snare + 0.07 * late(kick, 2.9),
        "OH L.wav": 0.2 * late(kick, 5) + 0.25 * late(snare, 4),
        "OH R.wav": 0.2 * late(kick, 5.3) + 0.2 * late(snare, 4.4),
    }
    return [write_wav(folder / name, signal.astype(np.float32)) for name, signal in mixes.items()]


def stamp_wave(path: Path, samples_since_midnight: int, odd: bool = False) -> None:
    """Give a WAV file the bext chunk of EBU Tech 3285, in front of its data."""
    data = path.read_bytes()
    body = b"workshop".ljust(256, b"\0") + b"".ljust(64, b"\0") + b"2026-03-01" + b"10:00:00"
    body += samples_since_midnight.to_bytes(8, "little") + b"\1\0".ljust(256, b"\0") + (b"x" if odd else b"")
    chunk = b"bext" + len(body).to_bytes(4, "little") + body + (b"\0" if odd else b"")
    path.write_bytes(
        b"RIFF" + (len(data) - 8 + len(chunk)).to_bytes(4, "little") + b"WAVE" + chunk + data[12:]
    )


@pytest.fixture(scope="session")
def database_url(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """A migrated database of this test process alone; a throw-away cluster is started where `./nubrak test`
    has not.
    """
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


@pytest.hookimpl(optionalhook=True)
def pytest_xdist_make_scheduler(config: pytest.Config, log: object) -> object:
    """All that drives a browser on one worker, one after the other: two at once hold each other up, and sound
    does not wait.
    """
    from xdist.scheduler import LoadScopeScheduling

    class ByBrowser(LoadScopeScheduling):
        def _split_scope(self, nodeid: str) -> str:
            return "browser" if nodeid.startswith("tests/browser/") else nodeid

    return ByBrowser(config, log)
