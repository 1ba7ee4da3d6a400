"""Working copies on disk: made again whenever they are gone, and never short."""

from __future__ import annotations

import re
import shutil
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from sqlalchemy import Engine

from nubrak.core.gather import audio_blocks, inspect
from nubrak.core.problem import Problem
from nubrak.store import cache as cache_module
from nubrak.store.audio import put_audio
from nubrak.store.cache import Cache, mapped_little
from nubrak.work.analyse import analyse_audio
from tests.conftest import decaying_strokes, write_wav


def stored(engine: Engine, tmp_path: Path, seed: int = 1, length_s: float = 1.0) -> str:
    path = write_wav(tmp_path / f"{seed}.wav", decaying_strokes([0.1, 0.5], [0.8, 0.5], length_s, seed=seed))
    return put_audio(engine, path, path.name, inspect(path))


def test_the_cache_may_be_deleted_at_any_time(cache: Cache, engine: Engine, tmp_path: Path) -> None:
    key = stored(engine, tmp_path, seed=9)
    analyse_audio(engine, cache, key)
    before = cache.candidates(key)
    samples = np.array(cache.mono(key))
    picture = np.array(cache.peaks_base(key))
    for folder in ("audio", "peaks", "find"):
        shutil.rmtree(cache.folder / folder, ignore_errors=True)
    after = cache.candidates(key)
    assert before is not None and after is not None and np.array_equal(before.time_s, after.time_s)
    assert np.array_equal(cache.mono(key), samples) and np.array_equal(cache.peaks_base(key), picture)


def test_another_rate_is_resampled_to_the_right_length(cache: Cache, engine: Engine, tmp_path: Path) -> None:
    key = stored(engine, tmp_path, seed=10)
    assert len(cache.decoded(key, 48000)) == pytest.approx(48000, abs=2)


def test_a_recording_that_can_be_read_only_in_part_is_said_and_no_short_copy_is_kept(
    cache: Cache, engine: Engine, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = write_wav(tmp_path / "tom.wav", decaying_strokes([0.2, 0.7], [0.5, 0.4], 1.2, seed=77))
    key = put_audio(engine, path, path.name, inspect(path))

    def cut_short(of: Path, *_: object) -> Iterator[np.ndarray]:
        yield next(audio_blocks(of))[:1000]

    with monkeypatch.context() as patched:
        patched.setattr("nubrak.store.cache.audio_blocks", cut_short)
        with pytest.raises(Problem) as said:
            cache.decoded(key)
    assert "Only 1000 of" in said.value.what and "kept" in said.value.kept
    assert not list(cache.folder.glob("audio/*"))
    # and once it can be read, it is whole
    assert len(cache.decoded(key)) == round(1.2 * 44100)


def test_a_long_file_is_gone_through_without_staying_in_memory(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(cache_module, "_LONG_FRAMES", 1000)
    path = tmp_path / "long.f32"
    np.full(4_000_000, 0.5, np.float32).tofile(path)
    mapped = np.memmap(path, np.float32, mode="r")

    def resident_kb() -> int:
        of_file = Path("/proc/self/smaps").read_text().split(str(path), 1)[1]
        return int(re.search(r"Rss:\s+(\d+)", of_file)[1])  # type: ignore[index]

    assert float(mapped.sum()) == 2_000_000.0 and resident_kb() > 15_000
    with mapped_little(mapped):
        for _ in range(500):
            if resident_kb() < 1000:
                break
            time.sleep(0.02)
        assert resident_kb() < 1000
        assert float(mapped.sum()) == 2_000_000.0, "nothing of it is lost"


def test_what_is_heard_of_a_long_pair_is_a_working_copy_of_its_own(
    engine: Engine, cache: Cache, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    noise = np.random.default_rng(4).uniform(-0.5, 0.5, (30_000, 2)).astype(np.float32)
    path = write_wav(tmp_path / "pair.wav", noise)
    key = put_audio(engine, path, "pair.wav", inspect(path))
    held = np.array(cache.mono(key))
    monkeypatch.setattr(cache_module, "_LONG_FRAMES", 1000)
    monkeypatch.setattr(cache_module, "_BLOCK_FRAMES", 7001)
    mapped = cache.mono(key)
    assert isinstance(mapped, np.memmap)
    np.testing.assert_array_equal(mapped, held)
