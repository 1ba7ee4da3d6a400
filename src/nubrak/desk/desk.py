"""What works on sessions: the stores, the caches, and a session as it stands."""

from __future__ import annotations

import copy
import threading
from collections.abc import Hashable
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray
from procrastinate import App
from sqlalchemy import Engine

from nubrak.core.decide import FindSettings
from nubrak.core.find import Candidates, join
from nubrak.core.flow import Look, PartInput, band_of, listens_to, look_of, part_input
from nubrak.core.gather import AudioFacts
from nubrak.core.layer import Layer, Profile
from nubrak.core.mix import Blocks, Bus, Mix, at_master, ducking, render
from nubrak.core.samples import Clear
from nubrak.core.session import Document, Part, Source
from nubrak.core.together import groups_of
from nubrak.desk.audio import Audio
from nubrak.desk.chains import Without, without_stages
from nubrak.desk.shares import Told
from nubrak.desk.standing import Evidenced, Standing
from nubrak.store.audio import facts_of
from nubrak.store.cache import Cache
from nubrak.store.progress import cancel, cancelled_of, progress_of
from nubrak.store.sessions import Sessions, SessionState
from nubrak.work.listen_together import ask_to_listen_together
from nubrak.work.still_to_do import ask_for_analysis

_MOST_STANDING = 24  # revisions of sessions, each with its notes: what some windows look at
_MOST_EVIDENCED = 12  # sessions whose evidence is weighed, as it stands and as recorded: tens of MB each
_MOST_PROFILES = 5000  # instruments
_MOST_BEGINNINGS = 64  # files, by what is found in their first minute
_MOST_TRIED = 24  # sounds stepped through
_MOST_RANKED = 400  # parts whose strokes are ranked by how much they stand by themselves


