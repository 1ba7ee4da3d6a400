"""What a person is told when something cannot be done."""

from __future__ import annotations

import errno
from pathlib import Path
from types import SimpleNamespace

import pytest

from nubrak.core.problem import Problem, disk_is_full


def test_it_says_what_happened_what_was_kept_and_what_to_do() -> None:
    problem = Problem("The file is empty.", "The session is as it was.", "Export it again.")
    assert str(problem) == "The file is empty. The session is as it was. Export it again."
    assert str(Problem("It is gone.")) == "It is gone. Nothing was changed."


class Said(Exception):
    """As a driver of a database hands on what the server said."""

    def __init__(self, sqlstate: str) -> None:
        super().__init__("could not extend file")
        self.sqlstate = sqlstate


class Wrapped(Exception):
    orig = Said("53100")


@pytest.mark.parametrize(
    ("error", "full"),
    [
        (OSError(errno.ENOSPC, "No space left on device"), True),
        (OSError(errno.EDQUOT, "Disk quota exceeded"), True),
        (RuntimeError("System error: No space left on device."), True),  # as libsndfile hands it on
        (Said("53100"), True),  # disk_full (PostgreSQL's manual, appendix A)
        (Wrapped(), True),
        (Said("53200"), False),  # out_of_memory
        (OSError(errno.EACCES, "Permission denied"), False),
        (ValueError("of no use"), False),
    ],
)
def test_a_full_disk_is_told_from_other_errors(error: Exception, full: bool) -> None:
    assert disk_is_full(error) is full


def test_a_system_error_without_a_word_is_told_by_the_room_that_is_left(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    error = RuntimeError("Error opening 'x.wav': System error.")
    assert not disk_is_full(error) and not disk_is_full(error, tmp_path)
    monkeypatch.setattr("nubrak.core.problem.disk_usage", lambda _: SimpleNamespace(free=4096))
    assert disk_is_full(error, tmp_path)
    assert not disk_is_full(RuntimeError("of no use"), tmp_path)
