"""Long work on the queue: prints, archives and kits, with progress and cancel. What is begun is finished,
also after a restart in the middle: a job holds the session as it stood when it was asked for.
"""

from __future__ import annotations

import secrets
import shutil
import time
from collections.abc import Callable
from contextlib import suppress
from functools import lru_cache
from pathlib import Path
from typing import Any

import structlog
from pydantic import BaseModel

from nubrak.core.pieces import titled_file
from nubrak.core.prints import Cancelled, GoOn
from nubrak.core.problem import Problem, disk_is_full
from nubrak.desk.archiving import open_archive, write_archive
from nubrak.desk.desk import Desk
from nubrak.desk.printing import StemChoice, bundle, check
from nubrak.desk.recorded_kit import KitChoice, make_kit
from nubrak.desk.slicing import SlicesChoice, slices_of, write_slices
from nubrak.desk.sound_font import take_sound_font
from nubrak.desk.standing import Standing
from nubrak.store.cache import Cache
from nubrak.store.database import open_engine
from nubrak.store.jobs import Job, fail, finish, forget_old, job_of, new_job, still_wanted, under_way, unwant
from nubrak.store.sessions import Sessions, SessionState
from nubrak.work.queue import HERE, hand_out, handing_out
from nubrak.work.settings import Settings

_MOST_WAITING = 16  # under way at once: more is no person, and every one of them may fill the disk
_MOST_KEPT = 4  # jobs that are over; their files wait to be fetched
_TOLD_EVERY_S = 0.1  # how often a job says how far it is
ARRIVED = "archive.zip"
_FONT = "font.sf2"
log = structlog.get_logger()

Done = tuple[Path | None, dict[str, Any]]


class OpenedSession(BaseModel):
    """What opening an archive says when it is done."""

    session_id: str


def begin_print(desk: Desk, session_id: str, choice: StemChoice) -> Job:
    """Begin to print a choice: the files, the MIDI and a report in one zip."""
    standing = desk.standing(session_id)
    check(desk, standing, choice)
    return _begin(desk, "print", {"state": _kept(standing), "choice": choice.model_dump(mode="json")})


def begin_archive(desk: Desk, session_id: str) -> Job:
    """Begin to pack a session into one file."""
    return _begin(desk, "archive", {"state": _kept(desk.standing(session_id))})


def begin_kit(desk: Desk, session_id: str, choice: KitChoice) -> Job:
    """Begin to make a kit of a session's own recordings."""
    standing = desk.standing(session_id)
    return _begin(desk, "kit", {"state": _kept(standing), "choice": choice.model_dump(mode="json")})


def begin_slices(desk: Desk, session_id: str, choice: SlicesChoice) -> Job:
    """Begin to print a source's slices."""
    standing = desk.standing(session_id)
    slices_of(desk, standing, choice.source_id)  # what cannot be cut says so at once
    return _begin(desk, "slices", {"state": _kept(standing), "choice": choice.model_dump(mode="json")})


def begin_opening(desk: Desk, arrived: Path) -> Job:
    """Begin to open an archive that came in as ``arrived``, which is taken away."""
    return _begin_with(desk, "open", arrived, ARRIVED)


def begin_sound_font(desk: Desk, arrived: Path) -> Job:
    """Begin to bring in the drum kits of a sound font that came in as ``arrived``, which is taken away."""
    return _begin_with(desk, "font", arrived, _FONT)


def _begin_with(desk: Desk, kind: str, arrived: Path, kept_as: str) -> Job:
    _room_for_one(desk)
    job_id = secrets.token_hex(8)
    folder = _folder(desk, job_id)
    folder.mkdir(parents=True)
    arrived.replace(folder / kept_as)
    return _begin(desk, kind, {}, job_id)


def cancel_job(desk: Desk, job_id: str) -> None:
    """No more of a job is wanted; nothing of it is kept."""
    unwant(desk.engine, job_id)
    job = job_of(desk.engine, job_id)
    if job.file is not None:
        Path(job.file).unlink(missing_ok=True)


def file_of(desk: Desk, job_id: str) -> Path:
    """The file of a job that is done; a ``Problem`` where it is not."""
    job = job_of(desk.engine, job_id)
    path = Path(job.file) if job.file else None
    if path is None or not job.wanted or not path.exists():
        what = "This file is not there any more." if job.over else "This file is not done yet."
        raise Problem(what, todo="Wait until it is, or begin it anew.", kind="missing")
    return path


def run_job(desk: Desk, job_id: str) -> None:
    """Do a job from its beginning, unless it is over or not wanted. What goes wrong is kept with it."""
    try:
        job = job_of(desk.engine, job_id)
    except Problem:
        return
    if job.over:
        return
    folder = _folder(desk, job_id)
    drafts = folder / "drafts"
    # What a worker that was killed left behind is no part of the file.
    shutil.rmtree(drafts, ignore_errors=True)
    try:
        drafts.mkdir(parents=True)
        path, said = _KINDS[job.kind](desk.with_drafts_in(drafts), job, _go_on(desk, job_id))
        kept = folder / _name_of(job) if path else None
        if path and kept:
            path.replace(kept)
        if not finish(desk.engine, job_id, str(kept) if kept else None, said):
            raise Cancelled
    except Cancelled:
        shutil.rmtree(folder, ignore_errors=True)
        what = "It was cancelled."
        fail(desk.engine, job_id, Problem(what, "Nothing of it was kept; the session is as it was."))
    except Problem as problem:
        fail(desk.engine, job_id, problem)
    except Exception as error:
        full = disk_is_full(error, desk.cache.folder)
        log.exception("a job stopped", job=job_id, kind=job.kind)
        what = "The disk is full" if full else f"It could not be finished ({type(error).__name__})"
        todo = "Make room and begin it anew." if full else "Begin it anew."
        fail(desk.engine, job_id, Problem(f"{what}.", "The session is as it was.", todo))
    finally:
        shutil.rmtree(drafts, ignore_errors=True)


