"""A session as it stands: everything the flow makes of its document, each made once when asked for."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from hashlib import sha256
from typing import TypeVar, cast

import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from nubrak.core.decide import Decisions, Evidence, FindSettings
from nubrak.core.find import join
from nubrak.core.flow import (
    Look,
    PartInput,
    Weighed,
    decide_part,
    evidence_moves,
    numbers_by_row,
    strokes_between,
    weigh_all,
    weigh_part,
)
from nubrak.core.layer import LayerPlan, plan_layer
from nubrak.core.mix import Openings, Stage, Strokes, openings_of
from nubrak.core.pieces import PIECES
from nubrak.core.session import Document, part_notes
from nubrak.core.shape import Notes, ShapeSettings, no_notes, shape, usual_db_of
from nubrak.core.sort import Sorted, sort_moments
from nubrak.core.spill import rings_s
from nubrak.store.sessions import SessionState

T = TypeVar("T")
_MOST_DRAFTS = 24  # bands, materials and leakers tried on parts
_UNKNOWN_RING_S = 0.25  # of a hit added where nothing was found


class Evidenced:
    """What the microphones of a session know together, found out once when it is asked for."""

    def __init__(self, inputs: dict[str, PartInput]) -> None:
        self._inputs, self._lock = inputs, threading.Lock()
        self._weighed: Weighed | None = None
        self._drafts: LRUCache[str, tuple[Evidence, NDArray[np.float64]]] = LRUCache(_MOST_DRAFTS)

    @property
    def weighed(self) -> Weighed:
        """The evidence of every part as it stands."""
        with self._lock:
            if self._weighed is None:
                self._weighed = weigh_all(self._inputs)
            return self._weighed

    def of(self, part_id: str, find: FindSettings) -> tuple[Evidence, NDArray[np.float64]]:
        """A part's evidence and stroke probabilities as these settings hear it."""
        weighed, kept = self.weighed, self._inputs[part_id]
        if not evidence_moves(kept.find, find):
            return weighed.evidence[part_id], weighed.stroke_probability[part_id]
        key = f"{part_id} {find.material} {find.low_hz} {find.high_hz} {find.spill_from}"
        with self._lock:
            if key not in self._drafts:
                self._drafts[key] = weigh_part(weighed, part_id, replace(kept, find=find))
            return self._drafts[key]


