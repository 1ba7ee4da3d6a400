"""What is heard: the recording and the layers of one part or of all, for any window of time."""

from __future__ import annotations

import os
from collections.abc import Callable, Hashable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from typing import Literal, Protocol

import numpy as np
from numpy.typing import NDArray

from nubrak.core.layer import Layer, LayerPlan, SampleAudio, as_stereo, plan_layer, render_layer
from nubrak.core.mix.attack_body import AttackBodyStage
from nubrak.core.mix.blend import Blend, ducking_gain, pan_gains
from nubrak.core.mix.buses import PartsBus, group_of
from nubrak.core.mix.chain import BLOCK, Blocks, Played, Stage, active, lead_samples, through
from nubrak.core.mix.gaps import Openings, gap_gain
from nubrak.core.mix.mending import Mend, mended, touching
from nubrak.core.mix.microphone import Microphone, through_microphone
from nubrak.core.mix.recordings import are_apart, blended, head_of, sharing
from nubrak.core.mix.room import ROOM_BLOCK, in_room, response_samples
from nubrak.core.mix.trigger import render_triggers
from nubrak.core.pieces import PIECES
from nubrak.core.shape import Notes
from nubrak.core.signal import REACH, Stretch, db_to_gain, in_band
from nubrak.core.tempo import Tempo

Bus = Literal["recording", "layers", "both", "trigger", "detector"]
Band = tuple[float, float]
ClipAudio = Callable[[str], NDArray[np.float32]]  # content hash → (frames, channels) at the session's rate
_NO_HITS = np.zeros(0, np.int64)  # of a part that plays nothing
_NOT_AT_ALL_DB = -60.0


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
    @property
    def microphone(self) -> Microphone: ...


class SoundingPart(Protocol):
    """What a part must say of itself to be heard."""

    piece: str
    sources: list[str]
    blend: Blend
    layers: dict[str, Layer]
    less_of: dict[str, float]
    chain: list[Stage]
    layers_chain: list[Stage]
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
    @property
    def buses(self) -> Mapping[str, PartsBus]: ...


@dataclass(frozen=True)
class Mix:
    """Everything a window is made of: the document, the notes of its parts, where they were struck, and the
    audio.

    ``hits`` are the samples at which each part was struck, in order, where its recording makes room for them;
    ``bands`` what the detector of a part hears, in Hz; ``plan`` gives what a layer plays where that is known
    already; ``share`` what a part has of a source that others were told from as well, from a sample on,
    (frames, 2): without it the whole source sounds for each; ``gaps`` where a source is open, for those whose
    gaps are turned down; ``less`` what a source is with less of other parts, as a part wants it.
    Without ``staged`` nothing goes through stages. ``trim_db`` is what a part or a bus is turned up by behind
    its stages, to be compared with other ones.

    ``blocks`` keeps what has gone through stages, under ``key``, which says what all of it rests on but for
    stages and buses.
    """

    document: Sounding
    notes: dict[str, Notes]
    clip_audio: ClipAudio
    sample_audio: SampleAudio
    hits: dict[str, NDArray[np.int64]] = field(default_factory=dict)
    bands: dict[str, Band] = field(default_factory=dict)
    plan: Callable[[str, str], LayerPlan] | None = None
    share: Callable[[str, str, int, int], NDArray[np.float32]] | None = None
    less: Callable[[str, str, int, int], NDArray[np.float32]] | None = None
    gaps: Callable[[str], Openings | None] | None = None
    staged: bool = True
    trim_db: Mapping[str, float] = field(default_factory=dict)
    blocks: Blocks = field(default_factory=Blocks)
    key: Hashable = None


@dataclass(frozen=True)
class _Heard:
    """What of a mix is heard: which bus of which parts, of layers one alone, and whether solo is heeded."""

    bus: Bus
    part_ids: tuple[str, ...]
    layer_id: str | None
    alone: bool


