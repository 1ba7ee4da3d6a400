"""Live playing on a session: a listener that knows its parts, what it learns before, the simulated stage, and
what is kept of it.
"""

from __future__ import annotations

import hashlib
import secrets
import time
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from nubrak.core.decide import Decisions, FindSettings, State
from nubrak.core.live import (
    MOST_CHANNELS,
    Latency,
    Learnt,
    Listener,
    LivePart,
    LiveSettings,
    LiveStroke,
    Settled,
    band_levels,
    compared,
    from_bytes,
    hops_at,
    inside_of,
    latency_of,
    learn,
    made_ready,
    strokes_played,
    to_bytes,
    unheard,
)
from nubrak.core.midi import Track, midi_file
from nubrak.core.pieces import PIECES
from nubrak.core.problem import Problem
from nubrak.core.session import Document
from nubrak.core.shape import Notes, velocities
from nubrak.desk.desk import Desk
from nubrak.desk.recording import part_of_pass
from nubrak.desk.standing import Standing
from nubrak.store.livetakes import calibration, keep_calibration, keep_live_take, live_take, live_takes

_LEARNT_FROM_S = 60.0  # of a recording: more tells nothing new of a kit
_NOT_YET_S = 0.05
_NOT_DECIDED_S = 0.01  # beside the look-ahead: until a rise stands out
_LONGEST_GAP_S = 10.0  # of what was left out on the way that is made up for
_MOST_STROKES = 20_000  # of one stretch of playing that are kept
_STILL_SETTLING = 256  # strokes among which one is whose strength came
_MOST_CANDIDATES = 40  # told at a time: what a window draws
CALIBRATION_S = 10.0


class LiveAsked(LiveSettings):
    """What is to be listened to, and where it comes from."""

    origin: Literal["stage", "microphone"] = Field(
        description="the simulated stage plays what was recorded; a microphone is the page's own"
    )
    part_ids: list[str] = Field(min_length=1, max_length=MOST_CHANNELS, description="one for each channel")
    rate_hz: int = Field(default=44100, ge=8000, le=384000)
    start_s: float = Field(default=0.0, ge=0, description="where the stage begins to play")
    calibrates: bool = Field(
        default=False, description="learn the kit from ten seconds in which each drum is asked for"
    )


class StrokeSaid(BaseModel):
    """A candidate as it was decided while it was played."""

    part_id: str
    time_s: float = Field(description="where it began, in seconds from where listening began")
    level_db: float
    rise_db: float
    state: int
    stroke_probability: float
    velocity: int
    settled_velocity: int | None = Field(
        default=None, description="told once more from the first 23 ms, when they had come: what is kept"
    )
    note: int
    channel: int

    @property
    def kept_velocity(self) -> int:
        """The velocity that is kept: the one that could be told in full."""
        return self.velocity if self.settled_velocity is None else self.settled_velocity


class LivePartSaid(BaseModel):
    """A part as it is listened to."""

    part_id: str
    name: str
    piece: str
    line_db: float
    learnt_from: int = Field(description="strokes that told how it sounds; 0 where nothing did")
    asked_from_s: float | None = Field(default=None, description="when it is asked for while a kit is learnt")
    asked_to_s: float | None = None


class AgainstOffline(BaseModel):
    """How live playing stands against what Find says of the same audio."""

    same: int
    false: int
    missed: int


class Difference(BaseModel):
    """One place at which live playing and Find say different things."""

    part_id: str
    time_s: float
    what: Literal["only live", "only offline"]
    live_velocity: int | None
    offline_velocity: int | None


class LiveTake(BaseModel):
    """A stretch of live playing as it was decided."""

    settings: LiveSettings
    origin: str
    start_s: float = Field(description="where it lies on the session's time line")
    length_s: float
    strokes: list[StrokeSaid]
    latency: Latency | None
    pass_id: str | None = Field(default=None, description="the recording that what was heard became")
    part_ids: list[str] = Field(default=[], description="the part of each channel of that recording")

    def listened_to(self, document: Document) -> dict[str, str]:
        """Where Find looks at what was played, by the part that listened: the part itself on the stage, what
        was recorded meanwhile from a microphone.
        """
        parts = self.part_ids or sorted({one.part_id for one in self.strokes})
        if self.pass_id is not None:
            return {one: part_of_pass(self.pass_id, c) for c, one in enumerate(parts)}
        return {part_id: part_id for part_id in parts if part_id in document.parts}