def _print(desk: Desk, job: Job, go_on: GoOn) -> Done:
    path, report = bundle(desk, _standing(desk, job), StemChoice.model_validate(job.asked["choice"]), go_on)
    return path, report.model_dump(mode="json")


def _pack(desk: Desk, job: Job, go_on: GoOn) -> Done:
    return write_archive(desk, _standing(desk, job), go_on), {}


def _open(desk: Desk, job: Job, go_on: GoOn) -> Done:
    arrived = desk.uploads.parent / ARRIVED
    opened = OpenedSession(session_id=job.id)
    # A worker that was killed may have opened it already and only not said so.
    if not desk.sessions.has(opened.session_id):
        open_archive(desk, arrived, go_on, opened.session_id)
    arrived.unlink(missing_ok=True)
    return None, opened.model_dump()


def _kit(desk: Desk, job: Job, go_on: GoOn) -> Done:
    choice = KitChoice.model_validate(job.asked["choice"])
    # Under the job's own id, so that a job which is done twice makes one kit.
    return None, make_kit(desk, _standing(desk, job), choice, job.id, go_on).model_dump(mode="json")


def _font(desk: Desk, job: Job, go_on: GoOn) -> Done:
    arrived = desk.uploads.parent / _FONT
    try:
        taken = take_sound_font(desk, arrived, go_on)
    except Problem:
        arrived.unlink(missing_ok=True)  # as it is, it will never be taken
        raise
    arrived.unlink(missing_ok=True)
    return None, taken.model_dump(mode="json")


def _slices(desk: Desk, job: Job, go_on: GoOn) -> Done:
    choice = SlicesChoice.model_validate(job.asked["choice"])
    return write_slices(desk, _standing(desk, job), choice, go_on), {}


_KINDS: dict[str, Callable[[Desk, Job, GoOn], Done]] = {
    "print": _print,
    "archive": _pack,
    "open": _open,
    "kit": _kit,
    "slices": _slices,
    "font": _font,
}


def _name_of(job: Job) -> str:
    """What the file of a job is called."""
    about = {"print": "prints", "archive": "session", "slices": "slices"}[job.kind]
    return titled_file(str(job.asked["state"]["document"]["name"]), about, "zip")


def _begin(desk: Desk, kind: str, asked: dict[str, Any], job_id: str | None = None) -> Job:
    _room_for_one(desk)
    for gone in forget_old(desk.engine, _MOST_KEPT):
        shutil.rmtree(_folder(desk, gone), ignore_errors=True)
    job_id = new_job(desk.engine, kind, asked, job_id)
    hand_out(desk.queue, "job", job_id, named=HERE, job_id=job_id)
    return job_of(desk.engine, job_id)


def _room_for_one(desk: Desk) -> None:
    if under_way(desk.engine) >= _MOST_WAITING:
        raise Problem(
            f"{_MOST_WAITING} prints and archives are under way already.",
            todo="Wait until one is done, or stop one.",
        )


def _kept(standing: Standing) -> dict[str, Any]:
    return standing.state.model_dump(mode="json")


def _standing(desk: Desk, job: Job) -> Standing:
    return desk.stand(SessionState.model_validate(job.asked["state"]))


def _folder(desk: Desk, job_id: str) -> Path:
    return desk.uploads.parent / "jobs" / job_id


def _go_on(desk: Desk, job_id: str) -> GoOn:
    """What is asked whether a job should go on; it tells how far it is now and then."""
    told_at, wanted = -1.0, True

    def go_on(share: float) -> bool:
        nonlocal told_at, wanted
        now = time.monotonic()
        if wanted and now - told_at >= _TOLD_EVERY_S:
            told_at, wanted = now, still_wanted(desk.engine, job_id, min(share, 0.99))
        return wanted

    return go_on


@lru_cache(maxsize=1)
def desk_here() -> Desk:
    """The desk of a process of its own, such as a worker's."""
    settings = Settings()
    engine, folder = open_engine(settings.database_url), Path(settings.cache_folder)
    folder.mkdir(parents=True, exist_ok=True)
    cache = Cache(engine, settings.database_url, folder)
    return Desk(engine, cache, Sessions(engine), handing_out(settings.database_url), folder / "uploads")


def run_job_here(job_id: str) -> None:
    """Do a job in a worker."""
    run_job(desk_here(), job_id)


def forget_uploads(folder: Path) -> None:
    """Throw away what uploads left behind that a killed server had not finished."""
    folder.mkdir(parents=True, exist_ok=True)
    for left in folder.iterdir():
        with suppress(OSError):
            left.unlink()
