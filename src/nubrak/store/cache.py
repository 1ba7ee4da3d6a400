"""Working copies on disk: decoded audio and derived arrays. All of it may be deleted at any time; it is made
again.
"""

from __future__ import annotations

import mmap
import os
import tempfile
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np
import soxr
from numpy.typing import NDArray
from sqlalchemy import Engine, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session as Db

from nubrak.core.find import VERSION, Candidates, from_bytes, to_bytes
from nubrak.core.flow import Look
from nubrak.core.gather import audio_blocks, one_channel
from nubrak.core.problem import Problem
from nubrak.core.signal import BASE_EXPONENT, extremes
from nubrak.core.sort import LISTENED
from nubrak.store.audio import chunks_of, facts_of, write_chunks
from nubrak.store.tables import DerivedRow

_LONG_FRAMES = 30_000_000  # 120 MB of float32: more is mapped, not held
_BLOCK_FRAMES = 1 << 20
_EVERY_S = 0.02


@contextmanager
def mapped_little(samples: NDArray[np.float32]) -> Iterator[None]:
    """While a long array that is mapped from disk is gone through: what was read of it does not stay in this
    process's memory, but in the system's, which takes it back when it needs it (madvise(2)).
    """
    mapping: object = samples
    while mapping is not None and not isinstance(mapping, mmap.mmap):
        mapping = getattr(mapping, "base", None)
    if not isinstance(mapping, mmap.mmap) or len(mapping) < 4 * _LONG_FRAMES:
        yield
        return
    over = threading.Event()
    kept: mmap.mmap = mapping

    def let_go() -> None:
        while not over.wait(_EVERY_S):
            kept.madvise(mmap.MADV_DONTNEED)

    letting_go = threading.Thread(target=let_go, daemon=True)
    letting_go.start()
    try:
        yield
    finally:
        over.set()
        letting_go.join()


