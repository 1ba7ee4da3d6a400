"""The queue in PostgreSQL: how tasks are handed out and taken."""

from __future__ import annotations

from contextlib import suppress

from procrastinate import App, Blueprint, PsycopgConnector, SyncPsycopgConnector
from procrastinate.exceptions import AlreadyEnqueued

TASKS = "nubrak"
# Tasks for any worker, also on other machines, and tasks for workers that share the server's folder.
ANYWHERE, HERE = "default", "here"


def handing_out(url: str) -> App:
    """The queue for handing tasks out, by name, from ordinary code. Open it before use."""
    return App(connector=SyncPsycopgConnector(conninfo=url))


def taking(url: str, *tasks: Blueprint) -> App:
    """The queue for a worker that knows these tasks."""
    app = App(connector=PsycopgConnector(conninfo=url))
    for some in tasks:
        app.add_tasks_from(some, namespace=TASKS)
    return app


def hand_out(queue: App, task: str, once: str, *, named: str = ANYWHERE, **arguments: str) -> None:
    """Hand a task out, unless one with the same ``once`` waits already; two of them never run side by
    side.
    """
    with suppress(AlreadyEnqueued):
        queue.configure_task(f"{TASKS}:{task}", queueing_lock=once, lock=once, queue=named).defer(**arguments)
