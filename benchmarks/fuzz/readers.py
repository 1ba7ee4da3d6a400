"""The readers, each as something that takes bytes, and the whole inputs that the odd ones are made from."""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import mido
import numpy as np
import soundfile

from benchmarks.fuzz import mutate
from nubrak.core.gather import inspect
from nubrak.core.midi import read_midi
from nubrak.core.pieces import NoteMap, from_text, to_text
from nubrak.core.prints import (
    MANIFEST,
    HitLine,
    Manifest,
    opened,
    read_hits,
    to_csv,
    to_jams,
    to_json,
    unpacked,
)
from nubrak.core.samples import read_sfz
from nubrak.core.session import Clip, Document, Part, Source

RATE_HZ = 8000
Mutate = Callable[[bytes, np.random.Generator], bytes]


@dataclass(frozen=True)
class Reader:
    """One reader: what it does with bytes, whole inputs, and how odd ones are made from them."""

    read: Callable[[bytes, Path], object]
    whole: list[bytes]
    mutate: Mutate


def _audio(data: bytes, scratch: Path) -> object:
    scratch.write_bytes(data)
    return inspect(scratch, "a")


def _archive(data: bytes, scratch: Path) -> object:
    scratch.write_bytes(data)
    files, _, document = opened(scratch)
    with files:
        for entry in files.namelist():
            if entry != MANIFEST:
                for _ in unpacked(files, entry):
                    pass
    return document


def _sound(form: str, subtype: str, channels: int = 1) -> bytes:
    rng = np.random.default_rng(channels)
    audio = (0.3 * rng.standard_normal((1200, channels))).clip(-1, 1).astype(np.float32)
    out = io.BytesIO()
    soundfile.write(out, audio, 48000 if form in ("MP3", "OGG") else RATE_HZ, format=form, subtype=subtype)
    return out.getvalue()


def _midi() -> bytes:
    file = mido.MidiFile(ticks_per_beat=480)
    for number in range(2):
        track = mido.MidiTrack()
        track.append(mido.MetaMessage("track_name", name=f"Part {number}"))
        track.append(mido.MetaMessage("set_tempo", tempo=500000))
        track.append(mido.MetaMessage("time_signature", numerator=7, denominator=8))
        for note in (36, 38, 42):
            track.append(mido.Message("note_on", channel=9, note=note, velocity=90, time=120))
            track.append(mido.Message("note_off", channel=9, note=note, velocity=0, time=60))
        file.tracks.append(track)
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def _hits() -> list[HitLine]:
    return [
        HitLine(part="Kick", piece="kick", time_s=n * 0.5, note_time_s=n * 0.5, velocity=90, note=36)
        for n in range(4)
    ]


def _archive_of() -> bytes:
    sound = _sound("FLAC", "PCM_16")
    import hashlib

    key = hashlib.sha256(sound).hexdigest()
    clip = Clip(audio=key, length_s=1.0, channels=1, rate_hz=RATE_HZ)
    document = Document(
        name="T",
        sources={"s": Source(name="a", place=0, clips=[clip])},
        parts={"p": Part(piece="kick", place=0, sources=["s"])},
    )
    path = f"audio/{key}.flac"
    manifest = Manifest(
        document=document.model_dump(mode="json"), audio={key: {"path": path, "name": "a.flac"}}
    )
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as files:
        files.writestr(MANIFEST, manifest.model_dump_json())
        files.writestr(path, sound)
    return out.getvalue()


_SFZ = b"""// a kit
#define $ROOT 36
<control> default_path=samples/
<global> ampeg_release=0.3 volume=-3
<group> key=$ROOT seq_length=2 lovel=1 hivel=63
<region> sample=kick soft 1.wav seq_position=1 offset=12 pitch_keycenter=36
<region> sample=kick soft 2.wav seq_position=2 tune=-20 transpose=1
<group> lokey=38 hikey=38 lorand=0.0 hirand=0.5 off_by=1 group=2
<region> sample=snare.wav loop_mode=one_shot lovel=64 hivel=127 /* over */
"""


def readers() -> dict[str, Reader]:
    """All of them by name."""
    lines = _hits()
    maps = NoteMap(name="Mine", notes={"kick": 35, "hi-hat/open": 47})
    return {
        "WAV": Reader(
            _audio,
            [
                _sound("WAV", "PCM_16"),
                _sound("WAV", "FLOAT", 2),
                _sound("RF64", "PCM_24"),
                _sound("W64", "PCM_16"),
            ],
            mutate.chunked("<"),
        ),
        "AIFF": Reader(_audio, [_sound("AIFF", "PCM_16"), _sound("AIFF", "FLOAT", 2)], mutate.chunked(">")),
        "FLAC": Reader(_audio, [_sound("FLAC", "PCM_16"), _sound("FLAC", "PCM_24", 2)], mutate.flac),
        "OGG": Reader(_audio, [_sound("OGG", "VORBIS"), _sound("OGG", "OPUS")], mutate.ogg),
        "MP3": Reader(_audio, [_sound("MP3", "MPEG_LAYER_III")], mutate.any_bytes),
        "MIDI": Reader(lambda data, _: read_midi(data), [_midi()], mutate.midi),
        "SFZ": Reader(lambda data, _: read_sfz(data.decode("utf-8", "replace")), [_SFZ], mutate.words),
        "hits as CSV": Reader(
            lambda data, _: read_hits(data.decode("utf-8", "replace")), [to_csv(lines).encode()], mutate.words
        ),
        "hits as JSON": Reader(
            lambda data, _: read_hits(data.decode("utf-8", "replace")),
            [to_json(lines, "T", 2.0).encode(), to_jams(lines, "T", 2.0).encode()],
            mutate.json_values,
        ),
        "note map": Reader(
            lambda data, _: from_text(data.decode("utf-8", "replace")), [to_text(maps).encode()], mutate.words
        ),
        "archive": Reader(_archive, [_archive_of()], mutate.archive),
        "document": Reader(
            lambda data, _: Document.model_validate_json(data), [_document()], mutate.json_values
        ),
    }


def _document() -> bytes:
    with zipfile.ZipFile(io.BytesIO(_archive_of())) as files:
        return json.dumps(json.loads(files.read(MANIFEST))["document"]).encode()
