"""A worker: takes tasks from the queue until it is told to stop."""

from __future__ import annotations

import asyncio
import os
from collections.abc import Coroutine
from contextlib import suppress
from datetime import UTC, datetime

import psycopg
import structlog
from procrastinate import App, Blueprint
from procrastinate.exceptions import ConnectorException, UniqueViolation
from procrastinate.jobs import Status
from sqlalchemy.exc import SQLAlchemyError

from nubrak.work.logs import log_to_files
from nubrak.work.queue import ANYWHERE, HERE, taking
from nubrak.work.settings import Settings
from nubrak.work.tasks import HERE_DONE, Work, tasks

_STALLED_S = 10.0  # a worker that has not been heard of for so long is gone
_BETWEEN_S = 5.0
_RESTED_S = 60.0
_NICE = 10
_RESCUE_LOCK = 7041908
log = structlog.get_logger()


async def take_up_stalled(app: App, url: str) -> None:
    """Hand out again what killed workers left half-way, for as long as this one works. Of all workers of a
    database one at a time does it: two that find the same task would take it from each other.
    """
    while True:
        try:
            # The lock goes with its connection, and so with a worker that is killed: the next one gets it.
            async with await psycopg.AsyncConnection.connect(url, autocommit=True) as alone:
                await alone.execute("SELECT pg_advisory_lock(%s)", [_RESCUE_LOCK])
                while True:
                    await _rescue(app)
                    await asyncio.sleep(_BETWEEN_S)
                    await alone.execute("SELECT 1")
        except (psycopg.Error, ConnectorException, SQLAlchemyError) as error:
            log.warning("looking for what was left half-way failed; it is tried again", error=repr(error))
        await asyncio.sleep(_BETWEEN_S)


async def _rescue(app: App) -> None:
    for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=_STALLED_S):
        if job.id is None:
            continue
        if isinstance(audio := job.task_kwargs.get("audio"), str):
            from nubrak.work.analyse import say_cut_off

            await asyncio.to_thread(say_cut_off, audio)
        try:
            await app.job_manager.retry_job_by_id_async(job.id, retry_at=datetime.now(UTC))
        except UniqueViolation:
            # Another waits for the same already; it only has to be let past.
            await app.job_manager.finish_job_by_id_async(job.id, Status.FAILED, delete_job=True)


async def _run(settings: Settings, more: tuple[Blueprint, ...]) -> None:
    app = taking(settings.database_url, tasks, *more)
    async with app.open_async():
        rescue = asyncio.create_task(take_up_stalled(app, settings.database_url))
        try:
            worker = app.run_worker_async(
                queues=[ANYWHERE, HERE] if settings.shares_folder else [ANYWHERE],
                concurrency=settings.tasks_at_once or max(1, os.cpu_count() or 1),
                fetch_job_polling_interval=2.0,
                shutdown_graceful_timeout=5,
                update_heartbeat_interval=3.0,
                stalled_worker_timeout=_STALLED_S,
                delete_jobs="successful",
            )
            await (until_rested(worker, HERE_DONE, _RESTED_S) if settings.rests else worker)
        finally:
            rescue.cancel()


async def until_rested(worker: Coroutine[None, None, None], work: Work, rested_s: float) -> None:
    """Let a worker run until it has done something and then nothing for so long. What it loaded goes with
    its process.
    """
    task = asyncio.create_task(worker)
    while not task.done() and not work.has_rested(rested_s):
        await asyncio.wait([task], timeout=min(1.0, rested_s))
    if not task.done():
        # It takes no more tasks, and ends what it may just have taken.
        task.cancel()
        with suppress(asyncio.CancelledError):
            await task
        return
    await task


def run_worker(*more: Blueprint) -> None:
    """Work until interrupted, as many tasks side by side as there are cores or as the settings say: analyses,
    and the tasks of ``more``.
    """
    settings = Settings()
    # A window that waits comes before what is listened to in the background.
    os.nice(_NICE)
    log_to_files(settings.log_folder, f"worker-{os.getpid() if not settings.worker else settings.worker}")
    asyncio.run(_run(settings, more))
