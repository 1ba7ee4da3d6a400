"""A database of before comes to the newest schema with what it holds."""

from __future__ import annotations

import json
import secrets

import psycopg
from alembic import command
from alembic.config import Config

from nubrak.store.database import MIGRATIONS, migrate, open_engine
from nubrak.store.sessions import Sessions


def test_sessions_of_before_have_their_line_in_the_list(database_url: str) -> None:
    name = f"test_{secrets.token_hex(5)}"
    with psycopg.connect(database_url, autocommit=True) as connection:
        connection.execute(f"CREATE DATABASE {name}".encode())
    url = database_url.rsplit("/", 1)[0] + "/" + name
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    config.attributes["url"] = url.replace("postgresql://", "postgresql+psycopg://", 1)
    command.upgrade(config, "0004")
    clips = [
        {"audio": "0" * 64, "start_s": start_s, "length_s": 4.0, "channels": 1, "rate_hz": 44100}
        for start_s in (0.0, 2.5)
    ]
    document = {
        "name": "Of before",
        "about": "two takes",
        "sources": {"s": {"name": "a", "place": 0, "clips": clips}},
        "parts": {"p": {"piece": "kick", "place": 0, "sources": [], "pattern": {"n": {"time_s": 9.0}}}},
    }
    with psycopg.connect(url, autocommit=True) as connection:
        for session_id, one in (("full", document), ("empty", {"name": "Empty"})):
            connection.execute(
                "INSERT INTO session (id, name, revision, document) VALUES (%s, %s, 0, %s)",
                (session_id, one["name"], json.dumps(one)),
            )
    migrate(url)
    engine = open_engine(url)
    sessions = Sessions(engine)
    lines = {line.id: line for line in sessions.all()}
    assert (lines["full"].about, lines["full"].sources) == ("two takes", 1)
    assert lines["full"].length_s == sessions.get("full").length_s == 10.0, "a second after the last note"
    assert (lines["empty"].sources, lines["empty"].length_s) == (0, 0.0)
    engine.dispose()
