"""What is known only once a session was listened to: the pieces in its loops and overheads, and its tempo. It
is kept whether or not a window is open.
"""

from __future__ import annotations

from dataclasses import replace

from nubrak.core.problem import Problem
from nubrak.desk.desk import Desk
from nubrak.desk.sorting import pieces_to_tell
from nubrak.desk.tempo import take_if_sure
from nubrak.work.queue import handing_out
from nubrak.work.settings import Settings


def keep_what_was_found(desk: Desk, session_id: str) -> None:
    """Keep what the recordings of a session tell by now, and hand out what is still to be listened to."""
    standing = desk.standing(session_id)
    desk.ask_for(standing)
    told = pieces_to_tell(standing)
    for part_id, pieces in told.items():
        desk.sessions.tell_pieces(session_id, part_id, pieces)
    if told:
        standing = desk.standing(session_id)
        desk.ask_for(standing)
    take_if_sure(desk, standing)


def keep_what_was_found_here(session_id: str) -> None:
    """The same as a worker does it, each time that it has listened to a recording of the session."""
    from nubrak.desk.jobs import desk_here

    with handing_out(Settings().database_url).open() as queue:
        try:
            keep_what_was_found(replace(desk_here(), queue=queue), session_id)
        except Problem:
            return  # it was thrown away meanwhile
