"""What a request works with: the store, the cache, and the flow over one session as it stands."""

from __future__ import annotations

import threading
from collections import OrderedDict
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from procrastinate import App
from sqlalchemy import Engine, select
from sqlalchemy.orm import Session as Db

from nubrak.core.decide import Decisions, Evidence, FindSettings
from nubrak.core.find import Candidates, combine_microphones, join
from nubrak.core.flow import PartInput, Weighed, band_of, decide_part, evidence_moves, weigh_all, weigh_part
from nubrak.core.layer import Layer, LayerPlan, Profile, Voice, made_ready, plan_layer, ready_key, with_own
from nubrak.core.mix import Bus, Mix, ducks, render
from nubrak.core.pieces import ONLY_HEARD, PIECES, listens_closely
from nubrak.core.samples import Sample
from nubrak.core.session import Document, Source
from nubrak.core.shape import Notes, ShapeSettings, shape
from nubrak.core.spill import rings_s
from nubrak.store.audio import facts_of
from nubrak.store.cache import Cache
from nubrak.store.sessions import Sessions, SessionState
from nubrak.store.tables import ProgressRow
from nubrak.web.jobs import Jobs
from nubrak.web.kept import Kept
from nubrak.work.analyse import ask_for_analysis, cancel

_MOST_DRAFTS = 24
_MOST_SAMPLE_BYTES = 256 << 20
_UNKNOWN_RING_S = 0.25  # of a hit added where nothing was found


class Evidenced:
    """What the microphones of a session know together, found out once when it is asked for."""

    def __init__(self, inputs: dict[str, PartInput]) -> None:
        self._inputs, self._lock = inputs, threading.Lock()
        self._weighed: Weighed | None = None
        self._drafts: OrderedDict[str, tuple[Evidence, NDArray[np.float64]]] = OrderedDict()

    @property
    def weighed(self) -> Weighed:
        """The evidence of every part as it stands."""
        with self._lock:
            if self._weighed is None:
                self._weighed = weigh_all(self._inputs)
            return self._weighed

    def of(self, part_id: str, find: FindSettings) -> tuple[Evidence, NDArray[np.float64]]:
        """A part's evidence and chances as these settings hear it."""
        weighed, kept = self.weighed, self._inputs[part_id]
        if not evidence_moves(kept.find, find):
            return weighed.evidence[part_id], weighed.stroke_probability[part_id]
        key = f"{part_id} {find.material} {find.low_hz} {find.high_hz} {find.spill_from}"
        with self._lock:
            if key not in self._drafts:
                self._drafts[key] = weigh_part(weighed, part_id, replace(kept, find=find))
                while len(self._drafts) > _MOST_DRAFTS:
                    self._drafts.popitem(last=False)
            self._drafts.move_to_end(key)
            return self._drafts[key]


@dataclass
class Standing:
    """One session at one revision with everything the flow makes of it, each made once when asked for."""

    state: SessionState
    inputs: dict[str, PartInput]
    waiting: dict[str, list[str]]  # part → audio hashes still to be analysed
    closely: frozenset[str]  # the parts that want them looked through closely
    evidenced: Evidenced
    _decisions: dict[str, Decisions] = field(default_factory=dict)
    _notes: dict[tuple[str, bool], Notes] = field(default_factory=dict)
    _plans: dict[tuple[str, str], LayerPlan] = field(default_factory=dict)

    @property
    def document(self) -> Document:
        """The session's document."""
        return self.state.document

    def missing(self) -> list[tuple[str, bool]]:
        """The audio that is still to be analysed, and whether closely."""
        return sorted(
            {(audio, part_id in self.closely) for part_id, waits in self.waiting.items() for audio in waits}
        )

    @property
    def names(self) -> dict[str, str]:
        """What the parts are called."""
        return {part_id: self.document.part_name(part_id) for part_id in self.document.parts}

    def evidence(
        self, part_id: str, find: FindSettings | None = None
    ) -> tuple[Evidence, NDArray[np.float64]]:
        """The evidence of a part and its chances, as it stands or with other settings."""
        return self.evidenced.of(part_id, find or self.document.part(part_id).find)

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

    def shaped(self, part_id: str, decisions: Decisions, settings: ShapeSettings) -> Notes:
        """The notes that these shape settings would make of a part."""
        document, part = self.document, self.document.part(part_id)
        rings = self._rings(part_id, decisions) if settings.length == "ring" else None
        mapped = document.note_map.number_of(part.piece)
        return shape(
            decisions,
            settings,
            part.mark_list,
            PIECES[part.piece],
            document.tempo,
            list(part.pattern.values()),
            rings,
            mapped,
        )

    def _rings(self, part_id: str, decisions: Decisions) -> NDArray[np.float64]:
        """How long what each row of the decisions stands for rings, (rows,) in s."""
        candidates = self.inputs[part_id].candidates
        out = np.full(len(decisions.row), _UNKNOWN_RING_S)
        known = decisions.row >= 0
        out[known] = rings_s(
            candidates.band_envelope, candidates.time_s, PIECES[self.document.part(part_id).piece]
        )[decisions.row[known]]
        return out

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

    def struck(self, part_id: str) -> NDArray[np.int64]:
        """The samples at which a part was struck, in order, (n,)."""
        decisions = self.decisions(part_id)
        return np.round(np.sort(decisions.time_s[decisions.counts]) * self.document.rate_hz).astype(np.int64)


