"""Jobs: how far a print or an archive is, whether it is still wanted, and where its file lies when it is
done. Each change is one statement, so that a job is never both cancelled and finished.
"""

from __future__ import annotations

import secrets
from datetime import timedelta
from typing import Any

from pydantic import BaseModel
from sqlalchemy import Engine, delete, func, or_, select, update
from sqlalchemy.orm import Session as Db

from nubrak.core.problem import Problem
from nubrak.store.tables import JobRow


class Job(BaseModel):
    """A job as it stands."""

    id: str
    kind: str
    asked: dict[str, Any]
    share: float
    wanted: bool
    said: dict[str, Any] | None
    problem: dict[str, Any] | None
    file: str | None

    @property
    def over(self) -> bool:
        """Whether nothing more happens to it."""
        return self.said is not None or self.problem is not None


def new_job(engine: Engine, kind: str, asked: dict[str, Any], job_id: str | None = None) -> str:
    """Keep a new job; its id."""
    job_id = job_id or secrets.token_hex(8)
    with Db(engine) as db, db.begin():
        db.add(JobRow(id=job_id, kind=kind, asked=asked))
    return job_id


def job_of(engine: Engine, job_id: str) -> Job:
    """A job; a ``Problem`` where there is none."""
    with Db(engine) as db:
        row = db.get(JobRow, job_id)
        if row is None:
            raise Problem(
                "This job is not there any more.",
                "The session is as it was.",
                "Begin it anew.",
                kind="missing",
            )
        return Job.model_validate(row, from_attributes=True)


def still_wanted(engine: Engine, job_id: str, share: float) -> bool:
    """Keep how far a job is; whether it is still wanted."""
    with Db(engine) as db, db.begin():
        asked = update(JobRow).where(JobRow.id == job_id).values(share=share).returning(JobRow.wanted)
        return bool(db.scalar(asked))


def finish(engine: Engine, job_id: str, file: str | None, said: dict[str, Any]) -> bool:
    """Keep that a job is done, with its file, unless it is no longer wanted; whether it was kept."""
    with Db(engine) as db, db.begin():
        asked = (
            update(JobRow)
            .where(JobRow.id == job_id, JobRow.wanted)
            .values(share=1.0, file=file, said=said)
            .returning(JobRow.id)
        )
        return db.scalar(asked) is not None


def fail(engine: Engine, job_id: str, problem: Problem) -> None:
    """Keep why a job could not be done."""
    said = {"what": problem.what, "kept": problem.kept, "todo": problem.todo}
    with Db(engine) as db, db.begin():
        db.execute(update(JobRow).where(JobRow.id == job_id).values(problem=said))


def unwant(engine: Engine, job_id: str) -> None:
    """No more of a job is wanted. A ``Problem`` where there is none."""
    job_of(engine, job_id)
    with Db(engine) as db, db.begin():
        db.execute(update(JobRow).where(JobRow.id == job_id).values(wanted=False))


def kept_jobs(engine: Engine) -> set[str]:
    """The jobs that are known, done or not."""
    with Db(engine) as db:
        return set(db.scalars(select(JobRow.id)))


def under_way(engine: Engine) -> int:
    """How many jobs are neither done nor stopped."""
    with Db(engine) as db:
        lately = JobRow.begun > func.now() - timedelta(days=1)  # what nobody works at any more bars nothing
        open_ones = select(func.count()).where(JobRow.said.is_(None), JobRow.problem.is_(None), lately)
        return int(db.scalar(open_ones) or 0)


def forget_old(engine: Engine, keep: int) -> list[str]:
    """Forget the jobs that are over but for the last few; the ids of those that are gone."""
    over = or_(JobRow.said.is_not(None), JobRow.problem.is_not(None))
    old = select(JobRow.id).where(over).order_by(JobRow.begun.desc(), JobRow.id).offset(keep)
    with Db(engine) as db, db.begin():
        return list(db.scalars(delete(JobRow).where(JobRow.id.in_(old)).returning(JobRow.id)).all())
