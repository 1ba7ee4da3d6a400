"""What is heard: the recording and the layers of one part or of all, for any window of time."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal, Protocol

import numpy as np
from numpy.typing import NDArray

from nubrak.core.layer import Layer, LayerPlan, SampleAudio, as_stereo, plan_layer, render_layer
from nubrak.core.mix.blend import Blend, cut, ducking_gain, pan_gains
from nubrak.core.mix.trigger import render_triggers
from nubrak.core.pieces import PIECES
from nubrak.core.shape import Notes
from nubrak.core.signal import REACH, db_to_gain, in_band
from nubrak.core.tempo import Tempo

Bus = Literal["recording", "layers", "both", "trigger", "detector"]
Band = tuple[float, float]
ClipAudio = Callable[[str], NDArray[np.float32]]  # content hash → (frames, channels) at the session's rate
_NO_HITS = np.zeros(0, np.int64)  # of a part that plays nothing


class PlacedAudio(Protocol):
    """A stretch of audio on the time line: its content hash, and where it lies, in seconds."""

    audio: str
    start_s: float
    length_s: float


class SoundingSource(Protocol):
    """What a source must say of itself to be heard."""

    @property
    def clips(self) -> Sequence[PlacedAudio]: ...
    @property
    def aside(self) -> bool: ...


class SoundingPart(Protocol):
    """What a part must say of itself to be heard."""

    piece: str
    sources: list[str]
    blend: Blend
    layers: dict[str, Layer]
    sorted_from: str | None


class Sounding(Protocol):
    """What a session must say of itself to be heard; the document does."""

    rate_hz: int
    tempo: Tempo

    @property
    def sources(self) -> Mapping[str, SoundingSource]: ...
    @property
    def parts(self) -> Mapping[str, SoundingPart]: ...


@dataclass(frozen=True)
class Mix:
    """Everything a window is made of: the document, the notes of its parts, where they were struck, and the
    audio.

    ``hits`` are the samples at which each part was struck, in order, where its recording makes room for them;
    ``bands`` what the detector of a part hears, in Hz; ``plan`` gives what a layer plays where that is known
    already.
    """

    document: Sounding
    notes: dict[str, Notes]
    clip_audio: ClipAudio
    sample_audio: SampleAudio
    hits: dict[str, NDArray[np.int64]] = field(default_factory=dict)
    bands: dict[str, Band] = field(default_factory=dict)
    plan: Callable[[str, str], LayerPlan] | None = None


def render(
    mix: Mix,
    bus: Bus,
    part_ids: list[str],
    start: int,
    frames: int,
    layer_id: str | None = None,
    solo: bool = False,
) -> NDArray[np.float32]:
    """Samples ``start`` to ``start + frames`` of the chosen parts, (frames, 2) float32 at the document's
    rate.

    The same function serves listening and printing; windows joined equal the whole. The bus ``trigger`` ticks
    on every hit, ``detector`` is the recording as the detector hears it. With ``layer_id`` that layer alone
    sounds. ``solo`` heeds what is solo.
    """
    out, document = np.zeros((frames, 2), np.float32), mix.document
    if bus == "trigger":
        for part_id in part_ids:
            cross = PIECES[document.parts[part_id].piece].head == "cross"
            out += render_triggers(mix.notes[part_id], document.rate_hz, cross, start, frames)[:, None]
    if bus == "detector":
        for part_id in part_ids:
            around = np.zeros((frames + 2 * REACH, 2), np.float32)
            for source_id in document.parts[part_id].sources:
                _add_source(around, mix, document.sources[source_id], start - REACH)
            out += in_band(around, *mix.bands.get(part_id, (20.0, 20000.0)), document.rate_hz)
    alone = solo and any(
        part.blend.recording_solo or part.blend.layers_solo for part in document.parts.values()
    )
    if bus in ("recording", "both"):
        _add_recordings(out, mix, part_ids, start, alone)
    if bus in ("layers", "both"):
        for part_id in part_ids:
            blend = document.parts[part_id].blend
            if not blend.layers_on or (alone and not blend.layers_solo):
                continue
            gain = np.float32(db_to_gain(blend.layers_db)) * pan_gains(blend.layers_pan)
            for key, layer in document.parts[part_id].layers.items():
                if layer_id in (None, key) and layer.on:
                    plan = (
                        mix.plan(part_id, key)
                        if mix.plan
                        else plan_layer(layer, mix.notes[part_id], document.rate_hz, document.tempo)
                    )
                    out += gain * render_layer(
                        layer,
                        mix.notes[part_id],
                        mix.sample_audio,
                        document.rate_hz,
                        start,
                        frames,
                        document.tempo,
                        plan,
                    )
    return out


def _add_recordings(out: NDArray[np.float32], mix: Mix, part_ids: list[str], start: int, alone: bool) -> None:
    """Add every source of the parts once, at the blend of the first part that has it; it makes room for the
    hits of all that have it.
    """
    document, frames, done = mix.document, len(out), set()
    for part_id in part_ids:
        part = document.parts[part_id]
        if part.sorted_from in part_ids:
            continue  # what it was told from sounds for it
        blend = part.blend
        for source_id in part.sources:
            if source_id in done or not blend.recording_on or (alone and not blend.recording_solo):
                continue
            done.add(source_id)
            source = document.sources[source_id]

            def plain(begin: int, count: int, source: SoundingSource = source) -> NDArray[np.float32]:
                sound = np.zeros((count, 2), np.float32)
                _add_source(sound, mix, source, begin)
                return sound

            sound = cut(blend, plain, document.rate_hz, start, frames)
            for room in _ducking_gains(
                mix, [one for one in part_ids if source_id in document.parts[one].sources], start, frames
            ):
                sound *= room[:, None]
            out += np.float32(db_to_gain(blend.recording_db)) * pan_gains(blend.recording_pan) * sound


def _ducking_gains(mix: Mix, part_ids: list[str], start: int, frames: int) -> list[NDArray[np.float32]]:
    rate = mix.document.rate_hz
    found = (
        ducking_gain(mix.document.parts[one].blend, mix.hits.get(one, _NO_HITS), rate, start, frames)
        for one in part_ids
    )
    return [room for room in found if room is not None]


def _add_source(out: NDArray[np.float32], mix: Mix, source: SoundingSource, start: int) -> None:
    """Add a source's clips as recorded from sample ``start`` on."""
    if source.aside:
        return
    frames, rate = len(out), mix.document.rate_hz
    for clip in source.clips:
        begin = round(clip.start_s * rate)
        if begin >= start + frames or begin + (clip.length_s + 1) * rate <= start:
            continue
        audio = mix.clip_audio(clip.audio)
        low, high = max(begin, start), min(begin + len(audio), start + frames)
        if low < high:
            out[low - start : high - start] += as_stereo(audio[low - begin : high - begin])


def ducks(part: SoundingPart) -> bool:
    """Whether the hits of a part have to be known to sound its recording."""
    return part.blend.duck_db < 0