class LiveTakeLine(BaseModel):
    """A stretch of live playing in the list."""

    id: str
    origin: str
    start_s: float
    length_s: float
    strokes: int
    look_ahead_ms: float
    latency: Latency | None


@dataclass
class LiveRun:
    """One stretch of live playing, from its first block on."""

    asked: LiveAsked
    document: Document
    listener: Listener
    standing: Standing
    numbers: list[int]
    usual_db: list[float | None]
    kept: list[StrokeSaid] = field(default_factory=list)
    parts_ms: dict[str, list[float]] = field(default_factory=dict)
    frames: int = 0
    heard: list[NDArray[np.float32]] = field(default_factory=list)
    pass_id: str | None = None
    late_s: float = 0.0

    @property
    def heard_s(self) -> float:
        return self.frames / self.asked.rate_hz

    def hear(self, block: NDArray[np.float32], waited_ms: float, network_ms: float = 0.0) -> list[StrokeSaid]:
        """The next samples (frames, c), the last of which came ``waited_ms`` ago: what was decided then."""
        begun = time.perf_counter()
        if self.asked.calibrates and self.heard_s < CALIBRATION_S:
            self.heard.append(block.copy())
        decided = self.listener.hear(block)
        self.frames += len(block)
        took_ms = 1000 * (time.perf_counter() - begun)
        out = [self._said(one) for one in decided]
        for one in decided:
            if one.state is State.HIT:
                waits = (self.frames / self.asked.rate_hz - one.decided_s) * 1000
                for name, part_ms in (
                    ("rise and look-ahead", 1000 * (one.decided_s - one.time_s)),
                    ("input block", waits),
                    ("network", network_ms),
                    ("decision", took_ms),
                    ("output", waited_ms),
                ):
                    self.parts_ms.setdefault(name, []).append(part_ms)
        self.kept += [one for one in out if one.state == State.HIT][: _MOST_STROKES - len(self.kept)]
        for settled in self.listener.settled:
            self._settle(settled)
        return out[:_MOST_CANDIDATES] + [one for one in out[_MOST_CANDIDATES:] if one.state == State.HIT]

    def left_out(self, first: int) -> NDArray[np.float32]:
        """Silence, (frames, c), for what did not come before frame ``first`` of what is played; what was
        played before the first that came is no part of it.
        """
        if not self.frames:
            self.late_s = first / self.asked.rate_hz
        missing = first - round(self.late_s * self.asked.rate_hz) - self.frames
        frames = min(max(missing, 0), round(_LONGEST_GAP_S * self.asked.rate_hz))
        return np.zeros((frames, len(self.asked.part_ids)), np.float32)

    def fits(self, data: bytes) -> bool:
        """Whether bytes are whole frames of all channels."""
        return len(data) % (4 * len(self.asked.part_ids)) == 0

    def samples(self, data: bytes) -> NDArray[np.float32]:
        """Little-endian float32, channels in turn, as a block (frames, c)."""
        return np.frombuffer(data, "<f4").reshape(-1, len(self.asked.part_ids))

    def set(self, find: dict[str, FindSettings], look_ahead_ms: float | None = None) -> None:
        """Other settings of Find, or another look-ahead, from now on."""
        parts = [
            LivePart(part.piece, find.get(part_id, part.find))
            for part_id, part in zip(self.asked.part_ids, self.listener.parts, strict=True)
        ]
        if look_ahead_ms is not None:
            self.asked = self.asked.model_copy(update={"look_ahead_ms": look_ahead_ms})
        self.listener.set(parts, self.listener.learnt, self.asked.look_ahead_ms)

    def learn(self) -> bytes:
        """Know the kit by what was heard while each drum was asked for; what is to be kept of it."""
        none = np.zeros((0, len(self.asked.part_ids)), np.float32)
        audio = np.concatenate([none, *self.heard])
        self.heard = []
        rate, parts = self.asked.rate_hz, self.listener.parts
        within = np.stack([inside_of(part) for part in parts])
        levels = band_levels(audio, rate)
        strokes = strokes_played(levels, within, hops_at(np.array(asked_for(len(parts))), rate))
        learnt = learn(audio, rate, levels, within, strokes)
        if not learnt.strokes.any():
            raise Problem(
                "Nothing was heard in the ten seconds.",
                kept="What was known of the kit stays.",
                todo="Look at the level, and learn the kit once more.",
            )
        self.listener.set(parts, learnt, self.asked.look_ahead_ms)
        return to_bytes(learnt)

    def parts_said(self) -> list[LivePartSaid]:
        """The parts as they are listened to now."""
        windows = asked_for(len(self.asked.part_ids)) if self.asked.calibrates else None
        return [
            LivePartSaid(
                part_id=part_id,
                name=self.document.part_name(part_id),
                piece=part.piece,
                line_db=float(self.listener.line_db[c]),
                learnt_from=int(self.listener.learnt.strokes[c]),
                asked_from_s=windows[c][0] if windows else None,
                asked_to_s=windows[c][1] if windows else None,
            )
            for c, (part_id, part) in enumerate(zip(self.asked.part_ids, self.listener.parts, strict=True))
        ]

    def latency(self) -> Latency | None:
        """How long it took from stroke to note until now."""
        return latency_of({name: np.array(part) for name, part in self.parts_ms.items()})

    def against_offline(self, ended: bool = False) -> AgainstOffline | None:
        """How it stands until now against what Find says of what the stage plays; what was struck just now
        may not be decided yet, unless it has ``ended``.
        """
        if self.asked.origin != "stage":
            return None
        begin, end = self.asked.start_s, self.asked.start_s + self.heard_s
        end -= 0.0 if ended else _NOT_YET_S
        same = false = missed = 0
        for part_id in self.asked.part_ids:
            offline = _hits_s(self.standing.decisions(part_id), begin, end)
            live = np.array([one.time_s + begin for one in self.kept if one.part_id == part_id])
            found = compared(np.sort(live[live < end]), offline)
            same, false, missed = (
                same + len(found.same),
                false + len(found.only_live),
                missed + len(found.only_offline),
            )
        return AgainstOffline(same=same, false=false, missed=missed)

    def _velocity(self, channel: int, strength_db: float) -> int:
        part = self.document.parts[self.asked.part_ids[channel]]
        usual = self.usual_db[channel]
        found = velocities(
            np.array([strength_db]),
            part.shape.model_copy(update={"steps": []}),
            usual_db=self.listener.usual_strength_db[channel] if usual is None else usual,
            loudest=PIECES[part.piece].usual_velocity,
        )
        return int(found[0])

    def _settle(self, one: Settled) -> None:
        part_id = self.asked.part_ids[one.channel]
        for stroke in reversed(self.kept[-_STILL_SETTLING:]):
            if stroke.part_id == part_id and stroke.time_s == one.time_s:
                stroke.settled_velocity = self._velocity(one.channel, one.strength_db)
                return

    def _said(self, one: LiveStroke) -> StrokeSaid:
        part_id = self.asked.part_ids[one.channel]
        part = self.document.parts[part_id]
        return StrokeSaid(
            part_id=part_id,
            time_s=one.time_s,
            level_db=one.level_db,
            rise_db=one.rise_db,
            state=int(one.state),
            stroke_probability=one.stroke_probability,
            velocity=self._velocity(one.channel, one.strength_db),
            note=self.numbers[one.channel],
            channel=part.shape.channel,
        )


