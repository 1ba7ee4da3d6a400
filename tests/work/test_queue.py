"""Tasks in PostgreSQL: handed out once, worked off by any worker, and said while they run."""

from __future__ import annotations

import asyncio
import os
import signal
import subprocess
import sys
import time
import zipfile
from contextlib import AsyncExitStack
from pathlib import Path

import psycopg
import pytest
from procrastinate import App, Blueprint, JobContext
from procrastinate.jobs import Job
from procrastinate.testing import InMemoryConnector
from sqlalchemy import Engine

from nubrak.command.places import ROOT
from nubrak.core.gather.read import inspect
from nubrak.core.session.document import Clip, Document, Part, Source
from nubrak.core.session.edit import Rename
from nubrak.desk.arriving import arrive
from nubrak.desk.desk import Desk
from nubrak.desk.jobs import begin_print, file_of
from nubrak.desk.printing import StemChoice
from nubrak.store.audio import put_audio
from nubrak.store.cache import Cache
from nubrak.store.jobs import job_of
from nubrak.store.sessions import Sessions
from nubrak.web.hub import Hub
from nubrak.work.analyse import analyse_audio
from nubrak.work.queue import hand_out, handing_out, taking
from nubrak.work.still_to_do import ask_for_analysis
from nubrak.work.tasks import analyse
from nubrak.work.worker import take_up_stalled
from tests.conftest import decaying_strokes, write_wav
from tests.core.sort.made import beat, mixture


def stored(engine: Engine, tmp_path: Path, seed: int, length_s: float = 1.0) -> str:
    path = write_wav(tmp_path / f"{seed}.wav", decaying_strokes([0.2], [0.8], length_s, seed=seed))
    return put_audio(engine, path, path.name, inspect(path))


def waiting(url: str, audio: str) -> int:
    with psycopg.connect(url) as connection:
        row = connection.execute(
            "SELECT count(*) FROM procrastinate_jobs WHERE args->>'audio' = %s AND status = 'todo'", (audio,)
        ).fetchone()
        return int(row[0]) if row else 0


def test_a_task_is_handed_out_once_however_often_it_is_asked_for(
    engine: Engine, database_url: str, tmp_path: Path
) -> None:
    audio = stored(engine, tmp_path, 501)
    with handing_out(database_url).open() as queue:
        for _ in range(3):
            ask_for_analysis(queue, audio)
    assert waiting(database_url, audio) == 1


def test_any_worker_takes_what_waits(database_url: str) -> None:
    done: list[str] = []
    tasks = Blueprint()

    @tasks.task(name="note")
    def note(word: str) -> None:
        done.append(word)

    with handing_out(database_url).open() as queue:
        for word in ("one", "two"):
            hand_out(queue, "note", word, word=word)

    async def work() -> None:
        app = taking(database_url, tasks)
        async with app.open_async():
            await app.run_worker_async(wait=False, install_signal_handlers=False, listen_notify=False)

    asyncio.run(work())
    assert sorted(done) == ["one", "two"]


def test_a_worker_process_analyses_and_another_goes_on_where_it_was_killed(
    engine: Engine, database_url: str, tmp_path: Path
) -> None:
    first, second = stored(engine, tmp_path, 601, 60.0), stored(engine, tmp_path, 602)
    cache = Cache(engine, database_url, tmp_path / "mine")
    env = os.environ | {
        "NUBRAK_DATABASE_URL": database_url,
        "NUBRAK_CACHE_FOLDER": str(tmp_path / "theirs"),
        "PYTHONPATH": str(ROOT / "src"),
    }

    def worker() -> subprocess.Popen[bytes]:
        return subprocess.Popen([sys.executable, "-m", "nubrak.command", "worker"], env=env)

    with handing_out(database_url).open() as queue:
        killed = worker()
        ask_for_analysis(queue, first)
        time.sleep(1.5)
        killed.send_signal(signal.SIGKILL)
        killed.wait()
        ask_for_analysis(queue, second)
    following = worker()
    try:
        until = time.monotonic() + 90
        while time.monotonic() < until and (
            cache.candidates(first) is None or cache.candidates(second) is None
        ):
            time.sleep(0.3)
        assert cache.candidates(first) is not None and cache.candidates(second) is not None
    finally:
        following.terminate()
        following.wait(20)


