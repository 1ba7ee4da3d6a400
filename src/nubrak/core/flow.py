"""The flow, end to end: candidates of every part → decisions → notes. The interface, the command line and the tests call this."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nubrak.core.decide import Decisions, FindSettings, Mark, decide, evidence_for
from nubrak.core.find import Candidates
from nubrak.core.pieces import PIECES
from nubrak.core.spill import Heard, Spill, predict


@dataclass(frozen=True)
class PartInput:
    """One part as the flow needs it."""

    name: str
    piece: str
    candidates: Candidates
    find: FindSettings
    marks: list[Mark]


def first_pass(part: PartInput) -> Heard:
    """The part decided on its own, as the others' spill model sees it."""
    alone = decide(evidence_for(part.candidates, PIECES[part.piece]), part.find, [], PIECES[part.piece])
    return Heard(part.name, alone.time_s, alone.level_db, alone.counts)


def spill_between(parts: dict[str, PartInput]) -> dict[str, Spill]:
    """For every part, what the strokes of all others spill at its candidates. A part of one whole loop neither gives nor takes."""
    close = {key: part for key, part in parts.items() if part.piece not in ("loop", "else") and len(part.candidates)}
    if len(close) < 2:
        return {}
    heard = {key: first_pass(part) for key, part in close.items()}
    cleaned = {}
    # Once more with what the first look found to be spill taken out of each part's own strokes.
    for key, part in close.items():
        spill = predict(heard[key], [other for k, other in heard.items() if k != key])
        margin = 4.0 if part.find.spill_margin_db is None else part.find.spill_margin_db
        own = heard[key].strokes & (heard[key].level_db >= spill.level_db + margin)
        cleaned[key] = Heard(part.name, heard[key].time_s, heard[key].level_db, own if own.any() else heard[key].strokes)
    return {key: predict(cleaned[key], [other for k, other in cleaned.items() if k != key]) for key in close}


def decide_part(part: PartInput, spill: Spill | None) -> Decisions:
    """One part with its settings, its marks and the spill of the others."""
    return decide(evidence_for(part.candidates, PIECES[part.piece]), part.find, part.marks, PIECES[part.piece], spill)


def decide_all(parts: dict[str, PartInput]) -> dict[str, Decisions]:
    """Every part of a session."""
    spill = spill_between(parts)
    return {key: decide_part(part, spill.get(key)) for key, part in parts.items()}


def doubtful(decisions: Decisions, at_least: float = 0.2) -> int:
    """How many decisions are worth a second look."""
    return int(np.count_nonzero(decisions.doubt >= at_least))
