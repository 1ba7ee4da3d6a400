"""The tasks of a worker by name, and when it last did one. What a task needs is loaded when the first comes:
a worker that waits holds next to nothing.
"""

from __future__ import annotations

import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass

from procrastinate import Blueprint, JobContext, RetryStrategy

MOST_TRIES = 3  # what fails three times in a row fails for a reason
tasks = Blueprint()


@dataclass
class Work:
    """What a worker's process does: how many tasks at the moment, and when the last one ended."""

    running: int = 0
    ended_at_s: float | None = None

    @contextmanager
    def going_on(self) -> Iterator[None]:
        """While a task is done."""
        self.running += 1
        try:
            yield
        finally:
            self.running -= 1
            self.ended_at_s = time.monotonic()

    def has_rested(self, seconds: float) -> bool:
        """Whether something was done, and nothing for so long since."""
        return (
            self.running == 0
            and self.ended_at_s is not None
            and (time.monotonic() - self.ended_at_s >= seconds)
        )


HERE_DONE = Work()  # of this process


@tasks.task(name="analyse", retry=RetryStrategy(max_attempts=MOST_TRIES - 1, wait=2), pass_context=True)
def analyse(context: JobContext, audio: str, look: str = "", closely: str = "") -> None:
    """The analysis of one file; one handed out before there were several looks says ``closely``."""
    from nubrak.core.flow import Look
    from nubrak.work.analyse import analyse_here

    with HERE_DONE.going_on():
        wanted = Look.CLOSELY if closely else Look(look) if look else Look.USUAL
        analyse_here(audio, wanted, context.job.attempts + 1)


@tasks.task(
    name="listen_together", retry=RetryStrategy(max_attempts=MOST_TRIES - 1, wait=2), pass_context=True
)
def listen_together(context: JobContext, session_id: str, side: str) -> None:
    """The microphones of a session looked through beside each other; ``side`` says which share of them."""
    from nubrak.work.listen_together import listen_together_here

    with HERE_DONE.going_on():
        listen_together_here(session_id, int(side), context.job.attempts + 1)