def test_eight_workers_rescue_every_task_once_and_lose_none(database_url: str) -> None:
    with handing_out(database_url).open() as queue:
        for number in range(40):
            hand_out(queue, "nothing", f"task {number}", word=str(number))
    with psycopg.connect(database_url, autocommit=True) as connection:
        # Taken by a worker that has not been heard of since.
        worker = connection.execute(
            "INSERT INTO procrastinate_workers (last_heartbeat) "
            "VALUES (now() - interval '1 hour') RETURNING id"
        ).fetchone()
        assert worker is not None
        connection.execute(
            "UPDATE procrastinate_jobs SET status = 'doing', worker_id = %s "
            "WHERE task_name = 'nubrak:nothing'",
            worker,
        )
        # One of them was asked for once more meanwhile: that one stays, and the one left half-way goes.
        with handing_out(database_url).open() as queue:
            hand_out(queue, "nothing", "task 7", word="again")

        async def rescue() -> None:
            apps = [taking(database_url) for _ in range(8)]
            async with AsyncExitStack() as opened:
                for app in apps:
                    await opened.enter_async_context(app.open_async())
                rescuers = [asyncio.create_task(take_up_stalled(app, database_url)) for app in apps]
                await asyncio.wait(rescuers, timeout=3)
                assert not any(one.done() for one in rescuers)
                for one in rescuers:
                    one.cancel()
                await asyncio.gather(*rescuers, return_exceptions=True)

        asyncio.run(rescue())
        rows = connection.execute(
            "SELECT queueing_lock, args->>'word', status::text, attempts FROM procrastinate_jobs "
            "WHERE task_name = 'nubrak:nothing'"
        ).fetchall()
    assert sorted(lock for lock, *_ in rows) == sorted(f"task {number}" for number in range(40))
    assert {(status, attempts) for _, word, status, attempts in rows if word != "again"} == {("todo", 1)}
    assert [word for lock, word, *_ in rows if lock == "task 7"] == ["again"]


def test_news_reach_every_window_of_the_web_server(engine: Engine, database_url: str) -> None:
    sessions = Sessions(engine)
    state = sessions.new(Document(name="One"))

    async def listen() -> list[str]:
        hub = Hub(database_url)
        hub.start()
        windows = [hub.news(), hub.news()]
        # Once for having begun to listen, once more when the database is listened to.
        for _ in range(2):
            first = [asyncio.create_task(anext(window)) for window in windows]
            assert set(await asyncio.wait_for(asyncio.gather(*first), 10)) == {"again"}
        second = [asyncio.create_task(anext(window)) for window in windows]
        await asyncio.sleep(0)
        await asyncio.to_thread(sessions.edit, state.id, 0, Rename(kind="rename", name="Two"))
        heard = []
        for window, task in zip(windows, second, strict=True):
            message = await asyncio.wait_for(task, 10)
            while not message.startswith(f"session {state.id}"):
                message = await asyncio.wait_for(anext(window), 10)
            heard.append(message)
        await hub.stop()
        return heard

    assert asyncio.run(listen()) == [f"session {state.id} 1"] * 2