def asked_for(count: int) -> list[tuple[float, float]]:
    """From when to when each of so many drums is asked for while a kit is learnt, in s."""
    each_s = (CALIBRATION_S - 0.7) / count
    return [(0.2 + k * each_s, 0.2 + (k + 1) * each_s) for k in range(count)]


def begin_live(desk: Desk, session_id: str, asked: LiveAsked) -> LiveRun:
    """A stretch of live playing that begins, with what the session's recordings tell of the kit."""
    standing = desk.standing(session_id)
    document = standing.document
    made_ready()
    for part_id in asked.part_ids:
        part = document.part(part_id)
        if asked.origin == "stage" and not part.sources:
            raise Problem(
                f"{document.part_name(part_id)} has no recording that the stage could play.",
                todo="Choose parts that were recorded.",
            )
    if asked.origin == "stage":
        asked = asked.model_copy(update={"rate_hz": document.rate_hz})
    parts = [LivePart(document.parts[one].piece, document.parts[one].find) for one in asked.part_ids]
    kept = None if asked.calibrates else calibration(desk.engine, session_id, _of(asked))
    known = None if kept is None else from_bytes(kept, len(parts))
    if known is None and asked.calibrates:
        known = unheard(len(parts))
    known = known or learnt_from_recordings(desk, standing, asked, parts)
    numbers = [standing.notes(one).number for one in asked.part_ids]
    usual = [
        standing.usual_db(one, decisions) if (decisions := standing.decisions(one)).counts.any() else None
        for one in asked.part_ids
    ]
    if asked.origin == "microphone" or asked.calibrates:
        usual = [None] * len(usual)
    listener = Listener(parts, known, asked.rate_hz, asked.look_ahead_ms)
    return LiveRun(asked, document, listener, standing, numbers, usual)


