"""What a request works with: the store, the cache, and the flow over one session as it stands."""

from __future__ import annotations

import threading
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from procrastinate import App
from sqlalchemy import Engine, select
from sqlalchemy.orm import Session as Db

from nubrak.core.decide import Decisions, FindSettings
from nubrak.core.document import Document, Source
from nubrak.core.find import Candidates, join
from nubrak.core.flow import PartInput, decide_part, spill_between
from nubrak.core.kit import Sample
from nubrak.core.mix import Bus, render
from nubrak.core.pieces import PIECES
from nubrak.core.shape import Notes, shape
from nubrak.core.spill import Spill
from nubrak.store.audio import facts_of
from nubrak.store.cache import Cache
from nubrak.store.sessions import Sessions, SessionState
from nubrak.store.tables import ProgressRow
from nubrak.work.analyse import ask_for_analysis


@dataclass
class Standing:
    """One session at one revision with everything the flow makes of it, each made once when asked for."""

    state: SessionState
    inputs: dict[str, PartInput]
    waiting: dict[str, list[str]]  # part → audio hashes still to be analysed
    lock: threading.Lock = field(default_factory=threading.Lock)
    _spill: dict[str, Spill] | None = None
    _decisions: dict[str, Decisions] = field(default_factory=dict)
    _notes: dict[str, Notes] = field(default_factory=dict)

    @property
    def document(self) -> Document:
        """The session's document."""
        return self.state.document

    def decisions(self, part_id: str, find: FindSettings | None = None) -> Decisions:
        """The decisions of a part as it stands, or as they would be with other settings."""
        self.document.part(part_id)
        with self.lock:
            if self._spill is None:
                self._spill = spill_between(self.inputs)
            kept = self.inputs[part_id]
            if find is not None:
                return decide_part(PartInput(kept.name, kept.piece, kept.candidates, find, kept.marks), self._spill.get(part_id))
            if part_id not in self._decisions:
                self._decisions[part_id] = decide_part(kept, self._spill.get(part_id))
            return self._decisions[part_id]

    def notes(self, part_id: str) -> Notes:
        """The notes of a part as it stands."""
        if part_id not in self._notes:
            part = self.document.part(part_id)
            self._notes[part_id] = shape(self.decisions(part_id), part.shape, part.mark_list, PIECES[part.piece])
        return self._notes[part_id]


@dataclass
class Desk:
    """Everything a route needs, in one place."""

    engine: Engine
    cache: Cache
    sessions: Sessions
    queue: App
    uploads: Path
    _standing: dict[tuple[str, int], Standing] = field(default_factory=dict)
    _samples: dict[tuple[str, int], NDArray[np.float32]] = field(default_factory=dict)

    def standing(self, session_id: str) -> Standing:
        """The session as it stands now. Asks for the analysis of what has not been analysed."""
        kept = self._standing.get((session_id, self.sessions.revision(session_id)))
        if kept is not None and not any(kept.waiting.values()):
            return kept
        state = self.sessions.get(session_id)
        key = (session_id, state.revision)
        inputs, waiting = {}, {}
        for part_id, part in state.document.parts.items():
            found = [self._candidates(state.document.sources[source_id]) for source_id in part.sources]
            waiting[part_id] = [audio for _, missing in found for audio in missing]
            inputs[part_id] = PartInput(state.document.part_name(part_id), part.piece, join([c for c, _ in found], [0.0] * len(found)), part.find, part.mark_list)
        self._standing[key] = standing = Standing(state, inputs, waiting)
        while len(self._standing) > 24:
            # Oldest first; another thread may have been faster.
            self._standing.pop(next(iter(self._standing)), None)
        return standing

    def _candidates(self, source: Source) -> tuple[Candidates, list[str]]:
        found, missing = [], []
        for clip in source.clips:
            candidates = self.cache.candidates(clip.audio)
            if candidates is None:
                missing.append(clip.audio)
            else:
                found.append((candidates, clip.start_s))
        return join([c for c, _ in found], [s for _, s in found]), missing

    def ask_for(self, standing: Standing) -> None:
        """Hand out the analysis of everything that is missing."""
        for audio in sorted({audio for missing in standing.waiting.values() for audio in missing}):
            ask_for_analysis(self.queue, audio)

    def progress(self, audio: list[str]) -> tuple[float, str | None]:
        """How far the analysis of these files is, 0 to 1, and what went wrong."""
        if not audio:
            return 1.0, None
        with Db(self.engine) as db:
            rows = db.scalars(select(ProgressRow).where(ProgressRow.audio.in_(audio))).all()
        share = sum(min(row.share, 0.99) for row in rows) / len(audio)
        return share, next((row.problem for row in rows if row.problem), None)

    def window(self, standing: Standing, bus: Bus, part_ids: list[str], start: int, frames: int) -> NDArray[np.float32]:
        """What is heard of these parts from sample ``start`` on, (frames, 2)."""
        rate = standing.document.rate_hz
        notes = {part_id: standing.notes(part_id) for part_id in part_ids} if bus != "recording" else {}
        return render(standing.document, notes, lambda audio: self.cache.decoded(audio, rate), lambda sample: self._sample(sample, rate), bus, part_ids, start, frames)

    def _sample(self, sample: Sample, rate_hz: int) -> NDArray[np.float32]:
        key = (sample.audio, rate_hz)
        audio = self._samples.get(key)
        if audio is None:
            self._samples[key] = audio = np.array(self.cache.decoded(sample.audio, rate_hz))
            while len(self._samples) > 400:
                self._samples.pop(next(iter(self._samples)), None)
        return audio

    def facts(self, audio: str) -> dict[str, object]:
        """What is known of a stored file."""
        return facts_of(self.engine, audio).model_dump()
