"""What a process has heard of revisions is never older than what it has answered."""

from __future__ import annotations

import pytest
from sqlalchemy import Engine

from nubrak.core.problem import Problem
from nubrak.core.session import Document
from nubrak.core.session.gather_edits import Rename
from nubrak.store.revisions import Revisions
from nubrak.store.sessions import Sessions


def test_nothing_is_known_without_listening_and_nothing_old_after_a_pause() -> None:
    known = Revisions()
    known.reached("a", 3)
    assert known.of("a") is None
    known.begin()
    known.reached("a", 3)
    assert known.of("a") == 3
    known.end()
    assert known.of("a") is None
    known.begin()
    assert known.of("a") is None, "it may have moved on meanwhile"


def test_an_answer_that_comes_late_takes_nothing_back() -> None:
    known = Revisions()
    known.begin()
    known.reached("a", 5)
    known.reached("a", 4)
    assert known.of("a") == 5
    known.forget("a")
    assert known.of("a") is None


def test_what_a_process_does_itself_it_knows_at_once(engine: Engine) -> None:
    sessions = Sessions(engine)
    sessions.revisions.begin()
    one = sessions.new(Document(name="T"))
    assert sessions.revision(one.id) == 0
    for revision, name in enumerate(("A", "B")):
        sessions.edit(one.id, revision, Rename(kind="rename", name=name))
        assert sessions.revisions.of(one.id) == sessions.revision(one.id) == revision + 1
    assert sessions.undo(one.id, 2).revision == sessions.revisions.of(one.id) == 3
    sessions.remove(one.id)
    with pytest.raises(Problem):
        sessions.revision(one.id)
