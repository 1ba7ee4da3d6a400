"""Prints under way: how far each is, whether it is still wanted, and where its file lies when it is done."""

from __future__ import annotations

import secrets
import threading
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from nubrak.core.prints import Cancelled
from nubrak.core.problem import Problem

_MOST_KEPT = 4


@dataclass
class Job:
    """One print under way or done. ``path`` is set when it is done, ``problem`` where it could not be."""

    share: float = 0.0
    wanted: bool = True
    path: Path | None = None
    said: object = None
    problem: Problem | None = None

    @property
    def over(self) -> bool:
        """Whether nothing more happens to it."""
        return self.path is not None or self.problem is not None


@dataclass
class Jobs:
    """The prints of one process. The files of the last few are kept until they are fetched."""

    _jobs: OrderedDict[str, Job] = field(default_factory=OrderedDict)
    _lock: threading.Lock = field(default_factory=threading.Lock)

    def begin(self, work: Callable[[Callable[[float], bool]], tuple[Path, object]]) -> str:
        """Begin work in a thread of its own; it is handed what to ask whether it should go on, and gives a
        file and what is to be said of it.
        """
        job, job_id = Job(), secrets.token_hex(8)
        with self._lock:
            self._jobs[job_id] = job
            over = [key for key, one in self._jobs.items() if one.over]
            for key in over[: max(len(over) - _MOST_KEPT + 1, 0)]:
                gone = self._jobs.pop(key)
                if gone.path:
                    gone.path.unlink(missing_ok=True)
        threading.Thread(target=_run, args=(job, work), daemon=True).start()
        return job_id

    def get(self, job_id: str) -> Job:
        """A job; a ``Problem`` where there is none."""
        with self._lock:
            job = self._jobs.get(job_id)
        if job is None:
            raise Problem(
                "This print is not there any more.",
                "The session is as it was.",
                "Print once more.",
                kind="missing",
            )
        return job

    def cancel(self, job_id: str) -> None:
        """No more of it is wanted: what was written is thrown away."""
        job = self.get(job_id)
        job.wanted = False
        with self._lock:
            if job.over:
                self._jobs.pop(job_id, None)
        if job.path:
            job.path.unlink(missing_ok=True)


def _run(job: Job, work: Callable[[Callable[[float], bool]], tuple[Path, object]]) -> None:
    def go_on(share: float) -> bool:
        job.share = share
        return job.wanted

    try:
        path, job.said = work(go_on)
        job.share, job.path = 1.0, path
        if not job.wanted:
            path.unlink(missing_ok=True)
    except Cancelled:
        job.problem = Problem("The print was cancelled.", "Nothing of it was kept; the session is as it was.")
    except Problem as problem:
        job.problem = problem
    except Exception as error:
        job.problem = Problem(
            f"The print could not be finished ({type(error).__name__}).",
            "Nothing of it was kept; the session is as it was.",
            "Print once more.",
        )
        raise
