"""What a person is told when something cannot be done."""

from __future__ import annotations

import errno

import pytest

from nubrak.core.problem import Problem, disk_is_full


def test_it_says_what_happened_what_was_kept_and_what_to_do() -> None:
    problem = Problem("The file is empty.", "The session is as it was.", "Export it again.")
    assert str(problem) == "The file is empty. The session is as it was. Export it again."
    assert str(Problem("It is gone.")) == "It is gone. Nothing was changed."


@pytest.mark.parametrize(
    ("error", "full"),
    [
        (OSError(errno.ENOSPC, "No space left on device"), True),
        (OSError(errno.EDQUOT, "Disk quota exceeded"), True),
        (RuntimeError("System error: No space left on device."), True),  # as libsndfile hands it on
        (OSError(errno.EACCES, "Permission denied"), False),
        (ValueError("of no use"), False),
    ],
)
def test_a_full_disk_is_told_from_other_errors(error: Exception, full: bool) -> None:
    assert disk_is_full(error) is full
