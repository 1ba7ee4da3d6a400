"""Tempo out of the hits of a session: guesses, and a map that follows the performance."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from nubrak.core.midi import read_midi
from nubrak.core.problem import Problem
from nubrak.core.session import SetTempo
from nubrak.core.shape import Notes
from nubrak.core.tempo import TempoGuess, TempoTold, estimate_tempo, follow, tempo_told_by
from nubrak.desk.desk import Desk
from nubrak.desk.standing import Standing
from nubrak.store.sessions import SessionState


def struck(standing: Standing, part_ids: list[str]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """All hits of these parts in order of time, (n,) in s, and how strong each is against its part's,
    (n,).
    """
    times, weights = [np.zeros(0)], [np.zeros(0)]
    for part_id in part_ids or list(standing.document.parts):
        notes = standing.notes(part_id, before=True)
        times.append(notes.time_s)
        weights.append(notes.velocity / 127.0)
    time_s, weight = np.concatenate(times), np.concatenate(weights)
    order = np.argsort(time_s, kind="stable")
    return time_s[order], weight[order]


class TempoGuesses(BaseModel):
    """The likeliest tempo, half of it and double it."""

    guesses: list[TempoGuess]
    hits: int


def require_tempo(standing: Standing) -> None:
    """Raise a ``Problem`` where no tempo is known."""
    if not standing.document.tempo.is_known:
        raise Problem(
            "No tempo is known yet.",
            todo="Set it in Gather, tap it, or let the hits tell it; then ask again.",
        )


def told(standing: Standing) -> TempoTold | None:
    """Tempo and bar one as the hits tell them, once every source is looked through; None before, where a
    person has spoken, and where too few hits tell.
    """
    document = standing.document
    if document.tempo.known != "no" or any(standing.waiting.values()):
        return None
    hits: dict[str, list[Notes]] = {}
    for part_id, part in document.parts.items():
        hits.setdefault(part.piece, []).append(standing.notes(part_id, before=True))
    by_piece = {
        piece: (
            np.concatenate([one.time_s for one in notes]),
            np.concatenate([one.velocity for one in notes]) / 127.0,
        )
        for piece, notes in hits.items()
    }
    return tempo_told_by(by_piece, document.tempo.beats_per_bar)


def take_if_sure(desk: Desk, standing: Standing) -> TempoTold | None:
    """Keep the tempo that the hits tell where it is sure; what is not sure is handed back, to be offered."""
    found = told(standing)
    if found is None or not found.sure:
        return found
    tempo = standing.document.tempo.model_copy(
        update={"known": "told", "bpm": found.bpm, "bar_one_s": found.bar_one_s}
    )
    desk.sessions.tell_tempo(standing.state.id, tempo)
    return None


def tempo_guesses(standing: Standing, part_ids: list[str]) -> TempoGuesses:
    """The tempo that the hits of these parts suggest, half of it and double it; of all parts where none is
    named.
    """
    time_s, weight = struck(standing, part_ids)
    return TempoGuesses(guesses=estimate_tempo(time_s, weight), hits=len(time_s))


def follow_parts(desk: Desk, session_id: str, revision: int, part_ids: list[str]) -> SessionState:
    """A tempo map, a change per bar, with which the session's grid stays with these parts."""
    standing = desk.standing(session_id)
    require_tempo(standing)
    straight = standing.document.tempo.model_copy(update={"changes": []})
    changes = follow(straight, *struck(standing, part_ids))
    if not changes:
        raise Problem("There are too few hits to follow.", todo="Choose a part that keeps time.")
    action = SetTempo.model_validate({"kind": "set_tempo", "changes": {"changes": changes}})
    return desk.sessions.edit(session_id, revision, action)


def tempo_of_midi(desk: Desk, session_id: str, revision: int, data: bytes) -> SessionState:
    """Tempo, its changes and the time signature of a MIDI file; its bar 1 is where the session begins."""
    changes = read_midi(data).tempo.model_dump() | {"bar_one_s": 0.0}
    action = SetTempo.model_validate({"kind": "set_tempo", "changes": changes})
    return desk.sessions.edit(session_id, revision, action)