@dataclass
class Desk:
    """Everything a route needs, in one place."""

    engine: Engine
    cache: Cache
    sessions: Sessions
    queue: App
    uploads: Path
    _standing: dict[tuple[str, int], Standing] = field(default_factory=dict)
    _evidenced: OrderedDict[str, Evidenced] = field(default_factory=OrderedDict)
    _samples: Kept[NDArray[np.float32]] = field(
        default_factory=lambda: Kept(_MOST_SAMPLE_BYTES, lambda audio: audio.nbytes)
    )
    _voiced: Kept[tuple[NDArray[np.float32], int]] = field(
        default_factory=lambda: Kept(_MOST_SAMPLE_BYTES, lambda ready: ready[0].nbytes)
    )
    _mono: Kept[NDArray[np.float32]] = field(
        default_factory=lambda: Kept(_MOST_SAMPLE_BYTES, lambda audio: audio.nbytes)
    )
    profiles: dict[tuple[str, int], Profile] = field(default_factory=dict)
    tried: OrderedDict[tuple[object, ...], Standing] = field(default_factory=OrderedDict)
    jobs: Jobs = field(default_factory=Jobs)

    def standing(self, session_id: str) -> Standing:
        """The session as it stands now. Asks for the analysis of what has not been analysed."""
        kept = self._standing.get((session_id, self.sessions.revision(session_id)))
        if kept is not None and not any(kept.waiting.values()):
            return kept
        standing = self._stand(self.sessions.get(session_id))
        self._keep((session_id, standing.state.revision), standing)
        return standing

    def one_back(self, session_id: str) -> Standing:
        """The session as it was before its last edit, to hear what that changed."""
        key = (f"{session_id} back", self.sessions.revision(session_id))
        kept = self._standing.get(key)
        if kept is None:
            kept = self._stand(self.sessions.one_back(session_id))
            self._keep(key, kept)
        return kept

    def with_layer(self, standing: Standing, part_id: str, layer_id: str, layer: Layer) -> Standing:
        """The session as it would stand with another layer, for listening; notes and decisions are the
        same.
        """
        document = standing.document.model_copy()
        part = document.part(part_id).model_copy()
        part.layers = part.layers | {layer_id: layer}
        document.parts = document.parts | {part_id: part}
        return replace(standing, state=standing.state.model_copy(update={"document": document}), _plans={})

    def _keep(self, key: tuple[str, int], standing: Standing) -> None:
        self._standing[key] = standing
        while len(self._standing) > 24:
            # Oldest first; another thread may have been faster.
            self._standing.pop(next(iter(self._standing)), None)

    def _stand(self, state: SessionState) -> Standing:
        inputs, waiting, signature, closely = {}, {}, [], set[str]()
        for part_id, part in state.document.parts.items():
            listens = [source_id for source_id in part.sources if not state.document.sources[source_id].aside]
            if part.piece == ONLY_HEARD:
                listens = []
            if listens_closely(PIECES[part.piece], part.find.material):
                closely.add(part_id)
            found = [
                self._candidates(state.document.sources[source_id], part_id in closely)
                for source_id in listens
            ]
            waiting[part_id] = [audio for _, missing in found for audio in missing]
            inputs[part_id] = PartInput(
                state.document.part_name(part_id),
                part.piece,
                combine_microphones([c for c, _ in found]),
                part.find,
                part.mark_list,
                frozenset(part.sources),
            )
            heard = [
                [(clip.audio, clip.start_s) for clip in state.document.sources[source_id].clips]
                for source_id in listens
            ]
            find = part.find
            signature.append(
                (
                    part_id,
                    part.piece,
                    part.sources,
                    heard,
                    waiting[part_id],
                    find.material,
                    find.low_hz,
                    find.high_hz,
                    find.spill_from,
                )
            )
        return Standing(state, inputs, waiting, frozenset(closely), self._evidence(repr(signature), inputs))

    def _evidence(self, signature: str, inputs: dict[str, PartInput]) -> Evidenced:
        """Evidence by what it is made from: a mark or a threshold changes none of it."""
        found = self._evidenced.get(signature)
        if found is None:
            self._evidenced[signature] = found = Evidenced(inputs)
            while len(self._evidenced) > 6:
                self._evidenced.popitem(last=False)
        return found

    def _candidates(self, source: Source, closely: bool) -> tuple[Candidates, list[str]]:
        found, missing = [], []
        for clip in source.clips:
            candidates = self.cache.candidates(clip.audio, closely)
            if candidates is None:
                missing.append(clip.audio)
                # What is known already stands until what is wanted is there.
                candidates = self.cache.candidates(clip.audio, not closely)
            if candidates is not None:
                found.append((candidates, clip.start_s))
        return join([c for c, _ in found], [s for _, s in found]), missing

    def ask_for(self, standing: Standing) -> None:
        """Hand out the analysis of everything that is missing and not cancelled."""
        missing = standing.missing()
        if missing:
            with Db(self.engine) as db:
                off = set(
                    db.scalars(
                        select(ProgressRow.audio).where(
                            ProgressRow.audio.in_([audio for audio, _ in missing]), ProgressRow.cancelled
                        )
                    ).all()
                )
            for audio, closely in missing:
                if audio not in off:
                    ask_for_analysis(self.queue, audio, closely)

    def analyse(self, standing: Standing, on: bool) -> None:
        """Cancel the analysis of what is still missing, or take it up again."""
        cancel(self.engine, [audio for waits in standing.waiting.values() for audio in waits], off=not on)
        if on:
            self.ask_for(standing)

    def progress(self, audio: list[str]) -> tuple[float, str | None]:
        """How far the analysis of these files is, 0 to 1, and what went wrong."""
        if not audio:
            return 1.0, None
        with Db(self.engine) as db:
            rows = db.scalars(select(ProgressRow).where(ProgressRow.audio.in_(audio))).all()
        share = sum(min(row.share, 0.99) for row in rows) / len(audio)
        if any(row.cancelled for row in rows):
            return share, "Looking for strokes was cancelled. The recording is kept."
        return share, next((row.problem for row in rows if row.problem), None)

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
    ) -> NDArray[np.float32]:
        """What is heard of these parts from sample ``start`` on, (frames, 2); of one part also as other find
        settings would have it, or as it was ``before`` it was shaped; of layers also a single one; ``solo``
        heeds what is solo.
        """
        return render(
            self.mix(standing, bus, part_ids, find, before), bus, part_ids, start, frames, layer_id, solo
        )

    def mix(
        self,
        standing: Standing,
        bus: Bus,
        part_ids: list[str],
        find: FindSettings | None = None,
        before: bool = False,
    ) -> Mix:
        """What a bus of these parts is made of."""
        document, rate = standing.document, standing.document.rate_hz
        notes = (
            {part_id: standing.notes(part_id, find, before) for part_id in part_ids}
            if bus not in ("recording", "detector")
            else {}
        )
        bands = (
            {
                part_id: band_of(
                    replace(standing.inputs[part_id], find=find) if find else standing.inputs[part_id]
                )
                for part_id in part_ids
            }
            if bus == "detector"
            else {}
        )
        room = (
            [part_id for part_id in part_ids if ducks(document.parts[part_id])]
            if bus in ("recording", "both")
            else []
        )
        return Mix(
            document,
            notes,
            lambda audio: self.cache.decoded(audio, rate),
            lambda sample, voice: self.voiced(sample, voice, rate),
            {part_id: standing.struck(part_id) for part_id in room},
            bands,
            None if find or before else standing.plan,
        )

    def sample(self, sample: Sample, rate_hz: int) -> NDArray[np.float32]:
        """A sample's audio at a rate, (frames, 1 or 2); of more channels their mean."""

        def decoded() -> NDArray[np.float32]:
            audio = self.cache.decoded(sample.audio, rate_hz)
            return np.array(
                audio if audio.shape[1] <= 2 else audio.mean(axis=1, keepdims=True, dtype=np.float32)
            )

        return self._samples.get((sample.audio, rate_hz), decoded)

    def voiced(self, sample: Sample, voice: Voice, rate_hz: int) -> tuple[NDArray[np.float32], int]:
        """A sample as a voice plays it, and the frame its attack is at."""
        voice = with_own(voice, sample)
        key = (sample.audio, sample.attack_s, sample.begin_s, rate_hz, *ready_key(voice))

        def ready() -> tuple[NDArray[np.float32], int]:
            audio = self.sample(sample, rate_hz)[round(sample.begin_s * rate_hz) :]
            return made_ready(audio, max(sample.attack_s - sample.begin_s, 0.0), rate_hz, voice)

        return self._voiced.get(key, ready)

    def source_mono(self, source: Source, rate_hz: int) -> NDArray[np.float32]:
        """A source on the session's time line as one signal, (frames,); where takes overlap, both."""

        def mono() -> NDArray[np.float32]:
            out = np.zeros(round(source.end_s * rate_hz) + 1, np.float32)
            for clip in source.clips:
                audio, begin = self.cache.decoded(clip.audio, rate_hz), round(clip.start_s * rate_hz)
                used = min(len(audio), len(out) - begin)
                out[begin : begin + used] += np.asarray(audio[:used]).mean(axis=1, dtype=np.float32)
            out.flags.writeable = False
            return out

        return self._mono.get((rate_hz, *((clip.audio, clip.start_s) for clip in source.clips)), mono)

    def facts(self, audio: str) -> dict[str, object]:
        """What is known of a stored file."""
        return facts_of(self.engine, audio).model_dump()