@dataclass(frozen=True)
class Cache:
    """The disk cache of one process, over the database it is filled from."""

    engine: Engine
    url: str
    folder: Path

    def decoded(self, key: str, rate_hz: int | None = None) -> NDArray[np.float32]:
        """A file's samples (frames, channels), float32, mapped from disk; at ``rate_hz`` or the file's own
        rate.
        """
        facts = facts_of_cached(self.engine, key)
        rate = rate_hz or facts.rate_hz
        name = self.folder / "audio" / f"{key}-{rate}-{facts.channels}.f32"
        self._made(name, lambda path: self._decode(key, path, facts.rate_hz, rate, facts.channels))
        if name.stat().st_size == 0:
            return np.zeros((0, facts.channels), np.float32)
        return np.memmap(name, np.float32, mode="r").reshape(-1, facts.channels)

    def mono(self, key: str) -> NDArray[np.float32]:
        """What the detector hears of a file, (frames,); of a long one with several channels as a working copy
        of its own, mapped from disk.
        """
        facts = facts_of_cached(self.engine, key)
        if facts.channels == 1 or facts.cancels or facts.frames < _LONG_FRAMES:
            return one_channel(self.decoded(key), facts.cancels)
        name = self.folder / "audio" / f"{key}-{facts.rate_hz}-heard.f32"
        self._made(name, lambda path: self._write_heard(key, path))
        return np.memmap(name, np.float32, mode="r")

    def _write_peaks(self, key: str, path: Path) -> None:
        mono = self.mono(key)
        with mapped_little(mono):
            path.write_bytes(extremes(mono, 1 << BASE_EXPONENT).tobytes())

    def _write_heard(self, key: str, path: Path) -> None:
        decoded = self.decoded(key)
        with path.open("wb") as out, mapped_little(decoded):
            for begin in range(0, len(decoded), _BLOCK_FRAMES):
                out.write(one_channel(decoded[begin : begin + _BLOCK_FRAMES]).tobytes())

    def peaks_base(self, key: str) -> NDArray[np.int16]:
        """The finest kept level of a file's picture, int16 (bins, 2)."""
        name = self.folder / "peaks" / f"{key}.i16"
        self._made(name, lambda path: self._write_peaks(key, path))
        if name.stat().st_size == 0:
            return np.zeros((0, 2), np.int16)
        return np.memmap(name, np.int16, mode="r").reshape(-1, 2)

    def candidates(self, key: str, look: Look = Look.USUAL) -> Candidates | None:
        """The candidates of a file, looked through in one way, where they have been found, else None."""
        name = self.folder / "find" / f"{_find_key(key, look)}.npz"
        if not name.exists():
            with Db(self.engine) as db:
                data = db.scalar(select(DerivedRow.data).where(DerivedRow.key == _find_key(key, look)))
            if data is None:
                # What was looked through for how it is struck was looked through as usual as well.
                return self.candidates(key, Look.WAYS) if look is Look.USUAL else None
            self._made(name, lambda path: path.write_bytes(data))
        return _load_candidates(name)

    def keep_candidates(self, key: str, candidates: Candidates, look: Look = Look.USUAL) -> None:
        """Keep what was found, for every machine that shares the database."""
        data = to_bytes(candidates)
        with Db(self.engine) as db, db.begin():
            db.execute(
                insert(DerivedRow).values(key=_find_key(key, look), data=data).on_conflict_do_nothing()
            )

    def beside(self, key: str, look: Look) -> Candidates | None:
        """What was found on a source beside others, where that was done, else None; ``key`` says how all of
        them lie, and ends with the hash of its audio.
        """
        name = self.folder / "find" / f"{_beside_key(key, look)}.npz"
        if not name.exists():
            with Db(self.engine) as db:
                data = db.scalar(select(DerivedRow.data).where(DerivedRow.key == _beside_key(key, look)))
            if data is None:
                return None
            self._made(name, lambda path: path.write_bytes(data))
        return _load_candidates(name)

    def keep_beside(self, key: str, candidates: Candidates, look: Look) -> None:
        """Keep what was found beside others, for every machine that shares the database."""
        with Db(self.engine) as db, db.begin():
            row = insert(DerivedRow).values(key=_beside_key(key, look), data=to_bytes(candidates))
            db.execute(row.on_conflict_do_nothing())

    def _decode(self, key: str, path: Path, own_rate: int, rate: int, channels: int) -> None:
        promised = facts_of_cached(self.engine, key).frames
        with tempfile.NamedTemporaryFile(dir=self.folder, suffix=".upload") as original:
            write_chunks(chunks_of(self.url, key), Path(original.name))
            stream = (
                soxr.ResampleStream(own_rate, rate, channels, dtype="float32") if rate != own_rate else None
            )
            frames = 0
            with path.open("wb") as out:
                for block in audio_blocks(Path(original.name)):
                    frames += len(block)
                    out.write((stream.resample_chunk(block) if stream else block).tobytes())
                if stream:
                    out.write(stream.resample_chunk(np.zeros((0, channels), np.float32), last=True).tobytes())
            if frames < promised:
                # It could be read whole when it came in; a short copy must not pass for the recording.
                raise Problem(
                    f"Only {frames} of {promised} samples of a recording could be read.",
                    "The recording is kept.",
                    "Look whether the disk is full; it is read again when it is asked for.",
                )

    def _made(self, name: Path, make: Callable[[Path], object]) -> None:
        """Make a file beside its place and move it there, so that a half-made one is never seen."""
        if name.exists():
            return
        name.parent.mkdir(parents=True, exist_ok=True)
        handle, draft = tempfile.mkstemp(dir=name.parent)
        os.close(handle)
        try:
            make(Path(draft))
            Path(draft).replace(name)
        finally:
            with suppress(FileNotFoundError):
                Path(draft).unlink()


def derived_kinds() -> list[str]:
    """How the keys begin under which what is derived today stands; others are of an older way of looking."""
    return [key("", look) for look in Look for key in (_find_key, _beside_key)]


def _find_key(key: str, look: Look) -> str:
    version = str(VERSION) if look is Look.USUAL else f"{VERSION}.{LISTENED}"
    return f"{look.value}-{version}-{key}"


def _beside_key(key: str, look: Look) -> str:
    return f"beside-{_find_key(key, look)}"


@lru_cache(maxsize=64)
def _load_candidates(name: Path) -> Candidates:
    return from_bytes(name.read_bytes())


facts_of_cached = lru_cache(maxsize=4096)(facts_of)
