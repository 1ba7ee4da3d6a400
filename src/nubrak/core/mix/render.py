"""What is heard: the recording and the layers of one part or of all, for any window of time."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal, Protocol

import numpy as np
from numpy.typing import NDArray

from nubrak.core.layer import Layer, LayerPlan, SampleAudio, as_stereo, plan_layer, render_layer
from nubrak.core.mix.attack_body import AttackBodyStage
from nubrak.core.mix.blend import Blend, ducking_gain, pan_gains
from nubrak.core.mix.chain import Stage, active, through
from nubrak.core.mix.gaps import Openings, gap_gain
from nubrak.core.mix.mending import Mend, mended, touching
from nubrak.core.mix.recordings import Stretch, are_apart, blended, head_of, sharing
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
    chain: list[Stage]
    sorted_from: str | None
    divided_from: str | None

    @property
    def mends(self) -> Mapping[str, Mend]: ...


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
    already; ``share`` what a part has of a source that others were told from as well, from a sample on,
    (frames, 2): without it the whole source sounds for each; ``gaps`` where a source is open, for those whose
    gaps are turned down. Without ``staged`` no part goes through its stages.
    """

    document: Sounding
    notes: dict[str, Notes]
    clip_audio: ClipAudio
    sample_audio: SampleAudio
    hits: dict[str, NDArray[np.int64]] = field(default_factory=dict)
    bands: dict[str, Band] = field(default_factory=dict)
    plan: Callable[[str, str], LayerPlan] | None = None
    share: Callable[[str, str, int, int], NDArray[np.float32]] | None = None
    gaps: Callable[[str], Openings | None] | None = None
    staged: bool = True


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
    if bus in ("recording", "layers", "both"):
        parts = document.parts
        alone_in_chains = [
            one
            for one in part_ids
            if _chain(mix, one) and head_of(parts, one) == one and not sharing(parts, one)
        ]
        rest = [one for one in part_ids if one not in alone_in_chains]
        out += _heard(mix, bus, part_ids, rest, start, frames, layer_id, alone)
        for part_id in alone_in_chains:

            def by_itself(begin: int, count: int, part_id: str = part_id) -> NDArray[np.float32]:
                return _heard(mix, bus, part_ids, [part_id], begin, count, layer_id, alone)

            out += _through(mix, part_id, by_itself, start, frames)
    return out


def _chain(mix: Mix, part_id: str) -> list[Stage]:
    return active(mix.document.parts[part_id].chain) if mix.staged else []


def _through(mix: Mix, part_id: str, plain: Stretch, start: int, frames: int) -> NDArray[np.float32]:
    """What ``plain`` gives of a part, through its stages."""
    struck = mix.hits.get(part_id, _NO_HITS)
    return through(_chain(mix, part_id), plain, struck, mix.document.rate_hz, start, frames)


def _heard(
    mix: Mix,
    bus: Bus,
    part_ids: list[str],
    wanted: list[str],
    start: int,
    frames: int,
    layer_id: str | None,
    alone: bool,
) -> NDArray[np.float32]:
    """The recordings and layers of those ``wanted`` of all parts that are heard, (frames, 2). A part that has
    its sources for itself is not yet through its stages; of parts that share sources the recordings are, and
    the layers, each by itself. Before the session begins there is nothing.
    """
    if start < 0:
        before = min(-start, frames)
        after = _heard(mix, bus, part_ids, wanted, 0, frames - before, layer_id, alone)
        return np.concatenate([np.zeros((before, 2), np.float32), after])
    out, parts = np.zeros((frames, 2), np.float32), mix.document.parts
    if frames and bus in ("recording", "both"):
        _add_recordings(out, mix, part_ids, set(wanted), start, alone)
    if frames and bus in ("layers", "both"):
        for part_id in wanted:
            blend = parts[part_id].blend
            if not blend.layers_on or (alone and not blend.layers_solo):
                continue

            def layers(begin: int, count: int, part_id: str = part_id) -> NDArray[np.float32]:
                return _layers(mix, part_id, layer_id, begin, count)

            shares = head_of(parts, part_id) != part_id or bool(sharing(parts, part_id))
            out += _through(mix, part_id, layers, start, frames) if shares else layers(start, frames)
    return out


def _layers(mix: Mix, part_id: str, layer_id: str | None, start: int, frames: int) -> NDArray[np.float32]:
    """A part's layers, or one of them, (frames, 2)."""
    if start < 0:
        before = min(-start, frames)
        after = _layers(mix, part_id, layer_id, 0, frames - before)
        return np.concatenate([np.zeros((before, 2), np.float32), after])
    out, document = np.zeros((frames, 2), np.float32), mix.document
    blend = document.parts[part_id].blend
    gain = np.float32(db_to_gain(blend.layers_db)) * pan_gains(blend.layers_pan)
    for key, layer in document.parts[part_id].layers.items():
        if layer_id in (None, key) and layer.on:
            plan = (
                mix.plan(part_id, key)
                if mix.plan
                else plan_layer(layer, mix.notes[part_id], document.rate_hz, document.tempo)
            )
            notes, rate = mix.notes[part_id], document.rate_hz
            out += gain * render_layer(
                layer, notes, mix.sample_audio, rate, start, frames, document.tempo, plan
            )
    return out


