"""The flow, end to end: candidates of every part → evidence → decisions → notes. Interface, command line and
tests call this.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from enum import StrEnum

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
from nubrak.core.find import (
    Candidates,
    begins_at,
    combine_microphones,
    find_candidates,
    first_of_each,
    within,
)
from nubrak.core.mix import WHOLE_RING_DB, Strokes
from nubrak.core.pieces import MATERIALS, PIECES, Material, MaterialId, NoteMap, material_of, plain_of
from nubrak.core.session import Document, Part, Source, pieces_to_look_for
from nubrak.core.shape import marks_of_hits
from nubrak.core.signal import distance_to_nearest
from nubrak.core.sort import (
    Sorted,
    ToldPiece,
    listen,
    own_share_db,
    pieces_in,
    sort_moments,
    sounding_of,
    ways_by_own_microphone,
)
from nubrak.core.spill import PartOnsets, kind_of, part_onsets, ring_out_s

# What rises so far in a source is heard there; nearer than this, two are one stroke.
_HEARD_RISE_DB, _ONE_STROKE_S = 6.0, 0.012
_ONLY_BY_HAND = 1e-4  # of strokes in a part that nothing was told for


@dataclass(frozen=True)
class PartInput:
    """One part as the flow needs it. ``sources`` are where it listens: parts that share one do not spill into
    each other. ``sounds`` are its own of those told in moments that it was sorted from, which were
    ``heard_as`` some material; None where it was found by itself. ``share_of`` are the sounds whose share of
    a moment is its strength: its own, or those of the part that it was divided from. What was recorded in
    another ``room``, or at another time, cannot have spilt into it.
    """

    name: str
    piece: str
    candidates: Candidates
    find: FindSettings
    marks: list[Mark]
    sources: frozenset[str] = field(default_factory=frozenset)
    sounds: tuple[str, ...] | None = None
    heard_as: MaterialId | None = None
    share_of: tuple[str, ...] = ()
    room: str = ""


@dataclass(frozen=True)
class Weighed:
    """The evidence of a whole session; ``rooms`` holds what the microphones of each know together, and
    ``kit`` is that of those that came in as files.
    """

    rooms: dict[str, MultiMicrophoneEvidence]
    evidence: dict[str, Evidence]
    stroke_probability: dict[str, NDArray[np.float64]]

    @property
    def kit(self) -> MultiMicrophoneEvidence:
        return self.rooms.get("") or MultiMicrophoneEvidence({}, {}, {}, {}, {})


def listens_to(document: Document, part_id: str) -> list[Source]:
    """The sources that a part is found on: none of a piece without notes, and none that is set aside; one of
    several where it is to be found on that.
    """
    part = document.part(part_id)
    if not PIECES[part.piece].noted and not part.asked:
        return []
    heard = [one for one in part.sources if not document.sources[one].aside]
    return [document.sources[one] for one in heard if part.heard_on not in heard or one == part.heard_on]


def part_input(document: Document, part_id: str, heard: list[Candidates]) -> PartInput:
    """A part of a session with what was heard on each of the sources it listens to."""
    part = document.part(part_id)
    head = document.parts.get(part.sorted_from or "")
    whole = document.parts.get(part.divided_from or "")
    return PartInput(
        document.part_name(part_id),
        part.piece,
        combine_microphones(heard),
        part.find,
        part.mark_list,
        frozenset(part.sources),
        None if head is None else tuple(part.sounds),
        None if head is None else heard_as(head),
        tuple(part.sounds or (whole.sounds if whole else ())),
        next((document.sources[one].room for one in part.sources if one in document.sources), ""),
    )


def heard_as(part: Part) -> MaterialId:
    """What a part's recording is listened to as: one that was asked for its pieces as a whole loop."""
    material = material_of(PIECES[part.piece], part.find.material)
    return "loop" if part.asked and not material.mixed else material.id


class Look(StrEnum):
    """How a source is looked through."""

    USUAL = "find"
    WAYS = "ways"  # as usual, and how its piece is struck is listened to
    CLOSELY = "close"  # as one of many pieces, and which they are is listened to


def look_of(document: Document, part_id: str) -> Look:
    """How a part wants its sources looked through."""
    part = document.part(part_id)
    head = document.parts.get(part.sorted_from or "", part)
    if MATERIALS[heard_as(head)].closely:
        return Look.CLOSELY
    return Look.USUAL if plain_of(head.piece) is None else Look.WAYS


