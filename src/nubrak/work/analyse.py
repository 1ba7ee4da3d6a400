"""The analysis of one audio file: decode, draw, find. Runs in a worker; safe to run again."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

import structlog
from sqlalchemy import Engine

from nubrak.core.flow import Look, look_through
from nubrak.core.problem import Problem, disk_is_full
from nubrak.store.audio import facts_of
from nubrak.store.cache import Cache, mapped_little
from nubrak.store.database import open_engine
from nubrak.store.progress import cancelled_of, report
from nubrak.store.sessions import Sessions
from nubrak.work.queue import handing_out
from nubrak.work.settings import Settings
from nubrak.work.still_to_do import ask_to_keep, tells_more
from nubrak.work.tasks import MOST_TRIES


@lru_cache(maxsize=1)
def here() -> tuple[Engine, Cache]:
    """The database and the cache of this worker."""
    settings = Settings()
    engine = open_engine(settings.database_url)
    folder = Path(settings.cache_folder)
    folder.mkdir(parents=True, exist_ok=True)
    return engine, Cache(engine, settings.database_url, folder)


def analyse_audio(engine: Engine, cache: Cache, audio: str, look: Look = Look.USUAL) -> None:
    """Everything that is derived from one file alone, looked through as a part wants it."""
    found = cache.candidates(audio, look)
    if found is not None:
        # This machine may know what the database does not: its cache outlives a database, and serves several.
        cache.keep_candidates(audio, found, look)
        report(engine, audio, 1.0)
        return
    if cancelled_of(engine, [audio]):
        return
    report(engine, audio, 0.05)
    facts = facts_of(engine, audio)
    mono = cache.mono(audio)
    report(engine, audio, 0.4)
    with mapped_little(mono):
        cache.peaks_base(audio)
        report(engine, audio, 0.5)
        if cancelled_of(engine, [audio]):
            return
        usual = cache.candidates(audio, Look.USUAL)
        cache.keep_candidates(audio, look_through(mono, facts.rate_hz, look, usual), look)
    report(engine, audio, 1.0)


log = structlog.get_logger()


def analyse_here(audio: str, look: Look, attempt: int) -> None:
    """The analysis as a worker does it. What fails is said where the source stands, and raised, so that it
    is tried again a few times.
    """
    engine, cache = here()
    try:
        analyse_audio(engine, cache, audio, look)
        keep_found(engine, cache, Sessions(engine).with_audio(audio))
    except Exception as error:
        log.exception("an analysis stopped", audio=audio, attempt=attempt)
        say_stopped(audio, error, attempt)
        raise


def keep_found(engine: Engine, cache: Cache, session_ids: list[str]) -> None:
    """Hand out that what is known now of these sessions is kept, where it is more than they hold."""
    told = [one for one in session_ids if _tells_more(engine, cache, one)]
    if told:
        with handing_out(Settings().database_url).open() as queue:
            for session_id in told:
                ask_to_keep(queue, session_id)


def _tells_more(engine: Engine, cache: Cache, session_id: str) -> bool:
    try:
        return tells_more(cache, Sessions(engine).get(session_id).document)
    except Problem:
        return False  # it was thrown away meanwhile


def say_stopped(audio: str, error: Exception, attempt: int) -> None:
    """Say at a file why it could not be looked through, and what is done about it."""
    engine, cache = here()
    full = disk_is_full(error, cache.folder)
    why = "The disk is full" if full else f"The analysis stopped: {error}"
    again = f"{'Make room, and look' if full else 'Look'} for strokes again in Gather."
    then = again if attempt >= MOST_TRIES else "It is tried again."
    report(engine, audio, 0.0, f"{why}. The recording is kept. {then}")


def say_cut_off(audio: str) -> None:
    """Say that the worker that listened to a file is gone, and that another takes it up."""
    engine, _ = here()
    report(engine, audio, 0.0, "Listening was cut off in the middle; it is taken up again by itself.")
