"""The tasks of the desk by name; what they need is loaded when the first comes."""

from __future__ import annotations

from procrastinate import Blueprint

from nubrak.work.tasks import HERE_DONE

tasks = Blueprint()


@tasks.task(name="job")
def job(job_id: str) -> None:
    """One print, one archive packed or opened."""
    from nubrak.desk.jobs import run_job_here

    with HERE_DONE.going_on():
        run_job_here(job_id)
