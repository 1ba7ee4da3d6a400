"""How far the analysis of each file is."""

from __future__ import annotations

import secrets

import pytest
from sqlalchemy import Engine

from nubrak.store.progress import cancel, cancelled_of, progress_of, report


@pytest.fixture
def keys() -> tuple[str, str]:
    one = secrets.token_hex(8)
    return f"{one}-a", f"{one}-b"


def test_files_are_as_far_as_they_are_together_and_done_only_when_nothing_waits(
    engine: Engine, keys: tuple[str, str]
) -> None:
    assert progress_of(engine, []) == (1.0, None)
    assert progress_of(engine, list(keys)) == (0.0, None)
    report(engine, keys[0], 1.0)
    report(engine, keys[1], 0.5)
    share, problem = progress_of(engine, list(keys))
    assert share == pytest.approx((0.99 + 0.5) / 2) and problem is None


def test_what_went_wrong_stands_until_it_is_done(engine: Engine, keys: tuple[str, str]) -> None:
    report(engine, keys[0], 0.0, "It stopped.")
    report(engine, keys[0], 0.4)
    assert progress_of(engine, [keys[0]]) == (0.4, "It stopped.")
    report(engine, keys[0], 1.0)
    assert progress_of(engine, [keys[0]])[1] is None


def test_what_is_cancelled_is_said_and_taken_up_again(engine: Engine, keys: tuple[str, str]) -> None:
    report(engine, keys[0], 0.3)
    cancel(engine, list(keys), off=True)
    assert cancelled_of(engine, list(keys)) == set(keys)
    share, problem = progress_of(engine, [keys[0]])
    assert share == pytest.approx(0.3) and problem is not None and "cancelled" in problem
    cancel(engine, [keys[0]], off=False)
    assert cancelled_of(engine, list(keys)) == {keys[1]}
