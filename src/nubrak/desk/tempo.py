"""Tempo out of the hits of a session: guesses, and a map that follows the performance."""

from __future__ import annotations

import numpy as np
from pydantic import BaseModel

from nubrak.core.midi import read_midi
from nubrak.core.pieces import PIECES
from nubrak.core.problem import Problem
from nubrak.core.session import Document, SetTempo
from nubrak.core.shape import Notes
from nubrak.core.tempo import Hits, Tempo, TempoTold, follow, in_order, tempo_told_by
from nubrak.desk.desk import Desk
from nubrak.desk.standing import Standing
from nubrak.store.sessions import SessionState


def hits_of(standing: Standing, part_ids: list[str]) -> Hits:
    """All hits of these parts as played, of all where none is named: times (n,) in s and how strong each is,
    by piece.
    """
    out: dict[str, list[Notes]] = {}
    for part_id in part_ids or list(standing.document.parts):
        piece = standing.document.part(part_id).piece
        out.setdefault(piece, []).append(standing.notes(part_id, before=True))
    return {
        piece: (
            np.concatenate([one.time_s for one in notes]),
            np.concatenate([one.velocity for one in notes]) / 127.0,
        )
        for piece, notes in out.items()
    }


def loop_of(document: Document) -> float | None:
    """How long the one loop of a session lasts, in s; None where it is something else."""
    sources = list(document.sources.values())
    heads = [part for part in document.parts.values() if part.sources and part.sorted_from is None]
    if len(sources) != 1 or len(heads) != 1 or PIECES[heads[0].piece].family != "whole":
        return None
    [source] = sources
    return source.clips[0].length_s if len(source.clips) == 1 and not source.clips[0].start_s else None


class TempoGuesses(BaseModel):
    """What the hits tell: the likeliest tempo with others beside it; empty where too few tell."""

    told: TempoTold | None
    hits: int


def require_tempo(standing: Standing) -> None:
    """Raise a ``Problem`` where no tempo is known."""
    if not standing.document.tempo.is_known:
        raise Problem("No tempo is known yet.", todo="Set, tap or detect it in Gather; then ask again.")


def told(standing: Standing) -> TempoTold | None:
    """Tempo and bar one as the hits tell them, once every source is looked through; None before, where a
    person has spoken, and where too few hits tell.
    """
    if standing.document.tempo.known != "no" or any(standing.waiting.values()):
        return None
    return standing.once("tempo", lambda: tempo_told_by(hits_of(standing, []), loop_of(standing.document)))


def take_if_sure(desk: Desk, standing: Standing) -> None:
    """Keep the tempo that the hits tell where it is sure; what is not sure is offered (`overview.py`)."""
    found = told(standing)
    if found is not None and found.sure:
        desk.sessions.tell_tempo(standing.state.id, as_tempo(found))


def as_tempo(found: TempoTold) -> Tempo:
    """What the hits tell as a session keeps it."""
    kept = found.model_dump(include={"bpm", "beats_per_bar", "beat_unit", "bar_one_s", "changes"})
    return Tempo(known="told", sure=found.confidence, **kept)


def tempo_guesses(standing: Standing, part_ids: list[str]) -> TempoGuesses:
    """The tempo that the hits of these parts suggest, and what else it may be; of all parts where none is
    named.
    """
    hits = hits_of(standing, part_ids)
    count = sum(len(time_s) for time_s, _ in hits.values())
    return TempoGuesses(told=tempo_told_by(hits, loop_of(standing.document)), hits=count)


def follow_parts(desk: Desk, session_id: str, revision: int, part_ids: list[str]) -> SessionState:
    """A tempo map, a change per bar, with which the session's grid stays with these parts."""
    standing = desk.standing(session_id)
    require_tempo(standing)
    straight = standing.document.tempo.model_copy(update={"changes": []})
    changes = follow(straight, *in_order(hits_of(standing, part_ids)))
    if not changes:
        raise Problem("There are too few hits to follow.", todo="Choose a part that keeps time.")
    action = SetTempo.model_validate({"kind": "set_tempo", "changes": {"changes": changes}})
    return desk.sessions.edit(session_id, revision, action)


def tempo_of_midi(desk: Desk, session_id: str, revision: int, data: bytes) -> SessionState:
    """Tempo, its changes, the time signature and bar one of a MIDI file that begins with the session."""
    changes = read_midi(data).tempo.model_dump(exclude={"known", "sure"})
    action = SetTempo.model_validate({"kind": "set_tempo", "changes": changes})
    return desk.sessions.edit(session_id, revision, action)
