"""What nothing refers to any more is seen and freed, and nothing else is."""

from __future__ import annotations

import os
import time
from pathlib import Path

import numpy as np
import pytest
from sqlalchemy import Engine, update
from sqlalchemy.orm import Session as Db

from nubrak.core.find import find_candidates
from nubrak.core.gather import AudioFacts, inspect
from nubrak.core.pieces import PieceGuess
from nubrak.core.problem import Problem
from nubrak.core.samples import Instrument, Kit, Sample
from nubrak.core.session import AddSource, Clip, Document, Source
from nubrak.core.session.gather_edits import RemoveSource
from nubrak.desk.leftovers import free, holds
from nubrak.store.audio import facts_of, put_audio
from nubrak.store.cache import Cache
from nubrak.store.kits import put_kit, remove_kit
from nubrak.store.sessions import Sessions
from nubrak.store.tables import AudioRow, DerivedRow
from tests.conftest import RATE_HZ, write_wav


def stored(engine: Engine, folder: Path, seed: int, old: bool = True) -> tuple[str, AudioFacts]:
    """A recording of a second in the store, for long or since just now."""
    noise = np.random.default_rng(seed).uniform(-0.5, 0.5, RATE_HZ).astype(np.float32)
    path = write_wav(folder / f"{seed}.wav", noise)
    facts = inspect(path)
    key = put_audio(engine, path, path.name, facts)
    if old:
        with Db(engine) as db, db.begin():
            db.execute(update(AudioRow).where(AudioRow.hash == key).values(stored="2020-01-01"))
    return key, facts


def clip_of(key: str, facts: AudioFacts) -> Clip:
    return Clip(audio=key, length_s=facts.length_s, channels=facts.channels, rate_hz=facts.rate_hz)


def added_source(key: str, facts: AudioFacts) -> AddSource:
    guess = PieceGuess(piece="kick", why="It was said.", sure=1.0)
    clip = clip_of(key, facts)
    return AddSource(kind="add_source", source_id="s", part_id="p", name="a", clip=clip, guess=guess)


def is_there(engine: Engine, key: str) -> bool:
    try:
        facts_of(engine, key)
    except Problem:
        return False
    return True


def grown_old(path: Path) -> Path:
    os.utime(path, (time.time() - 7200, time.time() - 7200))
    return path


def test_audio_goes_only_when_no_session_no_undo_and_no_kit_speaks_of_it(
    engine: Engine, database_url: str, cache: Cache, tmp_path: Path
) -> None:
    sessions = Sessions(engine)
    used, undoable, in_a_kit, nowhere = (stored(engine, tmp_path, seed) for seed in range(4))
    just_now, _ = stored(engine, tmp_path, 4, old=False)
    document = Document(name="T")
    for number, (key, facts) in enumerate((used, undoable)):
        document.sources[f"s{number}"] = Source(name="a", place=number, clips=[clip_of(key, facts)])
    session = sessions.new(document)
    sessions.edit(session.id, 0, RemoveSource(kind="remove_source", source_id="s1"))
    sample = Sample(audio=in_a_kit[0])
    put_kit(
        engine,
        "of-this-test",
        Kit(name="K", instruments={"a": Instrument(name="A", piece="kick", samples=[sample])}),
    )
    before = holds(engine, cache.folder)
    assert before.unwanted >= 2 * RATE_HZ and before.database > 0
    freed = free(engine, database_url, cache.folder)
    there = {key: is_there(engine, key) for key in (used[0], undoable[0], in_a_kit[0], nowhere[0], just_now)}
    assert list(there.values()) == [True, True, True, False, True]
    assert freed.holds.unwanted < before.unwanted
    back = sessions.undo(session.id, 1)
    assert back.document.sources["s1"].clips[0].audio == undoable[0]
    assert len(cache.decoded(undoable[0])) == RATE_HZ, "what undo brings back can be heard"
    sessions.remove(session.id)
    remove_kit(engine, "of-this-test")
    free(engine, database_url, cache.folder)
    assert not any(is_there(engine, key) for key in (used[0], undoable[0], in_a_kit[0]))


def test_what_came_in_again_is_as_if_it_were_new(engine: Engine, database_url: str, tmp_path: Path) -> None:
    key, facts = stored(engine, tmp_path, 7)
    assert put_audio(engine, tmp_path / "7.wav", "again.wav", facts) == key
    free(engine, database_url, tmp_path)
    state = Sessions(engine).new(Document(name="T"))
    added = Sessions(engine).edit(state.id, 0, added_source(key, facts))
    assert added.document.sources


def test_working_copies_drafts_and_half_prints_that_nobody_needs_are_swept(
    engine: Engine, database_url: str, cache: Cache, tmp_path: Path
) -> None:
    key, facts = stored(engine, tmp_path, 11)
    Sessions(engine).new(
        Document(name="T", sources={"s": Source(name="a", place=0, clips=[clip_of(key, facts)])})
    )
    cache.decoded(key)
    cache.peaks_base(key)
    cache.keep_candidates(key, find_candidates(cache.mono(key), RATE_HZ))
    assert cache.candidates(key) is not None
    of_an_older_way = f"find-1-{key}"
    with Db(engine) as db, db.begin():
        db.add(DerivedRow(key=of_an_older_way, data=b"x"))
    wanted = {path for path in tmp_path.rglob("*") if path.is_file() and path.suffix != ".wav"}
    for path in wanted:
        grown_old(path)
    half_print = tmp_path / "jobs" / "nobody" / "drafts"
    half_print.mkdir(parents=True)
    fresh = tmp_path / "audio" / "tmpfresh"
    leftovers = [
        tmp_path / "audio" / f"{'0' * 64}-44100-1.f32",
        tmp_path / "audio" / "tmpa1b2",
        tmp_path / "peaks" / f"{'1' * 64}.i16",
        tmp_path / "find" / f"find-1-{key}.npz",
        tmp_path / "tmpx.upload",
        half_print / "tmp.wav",
    ]
    for path in (*leftovers, fresh):
        path.write_bytes(b"x" * 5000)
    for path in leftovers:
        grown_old(path)
    grown_old(half_print.parent)
    free(engine, database_url, tmp_path)
    assert [path for path in leftovers if path.exists()] == []
    assert fresh.exists(), "it may be under way"
    assert all(path.exists() for path in wanted)
    with Db(engine) as db:
        assert db.get(DerivedRow, of_an_older_way) is None
    assert cache.candidates(key) is not None


@pytest.mark.parametrize("grown", ["about", "sources", "length_s"])
def test_the_list_says_what_the_document_says(engine: Engine, tmp_path: Path, grown: str) -> None:
    key, facts = stored(engine, tmp_path, 12)
    state = Sessions(engine).new(Document(name="T", about="a loop"))
    Sessions(engine).edit(state.id, 0, added_source(key, facts))
    line = next(one for one in Sessions(engine).all() if one.id == state.id)
    assert getattr(line, grown) == {"about": "a loop", "sources": 1, "length_s": 1.0}[grown]