def _of(asked: LiveAsked) -> str:
    """What a calibration is of: these parts, in this order, from there, at this rate."""
    words = repr((asked.origin, asked.part_ids, asked.rate_hz))
    return hashlib.sha256(words.encode()).hexdigest()


def keep_learnt(desk: Desk, session_id: str, run: LiveRun, learnt: bytes) -> None:
    """Keep what a run learnt of its kit with the session."""
    keep_calibration(desk.engine, session_id, _of(run.asked), learnt)


def learnt_from_recordings(desk: Desk, standing: Standing, asked: LiveAsked, parts: list[LivePart]) -> Learnt:
    """What the recordings of the parts, with the hits that Find says, tell of how they sound."""
    channels = stage_channels(desk, standing.document, asked)
    frames = min(max((len(one) for one in channels), default=0), round(_LEARNT_FROM_S * asked.rate_hz))
    if not frames:
        return unheard(len(parts))
    audio = np.zeros((frames, len(parts)), np.float32)
    for c, one in enumerate(channels):
        audio[: len(one[:frames]), c] = one[:frames]
    levels = band_levels(audio, asked.rate_hz)
    within = np.stack([inside_of(part) for part in parts])
    strokes = [
        hops_at(_hits_s(standing.decisions(one), 0.0, frames / asked.rate_hz), asked.rate_hz) + 1
        for one in asked.part_ids
    ]
    return learn(audio, asked.rate_hz, levels, within, strokes)


def stage_channels(desk: Desk, document: Document, asked: LiveAsked) -> list[NDArray[np.float32]]:
    """What the stage plays into each channel, (frames,) from the time line's start on: the first recording of
    each part.
    """
    out = []
    for part_id in asked.part_ids:
        sources = document.parts[part_id].sources
        out.append(
            desk.audio.source_mono(document.sources[sources[0]], asked.rate_hz)
            if sources
            else np.zeros(0, np.float32)
        )
    return out


def stage(channels: list[NDArray[np.float32]], begin: int, frames: int) -> Iterator[NDArray[np.float32]]:
    """Blocks (frames, c) of what is played on the stage from sample ``begin`` on; the last may be shorter."""
    length = max((len(one) for one in channels), default=0)
    for at in range(begin, length, frames):
        block = np.zeros((min(frames, length - at), len(channels)), np.float32)
        for c, one in enumerate(channels):
            here = one[at : at + len(block)]
            block[: len(here), c] = here
        yield block


def keep_run(desk: Desk, session_id: str, run: LiveRun) -> str | None:
    """Keep what was played as a take of notes; None where nothing was."""
    if not run.kept:
        return None
    take_id = secrets.token_hex(8)
    take = LiveTake(
        settings=LiveSettings(look_ahead_ms=run.asked.look_ahead_ms),
        origin=run.asked.origin,
        start_s=run.asked.start_s + run.late_s,
        length_s=run.heard_s,
        strokes=run.kept,
        latency=run.latency(),
        pass_id=run.pass_id,
        part_ids=run.asked.part_ids,
    )
    keep_live_take(desk.engine, take_id, session_id, take.model_dump(mode="json"))
    return take_id


