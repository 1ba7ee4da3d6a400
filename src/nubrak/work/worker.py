"""A worker: takes tasks from the queue until it is told to stop."""

from __future__ import annotations

import asyncio
import os
from datetime import UTC, datetime

from procrastinate import App
from procrastinate.exceptions import ConnectorException
from procrastinate.jobs import Status

from nubrak.work.analyse import say_cut_off, tasks
from nubrak.work.queue import taking
from nubrak.work.settings import Settings

_STALLED_S = 10.0


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


async def _run(concurrency: int) -> None:
    app = taking(Settings().database_url, tasks)
    async with app.open_async():
        rescue = asyncio.create_task(_take_up_stalled(app))
        try:
            await app.run_worker_async(
                concurrency=concurrency,
                fetch_job_polling_interval=2.0,
                shutdown_graceful_timeout=5,
                update_heartbeat_interval=3.0,
                stalled_worker_timeout=_STALLED_S,
                delete_jobs="successful",
            )
        finally:
            rescue.cancel()


def run_worker() -> None:
    """Work until interrupted, as many tasks side by side as there are cores or as the settings say."""
    asyncio.run(_run(Settings().tasks_at_once or max(1, os.cpu_count() or 1)))
