"""The connection to PostgreSQL and its migrations."""

from __future__ import annotations

from pathlib import Path

import psycopg
from alembic import command
from alembic.config import Config
from procrastinate.schema import SchemaManager
from sqlalchemy import Engine, create_engine
from sqlalchemy.exc import DataError, OperationalError

NoDatabase = OperationalError  # what is raised where the database does not answer
CannotKeep = DataError  # what is raised for values that no column holds
MIGRATIONS = Path(__file__).parent / "migrations"


def open_engine(url: str) -> Engine:
    """An engine for ``postgresql://…``; connections are checked before use, so a restarted database is no
    error.
    """
    return create_engine(
        url.replace("postgresql://", "postgresql+psycopg://", 1),
        pool_size=8,
        max_overflow=16,
        pool_pre_ping=True,
    )


def migrate(url: str) -> None:
    """Bring the database to the newest schema, the task queue's included. Runs once at a time, and again
    without harm.
    """
    with psycopg.connect(url, autocommit=True) as connection:
        connection.execute("SELECT pg_advisory_lock(7041907)")
        config = Config()
        config.set_main_option("script_location", str(MIGRATIONS))
        config.attributes["url"] = url.replace("postgresql://", "postgresql+psycopg://", 1)
        command.upgrade(config, "head")
        _queue_schema(connection)


def _queue_schema(connection: psycopg.Connection[tuple[object, ...]]) -> None:
    """Make the queue's tables where they are missing."""
    found = connection.execute("SELECT to_regclass('procrastinate_jobs')").fetchone()
    if found is None or found[0] is None:
        connection.execute(SchemaManager.get_schema().encode())
