"""The queue: tasks, and how they are handed out."""

from __future__ import annotations

import procrastinate
import psycopg
from procrastinate import App, PsycopgConnector, SyncPsycopgConnector
from procrastinate.schema import SchemaManager

app = App(connector=PsycopgConnector(), import_paths=["nubrak.work.analyse"])


def queue_schema(connection: psycopg.Connection[tuple[object, ...]]) -> None:
    """Make the queue's tables where they are missing."""
    found = connection.execute("SELECT to_regclass('procrastinate_jobs')").fetchone()
    if found is None or found[0] is None:
        connection.execute(SchemaManager.get_schema().encode())


def sync_app(url: str) -> App:
    """The queue for handing out tasks from ordinary code. Open it before use."""
    return app.with_connector(SyncPsycopgConnector(conninfo=url))


def worker_app(url: str) -> App:
    """The queue for a worker."""
    return app.with_connector(PsycopgConnector(conninfo=url))


AlreadyEnqueued = procrastinate.exceptions.AlreadyEnqueued
