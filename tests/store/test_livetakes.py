"""What was played live stays with its session until it is forgotten."""

from __future__ import annotations

import pytest
from sqlalchemy import Engine

from nubrak.core.problem import Problem
from nubrak.core.session import Document
from nubrak.store.livetakes import forget_live_take, keep_live_take, live_take, live_takes
from nubrak.store.sessions import Sessions


def test_takes_are_kept_the_newest_first_and_forgotten(engine: Engine) -> None:
    sessions = Sessions(engine)
    mine, other = sessions.new(Document(name="A")).id, sessions.new(Document(name="B")).id
    keep_live_take(engine, "first", mine, {"n": 1})
    keep_live_take(engine, "second", mine, {"n": 2})
    assert [key for key, _ in live_takes(engine, mine)] == ["second", "first"]
    assert live_take(engine, mine, "first") == {"n": 1}
    with pytest.raises(Problem, match="not in the session"):
        live_take(engine, other, "first")
    forget_live_take(engine, other, "first")
    forget_live_take(engine, mine, "second")
    assert [key for key, _ in live_takes(engine, mine)] == ["first"]