def render(
    mix: Mix,
    bus: Bus,
    part_ids: list[str],
    start: int,
    frames: int,
    layer_id: str | None = None,
    solo: bool = False,
    bussed: bool = False,
    bus_id: str | None = None,
) -> NDArray[np.float32]:
    """Samples ``start`` to ``start + frames`` of the chosen parts, (frames, 2) float32 at the document's
    rate.

    The same function serves listening and printing; windows joined equal the whole. The bus ``trigger`` ticks
    on every hit, ``detector`` is the recording as the detector hears it. With ``layer_id`` that layer alone
    sounds. ``solo`` heeds what is solo. ``bussed`` has parts go through groups, parallels and rooms; with
    ``bus_id`` that one alone sounds.
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
        heard = _Heard(bus, tuple(part_ids), layer_id, alone)
        out += _summed(mix, heard, start, frames, bussed, bus_id)
    return out


def _summed(
    mix: Mix, heard: _Heard, start: int, frames: int, bussed: bool, bus_id: str | None
) -> NDArray[np.float32]:
    """Everything that is heard: parts, and what buses make of them, or one bus."""
    parts, buses = mix.document.parts, mix.document.buses if bussed else {}
    heads = list(dict.fromkeys(head_of(parts, one) for one in heard.part_ids))
    if bussed or len(heads) > 1:
        _ahead(mix, heard, heads, buses, start, frames)
    out = np.zeros((frames, 2), np.float32)
    if bus_id is None:
        for head_id in heads:
            if group_of(buses, head_id) is None:
                out += _unit(mix, heard, head_id, start, frames)
    for key, one in sorted(buses.items(), key=lambda item: (item[1].place, item[0])):
        if one.on and bus_id in (None, key):
            out += _bus(mix, heard, heads, key, start, frames)
    return out


def _ahead(
    mix: Mix, heard: _Heard, heads: list[str], buses: Mapping[str, PartsBus], start: int, frames: int
) -> None:
    """Have parts go through their stages side by side, so that whoever asks for them finds them."""
    parts = mix.document.parts
    staged = [one for one in heads if _is_by_itself(mix, one) and _chain(mix, one)]
    if len(staged) < 2 or mix.key is None:
        return

    def go(head_id: str) -> None:
        asked = [
            _bus_asks(mix, key, start, frames)
            for key, one in buses.items()
            if one.on and head_id in one.parts
        ]
        first = max(min([start, *(begin for begin, _ in asked)]), 0)
        _unit(mix, heard, head_id, first, max([start + frames, *(end for _, end in asked)]) - first)

    longest = sorted(staged, key=lambda one: -len(parts[one].chain))
    with ThreadPoolExecutor(min(os.cpu_count() or 1, len(staged))) as pool:
        list(pool.map(go, longest))


def _is_by_itself(mix: Mix, head_id: str) -> bool:
    """Whether nothing else has a share of a part's sources: its recording and its layers are one signal."""
    parts = mix.document.parts
    return head_of(parts, head_id) == head_id and not sharing(parts, head_id)


def _unit(mix: Mix, heard: _Heard, head_id: str, start: int, frames: int) -> NDArray[np.float32]:
    """A part with all that were told from it, as they go to the sum or to a group."""
    parts = mix.document.parts
    wanted = [one for one in heard.part_ids if one == head_id or head_of(parts, one) == head_id]
    # Parts that share no source with it have no say in how it sounds.
    of = set(parts[head_id].sources)
    near = tuple(one for one in heard.part_ids if one in wanted or not of.isdisjoint(parts[one].sources))
    heard = replace(heard, part_ids=near)

    def plain(begin: int, count: int) -> NDArray[np.float32]:
        return _sounding(mix, heard, wanted, begin, count)

    if _is_by_itself(mix, head_id):
        return _through(mix, head_id, _chain(mix, head_id), plain, start, frames, (heard, "unit"))
    return plain(start, frames)


def _tap(mix: Mix, heard: _Heard, part_id: str, start: int, frames: int) -> NDArray[np.float32]:
    """What a part alone sends to a bus beside the sum: of moments its own share."""
    if head_of(mix.document.parts, part_id) == part_id:
        return _unit(mix, heard, part_id, start, frames)
    return _unit(mix, replace(heard, part_ids=(part_id,)), part_id, start, frames)


