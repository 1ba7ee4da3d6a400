"""The tasks of the desk by name; what they need is loaded when the first comes."""

from __future__ import annotations

from procrastinate import Blueprint, RetryStrategy

from nubrak.work.tasks import HERE_DONE

tasks = Blueprint()


@tasks.task(name="keep_found", retry=RetryStrategy(max_attempts=3, wait=5))
def keep_found(session_id: str) -> None:
    """The pieces and the tempo of a session that was listened to."""
    from nubrak.desk.found_later import keep_what_was_found_here

    with HERE_DONE.going_on():
        keep_what_was_found_here(session_id)


# What ends a job is kept with it; what still comes out of it is the database that cannot keep that just now.
@tasks.task(name="job", retry=RetryStrategy(max_attempts=40, wait=15))
def job(job_id: str) -> None:
    """One print, one archive packed or opened."""
    from nubrak.desk.jobs import run_job_here

    with HERE_DONE.going_on():
        run_job_here(job_id)
