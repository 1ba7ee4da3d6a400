"""The flow, end to end: candidates of every part → evidence → decisions → notes. Interface, command line and
tests call this.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from nubrak.core.decide import (
    Decisions,
    Evidence,
    FindSettings,
    Mark,
    MultiMicrophoneEvidence,
    Taught,
    decide,
    evidence_of,
    stroke_probability,
    weigh,
    weigh_again,
)
from nubrak.core.find import Candidates, begins_at, combine_microphones, first_of_each, within
from nubrak.core.pieces import PIECES, material_of
from nubrak.core.session import Document, Source
from nubrak.core.spill import PartOnsets, kind_of, part_onsets


@dataclass(frozen=True)
class PartInput:
    """One part as the flow needs it. ``sources`` are where it listens: parts that share one do not spill into
    each other.
    """

    name: str
    piece: str
    candidates: Candidates
    find: FindSettings
    marks: list[Mark]
    sources: frozenset[str] = field(default_factory=frozenset)


@dataclass(frozen=True)
class Weighed:
    """The evidence of a whole session; ``kit`` holds what the microphones know together."""

    kit: MultiMicrophoneEvidence
    evidence: dict[str, Evidence]
    stroke_probability: dict[str, NDArray[np.float64]]


def listens_to(document: Document, part_id: str) -> list[Source]:
    """The sources that a part is found on: none of a piece without notes, and none that is set aside."""
    part = document.part(part_id)
    if not PIECES[part.piece].noted:
        return []
    return [document.sources[one] for one in part.sources if not document.sources[one].aside]


def part_input(document: Document, part_id: str, heard: list[Candidates]) -> PartInput:
    """A part of a session with what was heard on each of the sources it listens to."""
    part = document.part(part_id)
    return PartInput(
        document.part_name(part_id),
        part.piece,
        combine_microphones(heard),
        part.find,
        part.mark_list,
        frozenset(part.sources),
    )


def band_of(part: PartInput) -> tuple[float, float]:
    """Between which frequencies, in Hz, the detector of a part hears."""
    piece, find = PIECES[part.piece], part.find
    low, high = (
        (30.0, 18000.0) if material_of(piece, find.material).whole_band else (piece.low_hz, piece.high_hz)
    )
    low, high = (
        (low if find.low_hz is None else find.low_hz),
        (high if find.high_hz is None else find.high_hz),
    )
    return min(low, high), max(low, high)


def onsets_of_part(key: str, part: PartInput) -> PartOnsets:
    """A part as its settings let it be heard."""
    piece = PIECES[part.piece]
    strength = within(piece.strength_low_hz, piece.strength_high_hz)
    return part_onsets(
        part.candidates, within(*band_of(part)), part.sources or frozenset([key]), kind_of(piece), strength
    )


def weigh_all(parts: dict[str, PartInput]) -> Weighed:
    """The evidence for every candidate of every part. A whole loop neither gives spill nor takes it."""
    heard = {key: onsets_of_part(key, part) for key, part in parts.items()}
    close = {key: here for key, here in heard.items() if not _alone(parts[key])}
    if len(close) == 1:
        # With no other microphone beside it, one over a cymbal is a cymbal's.
        close = {
            key: replace(here, kind="cymbal") if here.kind == "overall" else here
            for key, here in close.items()
        }
    kit = weigh(close, {key: _only(parts[key]) for key in close})
    evidence, stroke_probabilities = dict(kit.evidence), dict(kit.stroke_probability)
    for key in heard.keys() - close.keys():
        evidence[key], stroke_probabilities[key] = _by_itself(key, parts[key], heard[key])
    return Weighed(kit, evidence, stroke_probabilities)


def weigh_part(weighed: Weighed, key: str, part: PartInput) -> tuple[Evidence, NDArray[np.float64]]:
    """One part's evidence under settings of its own, everything else as it stands."""
    here = onsets_of_part(key, part)
    return _by_itself(key, part, here) if _alone(part) else weigh_again(weighed.kit, key, here, _only(part))


def evidence_moves(before: FindSettings, after: FindSettings) -> bool:
    """Whether a change of settings changes what is heard, and not only what is made of it."""
    return any(
        getattr(before, name) != getattr(after, name)
        for name in ("low_hz", "high_hz", "spill_from", "material")
    )


def decide_part(
    part: PartInput,
    evidence: Evidence,
    stroke_probabilities: NDArray[np.float64],
    span_s: tuple[float, float] | None = None,
) -> Decisions:
    """One part with its settings and its marks.

    ``stroke_probabilities`` is (n,), a row for each candidate.
    """
    piece = PIECES[part.piece]
    return decide(
        evidence,
        stroke_probabilities,
        part.find,
        part.marks,
        piece,
        material_of(piece, part.find.material),
        span_s,
    )


def decide_all(
    parts: dict[str, PartInput], span_s: tuple[float, float] | None = None
) -> dict[str, Decisions]:
    """Every part of a session."""
    weighed = weigh_all(parts)
    return {
        key: decide_part(part, weighed.evidence[key], weighed.stroke_probability[key], span_s)
        for key, part in parts.items()
    }


def decide_alone(part: PartInput) -> Decisions:
    """A session of one part."""
    return decide_all({"part": part})["part"]


def _alone(part: PartInput) -> bool:
    return PIECES[part.piece].family == "whole" or material_of(PIECES[part.piece], part.find.material).mixed


def _only(part: PartInput) -> frozenset[str] | None:
    return None if part.find.spill_from is None else frozenset(part.find.spill_from)


def _by_itself(key: str, part: PartInput, here: PartOnsets) -> tuple[Evidence, NDArray[np.float64]]:
    evidence = evidence_of(key, {key: here}, {}, {key: np.ones(len(part.candidates))})
    material = material_of(PIECES[part.piece], part.find.material)
    if material.mixed:
        # A stroke may rise in one band while another's ringing fills the rest.
        evidence = replace(evidence, rise_db=part.candidates.rise_db)
    if material.slow_onset_s:
        e = evidence
        began = begins_at(
            e.time_s, e.level_db, e.before_db, e.rise_db, material.slow_onset_s, material.rise_db
        )
        # Every step of a swell speaks for the whole of it, so that the loudest, which stands for it, is told
        # by how it began.
        evidence = replace(
            e, attack_s=e.time_s[began], before_db=e.before_db[began], rise_db=e.rise_db[began]
        )
    if not material.weighs:
        return evidence, np.ones(len(part.candidates))
    stroke_probabilities = stroke_probability(
        evidence.features, material=Taught.MIX if material.mixed else Taught.KIT
    )
    if material.mixed:
        first = first_of_each(
            evidence.time_s, stroke_probabilities > 0.5, (material.hold_off_ms or 0.0) / 1000
        )
        evidence = replace(evidence, attack_s=evidence.time_s[first])
    return evidence, stroke_probabilities