def test_what_goes_wrong_is_said_where_the_source_stands(
    engine: Engine, database_url: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from sqlalchemy.orm import Session as Db

    from nubrak.store.tables import ProgressRow
    from nubrak.work import analyse as module

    audio = stored(engine, tmp_path, 701)
    monkeypatch.setattr(module, "here", lambda: (engine, Cache(engine, database_url, tmp_path / "c")))
    monkeypatch.setattr(
        module, "look_through", lambda *_: (_ for _ in ()).throw(RuntimeError("no room left"))
    )
    job = Job(id=1, queue="default", lock=None, queueing_lock=None, task_name="analyse")
    for attempts, then in ((0, "It is tried again"), (2, "Look for strokes again in Gather")):
        context = JobContext(
            app=App(connector=InMemoryConnector()),
            job=job.evolve(attempts=attempts),
            start_timestamp=0,
            abort_reason=lambda: None,
        )
        with pytest.raises(RuntimeError):
            analyse(context, audio)
        with Db(engine) as db:
            row = db.get(ProgressRow, audio)
            assert row is not None and row.problem is not None
            assert "no room left" in row.problem and "The recording is kept" in row.problem
            assert then in row.problem


def test_a_print_whose_worker_was_killed_is_finished_by_another(
    engine: Engine, database_url: str, tmp_path: Path
) -> None:
    folder = tmp_path / "shared"
    (folder / "uploads").mkdir(parents=True)
    audio = stored(engine, tmp_path, 801, 240.0)
    cache = Cache(engine, database_url, folder)
    analyse_audio(engine, cache, audio)
    clip = Clip(audio=audio, length_s=240.0, channels=1, rate_hz=44100)
    parts = {"p": Part(piece="snare", place=0, sources=["s"])}
    sources = {"s": Source(name="s", place=0, clips=[clip])}
    state = Sessions(engine).new(Document(name="T", sources=sources, parts=parts))
    env = os.environ | {
        "NUBRAK_DATABASE_URL": database_url,
        "NUBRAK_CACHE_FOLDER": str(folder),
        "NUBRAK_SHARES_FOLDER": "yes",
        "NUBRAK_LOG_FOLDER": str(tmp_path / "logs"),
        "NUBRAK_WORKER": "one",
        "PYTHONPATH": str(ROOT / "src"),
    }

    def worker() -> subprocess.Popen[bytes]:
        return subprocess.Popen([sys.executable, "-m", "nubrak.command", "worker"], env=env)

    choice = StemChoice(recordings=True, layers=False, sums=True)
    with handing_out(database_url).open() as queue:
        desk = Desk(engine, cache, Sessions(engine), queue, folder / "uploads")
        killed = worker()
        job_id = begin_print(desk, state.id, choice).id
        until = time.monotonic() + 60
        while job_of(engine, job_id).share == 0.0 and time.monotonic() < until:
            time.sleep(0.02)
        killed.send_signal(signal.SIGKILL)
        killed.wait()
        assert not job_of(engine, job_id).over, "it was killed in the middle"
        following = worker()
        try:
            while not job_of(engine, job_id).over and time.monotonic() < until + 90:
                time.sleep(0.2)
        finally:
            following.terminate()
            following.wait(20)
        job = job_of(engine, job_id)
        assert job.problem is None and job.said is not None
        with zipfile.ZipFile(file_of(desk, job_id)) as files:
            assert files.testzip() is None
            assert [name for name in files.namelist() if name.endswith(".wav")] == [
                "T - Snare - recording.wav",
                "T - Everything.wav",
            ]
    assert (tmp_path / "logs" / "worker-one.log").read_text().strip(), "what it did is in its log"


def test_with_no_window_open_a_loop_is_listened_to_sorted_and_given_its_tempo(
    engine: Engine, database_url: str, tmp_path: Path
) -> None:
    folder = tmp_path / "shared"
    (folder / "uploads").mkdir(parents=True)
    sessions = Sessions(engine)
    session_id = sessions.new(Document(name="T")).id
    path = write_wav(tmp_path / "moth loop.wav", mixture(beat(4), 8.0))
    facts = inspect(path, path.name)
    with handing_out(database_url).open() as queue:
        desk = Desk(engine, Cache(engine, database_url, folder), sessions, queue, folder / "uploads")
        arrive(desk, session_id, path.name, put_audio(engine, path, path.name, facts), facts)
    env = os.environ | {
        "NUBRAK_DATABASE_URL": database_url,
        "NUBRAK_CACHE_FOLDER": str(folder),
        "NUBRAK_SHARES_FOLDER": "yes",
        "PYTHONPATH": str(ROOT / "src"),
    }
    worker = subprocess.Popen([sys.executable, "-m", "nubrak.command", "worker"], env=env)
    try:
        until = time.monotonic() + 90
        document = sessions.get(session_id).document
        while time.monotonic() < until and (document.tempo.known == "no" or len(document.parts) < 3):
            time.sleep(0.2)
            document = sessions.get(session_id).document
    finally:
        worker.terminate()
        worker.wait(20)
    assert {"kick", "snare", "hi-hat"} <= {part.piece for part in document.parts.values()}
    assert document.tempo.known == "told" and document.tempo.bpm == pytest.approx(120.0, abs=0.5)