def _bus(
    mix: Mix, heard: _Heard, heads: list[str], bus_id: str, start: int, frames: int
) -> NDArray[np.float32]:
    """What a bus adds to the sum."""
    document = mix.document
    one, buses = document.buses[bus_id], document.buses
    if one.kind == "group":
        sent = {head: one.parts[head] for head in heads if group_of(buses, head) == bus_id}
    else:
        sent = {part: db for part, db in one.parts.items() if part in heard.part_ids}
    rate = document.rate_hz

    def dry(begin: int, count: int) -> NDArray[np.float32]:
        if begin < 0:
            before = min(-begin, count)
            return np.concatenate([np.zeros((before, 2), np.float32), dry(0, count - before)])
        out = np.zeros((count, 2), np.float32)
        for part_id, amount_db in sent.items() if count else ():
            # As low as it goes is not at all.
            if amount_db > _NOT_AT_ALL_DB:
                sound = (_unit if one.kind == "group" else _tap)(mix, heard, part_id, begin, count)
                out += np.float32(db_to_gain(amount_db)) * sound
        return out

    def wet(begin: int, count: int) -> NDArray[np.float32]:
        return in_room(one.room, dry, rate, begin, count)

    if not sent:
        return np.zeros((frames, 2), np.float32)
    plain = wet if one.kind == "room" else dry
    sound = _through(mix, bus_id, active(one.chain) if mix.staged else [], plain, start, frames)
    return np.asarray(np.float32(db_to_gain(one.level_db)) * pan_gains(one.pan) * sound)