def look_through(
    mono: NDArray[np.float32], rate_hz: int, look: Look, usual: Candidates | None = None
) -> Candidates:
    """Everything that may have been struck in a signal (frames,), and what each moment sounds like where that
    is listened to; what was found as ``usual`` need not be looked for again.
    """
    if usual is None or look is Look.CLOSELY:
        usual = find_candidates(mono, rate_hz, look is Look.CLOSELY)
    return usual if look is Look.USUAL else listen(mono, usual, rate_hz)


def sorts_itself(document: Document, part_id: str) -> bool:
    """Whether a part's moments are still to be told apart: those of a source that carries several pieces."""
    part = document.part(part_id)
    piece = PIECES[part.piece]
    carries = part.asked or (piece.noted and piece.family == "whole" and MATERIALS[heard_as(part)].mixed)
    return carries and not part.told and part.sorted_from is None and bool(listens_to(document, part_id))


def told_in(document: Document, part_id: str, part: PartInput) -> list[ToldPiece] | None:
    """The pieces that a part's moments hold; of a microphone over a kit or in the room what a kit holds and
    has no microphone of its own. None where they were not listened to for that.
    """
    sort = sort_moments(part.candidates)
    if sort is None:
        return None
    found = pieces_in(sort)
    if not document.parts[part_id].asked:
        return found
    wanted = pieces_to_look_for(document, part_id)
    return [one for one in found if one.piece in wanted]


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
    sources = part.sources or frozenset([key])
    return part_onsets(part.candidates, within(*band_of(part)), sources, kind_of(piece), strength, part.piece)


def weigh_all(parts: dict[str, PartInput]) -> Weighed:
    """The evidence for every candidate of every part. A whole loop neither gives spill nor takes it."""
    heard = {key: onsets_of_part(key, part) for key, part in parts.items()}
    evidence, stroke_probabilities = dict[str, Evidence](), dict[str, NDArray[np.float64]]()
    close = dict[str, dict[str, PartOnsets]]()
    for key, here in heard.items():
        if _alone(parts[key]):
            evidence[key], stroke_probabilities[key] = _by_itself(key, parts[key], here)
        else:
            close.setdefault(parts[key].room, {})[key] = here
    rooms = {
        room: weigh(_beside_each_other(those), {key: _only(parts[key]) for key in those})
        for room, those in close.items()
    }
    for kit in rooms.values():
        evidence |= kit.evidence
        stroke_probabilities |= kit.stroke_probability
    return Weighed(rooms, evidence, stroke_probabilities)


def _beside_each_other(close: dict[str, PartOnsets]) -> dict[str, PartOnsets]:
    if len(close) > 1:
        return close
    # With no other microphone beside it, one over a cymbal is a cymbal's.
    return {
        key: replace(here, kind="cymbal") if here.kind == "overall" else here for key, here in close.items()
    }


