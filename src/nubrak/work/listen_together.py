"""The microphones of a session listened to together: each without what the others explain of it. Runs in a
worker; safe to run again.
"""

from __future__ import annotations

import structlog
from procrastinate import App
from sqlalchemy import Engine

from nubrak.core.problem import Problem
from nubrak.core.together import Beside, Group, find_beside, groups_of
from nubrak.store.cache import Cache
from nubrak.store.progress import cancelled_of, report
from nubrak.store.sessions import Sessions
from nubrak.work.analyse import here, keep_found, say_stopped
from nubrak.work.queue import hand_out

SIDES = 2  # tasks that share the sources of a session, so that two cores work at it
_AT_ONCE = 4  # each needs room for its whole length
log = structlog.get_logger()


def listen_together(engine: Engine, cache: Cache, session_id: str, side: int) -> None:
    """Find on this side's sources of a session what is still to be found beside the others, as they lie when
    each is begun.
    """
    while (wanted := _next_of(engine, cache, session_id, side)) is not None:
        group, sources = wanted
        for one, found in find_beside(group, sources, cache.mono):
            cache.keep_beside(group.key_of(one), found, one.look)
            report(engine, one.clips[0].audio, 1.0)


def _next_of(engine: Engine, cache: Cache, session_id: str, side: int) -> tuple[Group, list[Beside]] | None:
    """What this side finds next, of one session as it lies now: a few at a time, for they share the work."""
    try:
        groups = groups_of(Sessions(engine).get(session_id).document)
    except Problem:
        return None  # it was thrown away meanwhile
    for group in groups:
        heard = [one for one in group.members if one.heard]
        off = cancelled_of(engine, [clip.audio for one in heard for clip in one.clips])
        left = [
            one
            for one in heard[side::SIDES]
            if one.clips[0].audio not in off and cache.beside(group.key_of(one), one.look) is None
        ]
        if left:
            return group, left[:_AT_ONCE]
    return None


def listen_together_here(session_id: str, side: int, attempt: int) -> None:
    """The same as a worker does it. What fails is said where the sources stand, and raised, so that it is
    tried again a few times.
    """
    engine, cache = here()
    try:
        listen_together(engine, cache, session_id, side)
        keep_found(engine, cache, [session_id])
    except Exception as error:
        log.exception("listening together stopped", session=session_id, attempt=attempt)
        wanted = _next_of(engine, cache, session_id, side)
        if wanted is not None:
            say_stopped(wanted[1][0].clips[0].audio, error, attempt)
        raise


def ask_to_listen_together(queue: App, session_id: str) -> None:
    """Hand it out, once for each side."""
    for side in range(SIDES):
        once = f"together-{session_id}-{side}"
        hand_out(queue, "listen_together", once, session_id=session_id, side=str(side))
