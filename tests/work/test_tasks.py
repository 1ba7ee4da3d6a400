"""A worker that waits holds next to nothing, and gives back what it loaded."""

from __future__ import annotations

import asyncio
import subprocess
import sys

import pytest

from nubrak.work.tasks import Work
from nubrak.work.worker import until_rested

_HEAVY = ("numpy", "scipy", "soundfile")


def test_a_worker_that_waits_has_loaded_nothing_to_compute_with() -> None:
    asked = (
        "import sys, nubrak.work.worker, nubrak.desk.tasks, nubrak.command.start;"
        f"print([name for name in {_HEAVY!r} if name in sys.modules])"
    )
    done = subprocess.run([sys.executable, "-c", asked], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"


def test_it_ends_once_it_has_worked_and_nothing_followed_but_never_before() -> None:
    work = Work()

    async def worker() -> None:
        with work.going_on():
            await asyncio.sleep(0.2)
            assert not work.has_rested(0.0), "in the middle of a task"
        await asyncio.Event().wait()

    async def run() -> None:
        await asyncio.wait_for(until_rested(worker(), work, 0.05), 20)

    assert not work.has_rested(0.0), "nothing was done yet: there is nothing to give back"
    asyncio.run(run())
    assert work.running == 0 and work.has_rested(0.05)


def test_what_ends_a_worker_is_not_swallowed() -> None:
    async def worker() -> None:
        raise ConnectionError("the database is gone")

    with pytest.raises(ConnectionError):
        asyncio.run(until_rested(worker(), Work(), 60.0))