@dataclass
class Desk:
    """Everything that is asked of sessions, in one place. Threads may share it."""

    engine: Engine
    cache: Cache
    sessions: Sessions
    queue: App
    uploads: Path
    audio: Audio = field(init=False)
    told: Told = field(init=False)
    profiles: LRUCache[Hashable, Profile] = field(default_factory=lambda: LRUCache(_MOST_PROFILES))
    tried: LRUCache[Hashable, Standing] = field(default_factory=lambda: LRUCache(_MOST_TRIED))
    beginnings: LRUCache[str, Candidates] = field(default_factory=lambda: LRUCache(_MOST_BEGINNINGS))
    blocks: Blocks = field(default_factory=Blocks)
    ranked: LRUCache[Hashable, list[Clear]] = field(default_factory=lambda: LRUCache(_MOST_RANKED))
    lock: threading.RLock = field(default_factory=threading.RLock)
    _standing: LRUCache[Hashable, Standing] = field(default_factory=lambda: LRUCache(_MOST_STANDING))
    _evidenced: LRUCache[str, Evidenced] = field(default_factory=lambda: LRUCache(_MOST_EVIDENCED))

    def __post_init__(self) -> None:
        self.audio = Audio(self.cache)
        self.told = Told(self.audio)

    def standing(self, session_id: str) -> Standing:
        """The session as it stands now. Asks for the analysis of what has not been analysed."""
        revision = self.sessions.revision(session_id)
        with self.lock:
            kept = self._standing.get((session_id, revision))
        if kept is not None and not any(kept.waiting.values()):
            return kept
        return self._keep(session_id, self.stand(self.sessions.get(session_id)))

    def one_back(self, session_id: str) -> Standing:
        """The session as it was before its last edit, to hear what that changed."""
        about = f"{session_id} back"
        revision = self.sessions.revision(session_id)
        with self.lock:
            kept = self._standing.get((about, revision))
        return kept or self._keep(about, self.stand(self.sessions.one_back(session_id)))

    def with_layer(self, standing: Standing, part_id: str, layer_id: str, layer: Layer) -> Standing:
        """The session as it would stand with another layer, for listening; notes and decisions are the
        same.
        """
        document = standing.document.model_copy()
        part = document.part(part_id).model_copy()
        part.layers = part.layers | {layer_id: layer}
        document.parts = document.parts | {part_id: part}
        state = standing.state.model_copy(update={"document": document})
        return replace(standing, state=state, _plans={}, _unmixed=[])

    def with_drafts_in(self, folder: Path) -> Desk:
        """The same desk with another folder for files under way."""
        other = copy.copy(self)
        other.uploads = folder
        return other

    def _keep(self, about: str, standing: Standing) -> Standing:
        with self.lock:
            self._standing[about, standing.state.revision] = standing
        return standing

    def stand(self, state: SessionState) -> Standing:
        """What the flow makes of a session, at whatever revision."""
        inputs, by_itself, waiting, alone, signature, plainly = {}, {}, {}, {}, [], []
        beside = self._beside(state.document)
        looks = {part_id: look_of(state.document, part_id) for part_id in state.document.parts}
        for part_id, part in state.document.parts.items():
            listens = listens_to(state.document, part_id)
            found = [self._candidates(source, looks[part_id]) for source in listens]
            alone[part_id] = [audio for _, missing in found for audio in missing]
            ids = [one for one in part.sources if state.document.sources[one] in listens]
            together = [beside.get((one, looks[part_id])) for one in ids]
            late = [
                source.clips[0].audio
                for source, one in zip(listens, together, strict=True)
                if one is not None and one.found is None
            ]
            waiting[part_id] = alone[part_id] or late
            keys = [one.key for one in together if one is not None and one.found is not None]
            plain = [candidates for candidates, _ in found]
            by_itself[part_id] = inputs[part_id] = part_input(state.document, part_id, plain)
            if keys:
                beside_others = [
                    before if one is None or one.found is None else one.found
                    for before, one in zip(plain, together, strict=True)
                ]
                inputs[part_id] = part_input(state.document, part_id, beside_others)
            clips = [[(clip.audio, clip.start_s) for clip in source.clips] for source in listens]
            signature.append((part_id, clips, waiting[part_id], keys, *_evidence_rests_on(part)))
            plainly.append((part_id, clips, alone[part_id], [], *_evidence_rests_on(part)))
        evidenced = self._evidence(repr(signature), inputs)
        return Standing(
            state, inputs, waiting, alone, looks, evidenced, self._evidence(repr(plainly), by_itself)
        )

    def _beside(self, document: Document) -> dict[tuple[str, Look], _FoundBeside]:
        """What was found on the sources that are looked through beside others, as they lie now."""
        out = {}
        for group in groups_of(document):
            for one in group.members:
                if one.heard:
                    key = group.key_of(one)
                    out[one.source_id, one.look] = _FoundBeside(key, self.cache.beside(key, one.look))
        return out

    def _evidence(self, signature: str, inputs: dict[str, PartInput]) -> Evidenced:
        """Evidence by what it is made from: a mark or a threshold changes none of it."""
        with self.lock:
            if signature not in self._evidenced:
                self._evidenced[signature] = Evidenced(inputs)
            return self._evidenced[signature]

    def _candidates(self, source: Source, look: Look) -> tuple[Candidates, list[str]]:
        found, missing = [], []
        for clip in source.clips:
            candidates = self.cache.candidates(clip.audio, look)
            if candidates is None:
                missing.append(clip.audio)
                # What is known already stands until what is wanted is there.
                known = (self.cache.candidates(clip.audio, other) for other in Look if other is not look)
                candidates = next((one for one in known if one is not None), None)
            if candidates is not None:
                found.append((candidates, clip.start_s))
        return join([c for c, _ in found], [s for _, s in found]), missing

    def ask_for(self, standing: Standing) -> None:
        """Hand out the analysis of everything that is missing and not cancelled."""
        missing = standing.missing()
        waits = sorted({audio for waiting in standing.waiting.values() for audio in waiting})
        off = cancelled_of(self.engine, waits) if waits else set()
        wanted = [(audio, look) for audio, look in missing if audio not in off]
        for audio, look in wanted:
            ask_for_analysis(self.queue, audio, look)
        if not wanted and set(waits) - off:
            ask_to_listen_together(self.queue, standing.state.id)

    def analyse(self, standing: Standing, on: bool) -> None:
        """Cancel the analysis of what is still missing, or take it up again."""
        cancel(self.engine, [audio for waits in standing.waiting.values() for audio in waits], off=not on)
        if on:
            self.ask_for(standing)

    def progress(self, audio: list[str]) -> tuple[float, str | None]:
        """How far the analysis of these files is, 0 to 1, and what went wrong."""
        return progress_of(self.engine, audio)

    def facts(self, audio: str) -> AudioFacts:
        """What is known of a stored file; a ``Problem`` where there is none."""
        return facts_of(self.engine, audio)

    def window(
        self,
        standing: Standing,
        bus: Bus,
        part_ids: list[str],
        start: int,
        frames: int,
        find: FindSettings | None = None,
        before: bool = False,
        layer_id: str | None = None,
        solo: bool = False,
        bussed: bool = False,
        bus_id: str | None = None,
        without: Without | None = None,
        mastered: bool = False,
    ) -> NDArray[np.float32]:
        """What is heard of these parts from sample ``start`` on, (frames, 2); of one part also as other find
        settings would have it, or as it was ``before`` it was shaped; of layers also a single one; ``solo``
        heeds what is solo; ``bussed`` through groups, parallels and rooms, or one of them alone; ``without``
        some stages; ``mastered`` at the session's master level, as it is listened to and printed.
        """
        if without is not None:
            standing = without_stages(standing, without)
        mix = self.mix(standing, bus, part_ids, find, before)
        if without is not None:
            mix = replace(mix, trim_db={without.key: without.trim_db})
        sound = render(mix, bus, part_ids, start, frames, layer_id, solo, bussed, bus_id)
        return at_master(sound, standing.document.master_db) if mastered else sound

    def mix(
        self,
        standing: Standing,
        bus: Bus,
        part_ids: list[str],
        find: FindSettings | None = None,
        before: bool = False,
    ) -> Mix:
        """What a bus of these parts is made of; only what it needs is worked out."""
        document, rate = standing.document, standing.document.rate_hz
        notes, bands, hits = {}, {}, {}
        if bus not in ("recording", "detector"):
            notes = {part_id: standing.notes(part_id, find, before) for part_id in part_ids}
        if bus == "detector":
            for part_id in part_ids:
                part = standing.inputs[part_id]
                bands[part_id] = band_of(replace(part, find=find) if find else part)
        if bus in ("recording", "layers", "both"):
            hits = {part_id: standing.struck(part_id) for part_id in ducking(document, part_ids)}
        return Mix(
            document,
            notes,
            lambda audio: self.cache.decoded(audio, rate),
            lambda sample, voice: self.audio.voiced(sample, voice, rate),
            hits,
            bands,
            None if find or before else standing.plan,
            lambda *of: self.told.share(standing, *of),
            lambda *of: self.told.less(standing, *of),
            standing.openings,
            blocks=self.blocks,
            key=None if find or before else standing.unmixed,
        )


@dataclass(frozen=True)
class _FoundBeside:
    """What was found on a source beside others, under its key; None where it is still to be."""

    key: str
    found: Candidates | None


def _evidence_rests_on(part: Part) -> tuple[object, ...]:
    """What of a part's settings changes what its candidates are worth."""
    find = part.find
    heard = find.material, find.low_hz, find.high_hz, find.spill_from
    told = part.sorted_from, part.divided_from, part.sounds, part.asked
    return part.piece, part.sources, part.heard_on, *told, *heard