def weigh_part(weighed: Weighed, key: str, part: PartInput) -> tuple[Evidence, NDArray[np.float64]]:
    """One part's evidence under settings of its own, everything else as it stands."""
    here = onsets_of_part(key, part)
    if _alone(part):
        return _by_itself(key, part, here)
    return weigh_again(weighed.rooms[part.room], key, here, _only(part))


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

    ``stroke_probabilities`` is (n,), a row for each candidate. In a part that only holds what a hand gave it
    no threshold lets anything in.
    """
    find = FindSettings() if part.sounds == () else part.find
    return decide(
        evidence, stroke_probabilities, find, part.marks, PIECES[part.piece], _material(part), span_s
    )


def ways_struck(part: PartInput, decisions: Decisions) -> list[str | None]:
    """How each row of a part's decisions was struck, (rows,): as its sound tells, unless a hand says
    otherwise; None where the piece has no articulations.
    """
    plain = plain_of(part.piece)
    out = [plain] * len(decisions.row)
    if plain is None:
        return out
    told: list[str | None] = []
    if part.sounds:
        sort = sort_moments(part.candidates)
        told = [] if sort is None else sort.only(part.sounds).way_struck(part.piece)
    elif (sounding := sounding_of(part.candidates)) is not None:
        told = ways_by_own_microphone(sounding, part.piece)
    if told:
        out = [told[row] if row >= 0 else plain for row in decisions.row.tolist()]
    spoken = [mark for mark in part.marks if mark.articulation is not None]
    for row, mark in marks_of_hits(decisions, spoken).items():
        out[row] = mark.articulation
    return out


def numbers_by_row(
    part: PartInput, decisions: Decisions, note_map: NoteMap, own: int | None = None
) -> NDArray[np.int64] | None:
    """The note of each row of a part's decisions by how it was struck, (rows,); None where all take one.
    ``own`` is the part's own note where that is not the one the map has for its piece.
    """
    plain = plain_of(part.piece)
    if plain is None:
        return None
    ways = ways_struck(part, decisions)
    number = {way: note_map.number_of(part.piece, way) for way in set(ways)}
    if own is not None:
        number |= {way: own for way in set(ways) if way is None or way == plain}
    return np.array([number[way] for way in ways], np.int64)


def decide_all(
    parts: dict[str, PartInput], span_s: tuple[float, float] | None = None
) -> dict[str, Decisions]:
    """Every part of a session."""
    weighed = weigh_all(parts)
    return {
        key: decide_part(part, weighed.evidence[key], weighed.stroke_probability[key], span_s)
        for key, part in parts.items()
    }


def decide_alone(part: PartInput, span_s: tuple[float, float] | None = None) -> Decisions:
    """A session of one part."""
    return decide_all({"part": part}, span_s)["part"]


def _alone(part: PartInput) -> bool:
    if part.sounds is not None:
        return True
    return PIECES[part.piece].family == "whole" or material_of(PIECES[part.piece], part.find.material).mixed


def _material(part: PartInput) -> Material:
    """What a part is listened to as: one told from moments as what those were found in, one divided by hand
    as what it was divided from.
    """
    if part.sounds is None:
        return material_of(PIECES[part.piece], part.find.material)
    head = MATERIALS[part.heard_as or "loop"]
    return MATERIALS["loop"] if head.mixed else head


def _only(part: PartInput) -> frozenset[str] | None:
    return None if part.find.spill_from is None else frozenset(part.find.spill_from)


def _by_itself(key: str, part: PartInput, here: PartOnsets) -> tuple[Evidence, NDArray[np.float64]]:
    evidence = evidence_of(key, {key: here}, {}, {key: np.ones(len(part.candidates))})
    material, sort = _material(part), sort_moments(part.candidates)
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
    if part.sounds is not None:
        return _told(part, here, evidence, sort)
    if not material.weighs:
        return evidence, np.ones(len(part.candidates))
    if material.mixed and sort is not None:
        stroke_probabilities = sort.of_any()
    else:
        stroke_probabilities = stroke_probability(
            evidence.features, material=Taught.MIX if material.mixed else Taught.KIT
        )
    if material.mixed:
        first = first_of_each(
            evidence.time_s, stroke_probabilities > 0.5, (material.hold_off_ms or 0.0) / 1000
        )
        evidence = replace(evidence, attack_s=evidence.time_s[first])
    return evidence, stroke_probabilities


def _told(
    part: PartInput, here: PartOnsets, evidence: Evidence, sort: Sorted | None
) -> tuple[Evidence, NDArray[np.float64]]:
    """A part told from moments: how likely its own sounds are struck in each, and how loud their share is."""
    if sort is not None and part.share_of:
        level_db = own_share_db(sort, part.share_of, here.strength_db, here.level_db)
        evidence = replace(evidence, level_db=level_db, strength_db=level_db, rise_db=part.candidates.rise_db)
    if sort is None or not part.sounds:
        return evidence, np.full(len(part.candidates), _ONLY_BY_HAND)
    return evidence, sort.only(part.sounds).counts_as()


def strokes_between(
    decided: list[tuple[Decisions, bool]], band_envelope: NDArray[np.float16], fallen_db: float
) -> Strokes:
    """What the gaps of a source lie between, each stroke as long as it takes to fall so far.

    ``decided`` are the decisions of all its parts, each with whether its strokes are its own;
    ``band_envelope`` (steps, regions) is how its level goes on.
    """
    own, rest = [np.zeros((2, 0))], [np.zeros(0)]
    for one, noted in decided:
        struck = one.counts if noted else np.zeros(len(one.row), bool)
        own.append(np.stack([one.time_s, one.found_s])[:, struck])
        rest.append(one.time_s[~struck & (one.rise_db > _HEARD_RISE_DB)])
    strokes = np.concatenate(own, axis=1)
    strokes = strokes[:, np.argsort(strokes[0], kind="stable")]
    time_s, found_s = strokes[:, np.diff(strokes[0], prepend=-np.inf) > _ONE_STROKE_S]
    others_s = np.sort(np.concatenate(rest))
    if len(time_s):
        others_s = others_s[distance_to_nearest(others_s, time_s) > _ONE_STROKE_S]
    rings, whole = (
        ring_out_s(band_envelope, time_s, others_s, by_db) for by_db in (fallen_db, WHOLE_RING_DB)
    )
    return Strokes(time_s, found_s, rings, whole, others_s)
