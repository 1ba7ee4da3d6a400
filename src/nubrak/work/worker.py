"""A worker: takes tasks from the queue until it is told to stop."""

from __future__ import annotations

import asyncio
import os
from datetime import UTC, datetime

from procrastinate import App, Blueprint
from procrastinate.exceptions import ConnectorException
from procrastinate.jobs import Status

from nubrak.work.analyse import say_cut_off, tasks
from nubrak.work.logs import log_to_files
from nubrak.work.queue import ANYWHERE, HERE, taking
from nubrak.work.settings import Settings

_STALLED_S = 10.0  # a worker that has not been heard of for so long is gone


async def _take_up_stalled(app: App) -> None:
    """Hand out again what a killed worker left half-way."""
    while True:
        for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=_STALLED_S):
            if job.id is not None:
                if isinstance(audio := job.task_kwargs.get("audio"), str):
                    await asyncio.to_thread(say_cut_off, audio)
                try:
                    await app.job_manager.retry_job_by_id_async(job.id, retry_at=datetime.now(UTC))
                except ConnectorException:
                    # Another waits for the same already; it only has to be let past.
                    await app.job_manager.finish_job_by_id_async(job.id, Status.FAILED, delete_job=True)
        await asyncio.sleep(5)


async def _run(settings: Settings, more: tuple[Blueprint, ...]) -> None:
    app = taking(settings.database_url, tasks, *more)
    async with app.open_async():
        rescue = asyncio.create_task(_take_up_stalled(app))
        try:
            await app.run_worker_async(
                queues=[ANYWHERE, HERE] if settings.shares_folder else [ANYWHERE],
                concurrency=settings.tasks_at_once or max(1, os.cpu_count() or 1),
                fetch_job_polling_interval=2.0,
                shutdown_graceful_timeout=5,
                update_heartbeat_interval=3.0,
                stalled_worker_timeout=_STALLED_S,
                delete_jobs="successful",
            )
        finally:
            rescue.cancel()


def run_worker(*more: Blueprint) -> None:
    """Work until interrupted, as many tasks side by side as there are cores or as the settings say: analyses,
    and the tasks of ``more``.
    """
    settings = Settings()
    log_to_files(settings.log_folder, f"worker-{os.getpid() if not settings.worker else settings.worker}")
    asyncio.run(_run(settings, more))