def takes_of_session(desk: Desk, session_id: str) -> list[LiveTakeLine]:
    """Every stretch of live playing, the newest first."""
    out = []
    for take_id, document in live_takes(desk.engine, session_id):
        take = LiveTake.model_validate(document)
        out.append(
            LiveTakeLine(
                id=take_id,
                origin=take.origin,
                start_s=take.start_s,
                length_s=take.length_s,
                strokes=len(take.strokes),
                look_ahead_ms=take.settings.look_ahead_ms,
                latency=take.latency,
            )
        )
    return out


def differences(desk: Desk, session_id: str, take_id: str) -> list[Difference]:
    """The strokes that only live playing has or only Find, of the same parts, in order of time. How strong a
    stroke is that both have is no difference: Find hears all of it, live playing its first milliseconds.
    """
    take = LiveTake.model_validate(live_take(desk.engine, session_id, take_id))
    if take.origin == "microphone" and take.pass_id is None:
        raise Problem(
            "What was heard was not recorded, so Find cannot look at it.",
            kept="Its notes are kept.",
            todo="Take them as MIDI, or play once more.",
        )
    standing = desk.standing(session_id)
    out = []
    for part_id, looked_at in sorted(take.listened_to(standing.document).items()):
        if looked_at not in standing.document.parts:
            continue
        notes, decisions = standing.notes(looked_at), standing.decisions(looked_at)
        # What was struck at the very end was not decided when it stopped.
        end_s = take.start_s + take.length_s - take.settings.look_ahead_ms / 1000 - _NOT_DECIDED_S
        offline = _hits_s(decisions, take.start_s, end_s)
        strokes = sorted((one for one in take.strokes if one.part_id == part_id), key=lambda one: one.time_s)
        live = np.array([one.time_s + take.start_s for one in strokes])
        found = compared(live, offline)
        velocity = _velocity_at(notes, offline)
        out += [
            _difference(part_id, live[k], "only live", strokes[k].kept_velocity, None)
            for k in found.only_live
        ]
        out += [
            _difference(part_id, offline[k], "only offline", None, velocity[k]) for k in found.only_offline
        ]
    return sorted(out, key=lambda one: one.time_s)


def take_as_midi(desk: Desk, session_id: str, take_id: str) -> bytes:
    """A stretch of live playing as a MIDI file, a track for each part."""
    take = LiveTake.model_validate(live_take(desk.engine, session_id, take_id))
    document = desk.sessions.get(session_id).document
    tracks = []
    for part_id in sorted({one.part_id for one in take.strokes}):
        strokes = [one for one in take.strokes if one.part_id == part_id]
        count = len(strokes)
        name = document.part_name(part_id) if part_id in document.parts else part_id
        notes = Notes(
            time_s=np.array([one.time_s + take.start_s for one in strokes]),
            velocity=np.array([one.kept_velocity for one in strokes], np.int64),
            number=strokes[0].note,
            channel=strokes[0].channel,
            length_beats=0.25,
            row=np.full(count, -1, np.int64),
        )
        tracks.append(Track(name, notes))
    return midi_file(tracks, document.tempo)


def _velocity_at(notes: Notes, times_s: NDArray[np.float64]) -> list[int]:
    if not len(notes.time_s):
        return [0] * len(times_s)
    nearest = np.abs(notes.time_s[None] - times_s[:, None]).argmin(axis=1) if len(times_s) else []
    return [int(notes.velocity[k]) for k in nearest]


def _difference(
    part_id: str,
    time_s: float,
    what: Literal["only live", "only offline", "velocity"],
    live: int | None,
    offline: int | None,
) -> Difference:
    return Difference(
        part_id=part_id, time_s=float(time_s), what=what, live_velocity=live, offline_velocity=offline
    )


def _hits_s(decisions: Decisions, begin_s: float, end_s: float) -> NDArray[np.float64]:
    times = np.sort(decisions.time_s[decisions.counts])
    return times[(times >= begin_s) & (times < end_s)]