def _bus_asks(mix: Mix, bus_id: str, start: int, frames: int) -> tuple[int, int]:
    """From which sample to which a bus asks for its parts, to be heard for ``frames`` from ``start`` on."""
    one, begin, end = mix.document.buses[bus_id], start, start + frames
    chain = active(one.chain) if mix.staged else []
    if chain:
        begin, end = (
            begin // BLOCK * BLOCK - lead_samples(chain, played(mix, bus_id)),
            -(-end // BLOCK) * BLOCK,
        )
    if one.kind == "room":
        begin, end = begin // ROOM_BLOCK * ROOM_BLOCK, -(-end // ROOM_BLOCK) * ROOM_BLOCK
        begin -= response_samples(one.room, mix.document.rate_hz)
    return begin, end


def _chain(mix: Mix, part_id: str) -> list[Stage]:
    return active(mix.document.parts[part_id].chain) if mix.staged else []


def played(mix: Mix, one_id: str) -> Played:
    """What the stages of a part or a bus know of it."""
    document = mix.document
    if one_id in document.buses:
        of = [mix.hits[one] for one in document.buses[one_id].parts if one in mix.hits]
        hits = np.unique(np.concatenate(of)) if of else _NO_HITS
    else:
        hits = mix.hits.get(one_id, _NO_HITS)
    return Played(document.rate_hz, hits, document.tempo)


def _through(
    mix: Mix, one_id: str, chain: list[Stage], plain: Stretch, start: int, frames: int, about: Hashable = None
) -> NDArray[np.float32]:
    """What ``plain`` gives of a part or a bus, through its stages. ``about`` says what of it that is, where
    it is worth keeping.
    """
    key = None
    if mix.key is not None and about is not None and chain:
        layers = mix.document.parts[one_id].layers_chain if mix.staged else []
        key = mix.key, one_id, about, _said(chain), _said(active(layers)), mix.trim_db.get(f"{one_id} layers")
    sound = through(chain, plain, played(mix, one_id), start, frames, mix.blocks, key)
    trim_db = mix.trim_db.get(one_id, 0.0)
    return np.asarray(sound * np.float32(db_to_gain(trim_db))) if trim_db else sound


def _said(chain: list[Stage]) -> tuple[str, ...]:
    return tuple(stage.model_dump_json() for stage in chain)


def _sounding(mix: Mix, heard: _Heard, wanted: list[str], start: int, frames: int) -> NDArray[np.float32]:
    """The recordings and layers of those ``wanted`` of all parts that are heard, (frames, 2). A part that has
    its sources for itself is not yet through its stages; of parts that share sources the recordings are, and
    the layers, each by itself. Before the session begins there is nothing.
    """
    if start < 0:
        before = min(-start, frames)
        after = _sounding(mix, heard, wanted, 0, frames - before)
        return np.concatenate([np.zeros((before, 2), np.float32), after])
    out, parts = np.zeros((frames, 2), np.float32), mix.document.parts
    if frames and heard.bus in ("recording", "both"):
        _add_recordings(out, mix, list(heard.part_ids), set(wanted), start, heard.alone)
    if frames and heard.bus in ("layers", "both"):
        for part_id in wanted:
            blend = parts[part_id].blend
            if not blend.layers_on or (heard.alone and not blend.layers_solo):
                continue

            def layers(begin: int, count: int, part_id: str = part_id) -> NDArray[np.float32]:
                return _staged_layers(mix, part_id, heard.layer_id, begin, count)

            if _is_by_itself(mix, part_id):
                out += layers(start, frames)
            else:
                out += _through(mix, part_id, _chain(mix, part_id), layers, start, frames)
    return out


def _staged_layers(
    mix: Mix, part_id: str, layer_id: str | None, start: int, frames: int
) -> NDArray[np.float32]:
    """A part's layers through the stages that are theirs, (frames, 2)."""

    def plain(begin: int, count: int) -> NDArray[np.float32]:
        return _layers(mix, part_id, layer_id, begin, count)

    chain = active(mix.document.parts[part_id].layers_chain) if mix.staged else []
    sound = through(chain, plain, played(mix, part_id), start, frames)
    trim_db = mix.trim_db.get(f"{part_id} layers", 0.0)
    return np.asarray(sound * np.float32(db_to_gain(trim_db))) if trim_db else sound


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
            source = mix.document.sources[source_id]
            if source_id in done or not blend.recording_on or source.aside or not source.microphone.on:
                continue
            done.add(source_id)
            if wanted.isdisjoint([head_id, *heard]):
                continue
            plain = _shares(mix, head_id, heard, source_id) if apart else _as_placed(mix, head_id, source_id)
            plain = through_microphone(plain, source.microphone, rate)
            hits = mix.hits.get(head_id if apart or whole else heard[0])
            sound = blended(blend, hits, plain, rate, start, len(out))
            if whole and sharers and _chain(mix, head_id):
                sound = _through(
                    mix, head_id, _chain(mix, head_id), _blended(mix, head_id, plain), start, len(out)
                )
            for one in part_ids:
                if one != head_id and one not in sharers and source_id in parts[one].sources:
                    room = ducking_gain(parts[one].blend, mix.hits.get(one, _NO_HITS), rate, start, len(out))
                    if room is not None:
                        sound *= room[:, None]
            out += sound


def _as_placed(mix: Mix, part_id: str, source_id: str) -> Stretch:
    """A source of a part as it was recorded, its gaps and other pieces turned down where that is wanted."""
    less = mix.less if mix.document.parts[part_id].less_of else None

    def plain(begin: int, count: int) -> NDArray[np.float32]:
        if less is not None:
            return _cleaned(mix, source_id, less(part_id, source_id, begin, count), begin)
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
                sound += _through(mix, one, _chain(mix, one), _blended(mix, one, own), begin, count)
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
    from nubrak.core.mix.recursions import add_mono

    out, rate = np.zeros((frames, 2), np.float32), mix.document.rate_hz
    for clip in source.clips:
        begin = round(clip.start_s * rate)
        if begin >= start + frames or begin + (clip.length_s + 1) * rate <= start:
            continue
        audio = mix.clip_audio(clip.audio)
        low, high = max(begin, start), min(begin + len(audio), start + frames)
        if low < high:
            heard, here = audio[low - begin : high - begin], out[low - start : high - start]
            if heard.shape[1] == 1:
                add_mono(here, heard[:, 0])
            else:
                here += as_stereo(heard)
    return out


def ducking(document: Sounding, part_ids: list[str]) -> list[str]:
    """The parts whose hits have to be known to sound the recordings of some: theirs, and those of all
    that share a source with them, where something is done around hits.
    """
    parts = document.parts
    heads = dict.fromkeys(head_of(parts, one) for one in part_ids)
    all_of = dict.fromkeys([*part_ids, *heads, *(one for head in heads for one in sharing(parts, head))])
    bussed = {one for bus in document.buses.values() if _strikes(bus.chain) for one in bus.parts}
    return [
        one
        for one in all_of
        if parts[one].blend.duck_db < 0
        or _strikes([*parts[one].chain, *parts[one].layers_chain])
        or one in bussed
    ]


def _strikes(chain: list[Stage]) -> bool:
    """Whether a chain has to know where it is struck."""
    return any(isinstance(one, AttackBodyStage) for one in active(chain))