def _add_recordings(
    out: NDArray[np.float32], mix: Mix, part_ids: list[str], wanted: set[str], start: int, alone: bool
) -> None:
    """Add every source of the parts once, of those ``wanted`` only. Of parts that share a source, all are
    heard where the part they were told from is; otherwise those that are chosen, each by its own share.
    """
    parts, rate, done = mix.document.parts, mix.document.rate_hz, set()
    for head_id in dict.fromkeys(head_of(parts, one) for one in part_ids):
        blend, sharers = parts[head_id].blend, sharing(parts, head_id)
        whole = head_id in part_ids
        heard = sharers if whole else [one for one in part_ids if one in sharers]
        staged = whole and any(_chain(mix, one) for one in sharers if one != head_id)
        apart = mix.share is not None and (not whole or staged or are_apart(parts, sharers, head_id, alone))
        if alone and not blend.recording_solo:
            heard = [one for one in heard if parts[one].blend.recording_solo]
            if not heard:
                continue
        if not apart and not whole:
            blend = parts[heard[0]].blend  # what it has a share of sounds for it
        for source_id in parts[head_id].sources:
            if source_id in done or not blend.recording_on or mix.document.sources[source_id].aside:
                continue
            done.add(source_id)
            if wanted.isdisjoint([head_id, *heard]):
                continue
            plain = _shares(mix, head_id, heard, source_id) if apart else _as_placed(mix, source_id)
            hits = mix.hits.get(head_id if apart or whole else heard[0])
            sound = blended(blend, hits, plain, rate, start, len(out))
            if whole and sharers and _chain(mix, head_id):
                sound = _through(mix, head_id, _blended(mix, head_id, plain), start, len(out))
            for one in part_ids:
                if one != head_id and one not in sharers and source_id in parts[one].sources:
                    room = ducking_gain(parts[one].blend, mix.hits.get(one, _NO_HITS), rate, start, len(out))
                    if room is not None:
                        sound *= room[:, None]
            out += sound


def _as_placed(mix: Mix, source_id: str) -> Stretch:
    """A source as it was recorded, its gaps turned down where that is wanted."""

    def plain(begin: int, count: int) -> NDArray[np.float32]:
        return render_source(mix, source_id, begin, count)

    return plain


def _shares(mix: Mix, head_id: str, heard: list[str], source_id: str) -> Stretch:
    """What some parts have of a source, each as it is blended."""
    parts, share = mix.document.parts, mix.share
    assert share is not None

    def plain(begin: int, count: int) -> NDArray[np.float32]:
        sound = np.zeros((count, 2), np.float32)
        for one in heard:

            def own(begin: int, count: int, one: str = one) -> NDArray[np.float32]:
                return _cleaned(mix, source_id, share(one, source_id, begin, count), begin)

            blend = parts[one].blend
            if one == head_id:
                sound += own(begin, count)
            elif blend.recording_on:
                sound += _through(mix, one, _blended(mix, one, own), begin, count)
        return sound

    return plain


def _blended(mix: Mix, part_id: str, own: Stretch) -> Stretch:
    """A part's share of a source as it is blended."""

    def plain(begin: int, count: int) -> NDArray[np.float32]:
        blend = mix.document.parts[part_id].blend
        return blended(blend, mix.hits.get(part_id), own, mix.document.rate_hz, begin, count)

    return plain


def render_source(mix: Mix, source_id: str, start: int, frames: int) -> NDArray[np.float32]:
    """Samples ``start`` to ``start + frames`` of one source, (frames, 2), with the strokes that were mended
    and, where they are turned down, its gaps; neither blended nor placed.
    """
    sound = np.zeros((frames, 2), np.float32)
    _add_source(sound, mix, mix.document.sources[source_id], start)
    return _cleaned(mix, source_id, sound, start)


def render_recorded(mix: Mix, source_id: str, start: int, frames: int) -> NDArray[np.float32]:
    """The same as it was recorded, (frames, 2): neither mended nor turned down."""
    return _clips(mix, mix.document.sources[source_id], start, frames)


def _cleaned(mix: Mix, source_id: str, sound: NDArray[np.float32], start: int) -> NDArray[np.float32]:
    openings = mix.gaps(source_id) if mix.gaps else None
    return sound if openings is None else sound * gap_gain(openings, start, len(sound))[:, None]


def _add_source(out: NDArray[np.float32], mix: Mix, source: SoundingSource, start: int) -> None:
    """Add a source's clips from sample ``start`` on, with the strokes that were mended."""
    if source.aside:
        return
    frames, rate = len(out), mix.document.rate_hz
    all_mends = (one for part in mix.document.parts.values() for one in part.mends.values())
    mends = touching(all_mends, rate, start, frames)

    def recorded(begin: int, count: int) -> NDArray[np.float32]:
        return _clips(mix, source, begin, count)

    out += mended(recorded(start, frames), mends, recorded, rate, start)


def _clips(mix: Mix, source: SoundingSource, start: int, frames: int) -> NDArray[np.float32]:
    """A source's clips as they were recorded, (frames, 2), from sample ``start`` on."""
    out, rate = np.zeros((frames, 2), np.float32), mix.document.rate_hz
    for clip in source.clips:
        begin = round(clip.start_s * rate)
        if begin >= start + frames or begin + (clip.length_s + 1) * rate <= start:
            continue
        audio = mix.clip_audio(clip.audio)
        low, high = max(begin, start), min(begin + len(audio), start + frames)
        if low < high:
            out[low - start : high - start] += as_stereo(audio[low - begin : high - begin])
    return out


def ducking(document: Sounding, part_ids: list[str]) -> list[str]:
    """The parts whose hits have to be known to sound the recordings of some: theirs, and those of all
    that share a source with them.
    """
    parts = document.parts
    heads = dict.fromkeys(head_of(parts, one) for one in part_ids)
    all_of = dict.fromkeys([*part_ids, *heads, *(one for head in heads for one in sharing(parts, head))])
    return [one for one in all_of if parts[one].blend.duck_db < 0 or _strikes(parts[one].chain)]


def _strikes(chain: list[Stage]) -> bool:
    """Whether a chain has to know where it is struck."""
    return any(isinstance(one, AttackBodyStage) for one in active(chain))