@dataclass
class Standing:
    """One session at one revision with everything the flow makes of it, each made once when asked for."""

    state: SessionState
    inputs: dict[str, PartInput]
    waiting: dict[str, list[str]]  # part → audio hashes still to be analysed
    alone: dict[str, list[str]]  # those of them that were not looked through by themselves yet
    looks: dict[str, Look]  # how each part wants them looked through
    evidenced: Evidenced
    as_recorded: Evidenced  # of each source by itself: nothing that others explain is taken off
    _decisions: dict[str, Decisions] = field(default_factory=dict)
    _notes: dict[tuple[str, bool], Notes] = field(default_factory=dict)
    _sorts: dict[str, Sorted | None] = field(default_factory=dict)
    _openings: dict[str, Openings] = field(default_factory=dict)
    _unmixed: list[str] = field(default_factory=list)
    _plans: dict[tuple[str, str], LayerPlan] = field(default_factory=dict)
    _once: dict[str, object] = field(default_factory=dict)

    @property
    def unmixed(self) -> str:
        """What everything that is heard rests on but for stages and buses, as a short text."""
        if not self._unmixed:
            document = self.document.model_copy()
            bare: dict[str, list[Stage]] = {"chain": [], "layers_chain": []}
            document.parts = {key: part.model_copy(update=bare) for key, part in document.parts.items()}
            document.buses = {}
            said = document.model_dump_json() + repr(sorted(self.waiting.items()))
            self._unmixed.append(f"{self.state.id} {sha256(said.encode()).hexdigest()}")
        return self._unmixed[0]

    @property
    def document(self) -> Document:
        """The session's document."""
        return self.state.document

    def once(self, name: str, make: Callable[[], T]) -> T:
        """What is made of the session as it stands, made when it is first asked for."""
        if name not in self._once:
            self._once[name] = make()
        return cast("T", self._once[name])

    def missing(self) -> list[tuple[str, Look]]:
        """The audio that is still to be analysed, and how."""
        return sorted(
            {(audio, self.looks[part_id]) for part_id, waits in self.alone.items() for audio in waits}
        )

    @property
    def names(self) -> dict[str, str]:
        """What the parts are called."""
        return {part_id: self.document.part_name(part_id) for part_id in self.document.parts}

    def own_note(self, part_id: str) -> int:
        """The note that a part is written as where nothing was set."""
        notes = self.once("part notes", lambda: part_notes(self.document))
        return notes.get(part_id, self.document.note_map.number_of(self.document.part(part_id).piece))

    def evidence(
        self, part_id: str, find: FindSettings | None = None
    ) -> tuple[Evidence, NDArray[np.float64]]:
        """The evidence of a part and its stroke probabilities, as it stands or with other settings."""
        return self.evidenced.of(part_id, find or self.document.part(part_id).find)

    def sort(self, head_id: str) -> Sorted | None:
        """The sounds of every moment of a part; None where they were not listened to for that."""
        if head_id not in self._sorts:
            self._sorts[head_id] = sort_moments(self.inputs[head_id].candidates)
        return self._sorts[head_id]

    def decisions(self, part_id: str, find: FindSettings | None = None) -> Decisions:
        """The decisions of a part as it stands, or as they would be with other settings."""
        part = self.document.part(part_id)
        if find is not None:
            return decide_part(
                replace(self.inputs[part_id], find=find), *self.evidence(part_id, find), self.document.span_s
            )
        if part_id not in self._decisions:
            self._decisions[part_id] = decide_part(
                self.inputs[part_id], *self.evidence(part_id, part.find), self.document.span_s
            )
        return self._decisions[part_id]

    def shaped(
        self, part_id: str, decisions: Decisions, settings: ShapeSettings, numbered: bool = True
    ) -> Notes:
        """The notes that these shape settings would make of a part; without ``numbered`` all have the
        piece's own number, however they were struck.
        """
        document, part = self.document, self.document.part(part_id)
        if not document.is_noted(part_id):
            return no_notes(settings)
        rings = self._rings(part_id, decisions) if settings.length == "ring" else None
        mapped = self.own_note(part_id)
        return shape(
            decisions,
            settings,
            part.mark_list,
            PIECES[part.piece],
            document.tempo,
            list(part.pattern.values()),
            rings,
            mapped,
            numbers_by_row(self.inputs[part_id], decisions, document.note_map, mapped) if numbered else None,
            self.usual_db(part_id, decisions),
        )

    def usual_db(self, part_id: str, decisions: Decisions) -> float:
        """The strength of a part's loudest usual strokes. What was divided from another is as soft as it was
        there: ghosts by themselves are still ghosts.
        """
        whole = self.document.part(part_id).divided_from
        return usual_db_of(self.decisions(whole) if whole in self.document.parts else decisions)

    def _rings(self, part_id: str, decisions: Decisions) -> NDArray[np.float64]:
        """How long what each row of the decisions stands for rings, (rows,) in s."""
        candidates = self.inputs[part_id].candidates
        out = np.full(len(decisions.row), _UNKNOWN_RING_S)
        known = decisions.row >= 0
        out[known] = rings_s(
            candidates.band_envelope, candidates.time_s, PIECES[self.document.part(part_id).piece]
        )[decisions.row[known]]
        return out

    def velocities(self, part_id: str, decisions: Decisions) -> Notes:
        """The notes that decisions of a part would become, for how hard they are: all of one number."""
        return self.shaped(part_id, decisions, self.document.part(part_id).shape, numbered=False)

    def notes(self, part_id: str, find: FindSettings | None = None, before: bool = False) -> Notes:
        """The notes of a part as it stands, as they would be with other find settings, or as played,
        ``before`` anything was shaped.
        """
        settings = self.document.part(part_id).shape
        if before:
            settings = ShapeSettings(note=settings.note, channel=settings.channel)
        if find is not None:
            return self.shaped(part_id, self.decisions(part_id, find), settings)
        if (part_id, before) not in self._notes:
            self._notes[part_id, before] = self.shaped(part_id, self.decisions(part_id), settings)
        return self._notes[part_id, before]

    def plan(self, part_id: str, layer_id: str) -> LayerPlan:
        """What a layer plays, as the part stands."""
        found = self._plans.get((part_id, layer_id))
        if found is None:
            layer = self.document.part(part_id).layers[layer_id]
            self._plans[part_id, layer_id] = found = plan_layer(
                layer, self.notes(part_id), self.document.rate_hz, self.document.tempo
            )
        return found

    def chosen(self, part_id: str | None) -> list[str]:
        """One part, or all in their order; a ``Problem`` where the one is not there."""
        if part_id is None:
            return [one for one, _ in self.document.ordered_parts()]
        self.document.part(part_id)
        return [part_id]

    def struck(self, part_id: str) -> NDArray[np.int64]:
        """The samples at which a part was struck, in order, (n,)."""
        decisions = self.decisions(part_id)
        return np.round(np.sort(decisions.time_s[decisions.counts]) * self.document.rate_hz).astype(np.int64)

    def openings(self, source_id: str) -> Openings | None:
        """Where a source is open between its gaps; None where they are not turned down."""
        cleaning = self.document.source(source_id).cleaning
        if not cleaning.on:
            return None
        if source_id not in self._openings:
            self._openings[source_id] = openings_of(
                cleaning, self.gap_strokes(source_id, cleaning.rings_db), self.document.rate_hz
            )
        return self._openings[source_id]

    def gap_strokes(self, source_id: str, fallen_db: float) -> Strokes:
        """What the gaps of a source lie between, each stroke as long as it takes to fall so far."""
        decided = [
            (self.decisions(part_id), self.document.is_noted(part_id))
            for part_id, part in self.document.parts.items()
            if source_id in part.sources and not part.muted
        ]
        return strokes_between(decided, self._envelope(source_id), fallen_db)

    def _envelope(self, source_id: str) -> NDArray[np.float16]:
        """How the level of a source goes on."""
        heads = [
            part_id
            for part_id, part in self.document.parts.items()
            if source_id in part.sources and part.sorted_from is None
        ]
        return self.inputs[heads[0]].candidates.band_envelope if heads else join([], []).band_envelope
