"""What is known only once a session was listened to: the pieces in its loops and overheads, and its tempo. It
is kept whether or not a window is open.
"""

from __future__ import annotations

from dataclasses import replace

from nubrak.core.problem import Problem
from nubrak.core.tempo import TempoTold
from nubrak.desk.desk import Desk
from nubrak.desk.sorting import tell_what_is_new
from nubrak.desk.standing import Standing
from nubrak.desk.tempo import take_if_sure
from nubrak.work.queue import handing_out
from nubrak.work.settings import Settings


def keep_what_was_found(desk: Desk, session_id: str) -> tuple[Standing, TempoTold | None]:
    """Keep what the recordings tell by now, and hand out what is still to be listened to. The session as it
    stands then, and the tempo that is offered because it is not sure.
    """
    standing = desk.standing(session_id)
    desk.ask_for(standing)
    if tell_what_is_new(desk, standing):
        standing = desk.standing(session_id)
        desk.ask_for(standing)
    offer = take_if_sure(desk, standing)
    # A tempo may have been taken. While something is waited for, none was; and what came in meanwhile is told
    # apart by whoever asks next, who would not ask if this said that all had come.
    if offer is None and not any(standing.waiting.values()):
        standing = desk.standing(session_id)
    return standing, offer


def keep_what_was_found_here(session_id: str) -> None:
    """The same as a worker does it, each time that it has listened to a recording of the session."""
    from nubrak.desk.jobs import desk_here

    with handing_out(Settings().database_url).open() as queue:
        try:
            keep_what_was_found(replace(desk_here(), queue=queue), session_id)
        except Problem:
            return  # it was thrown away meanwhile
