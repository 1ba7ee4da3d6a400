"""A session as an archive, and an archive as a session."""

from __future__ import annotations

import hashlib
import zipfile
from pathlib import Path

import soundfile

from nubrak.core.gather import audio_blocks, inspect
from nubrak.core.midi import Track, midi_file
from nubrak.core.prints import (
    MANIFEST,
    MIDI,
    Cancelled,
    GoOn,
    Manifest,
    Stored,
    audio_of,
    hash_named,
    opened,
    put,
    renamed,
    unpacked,
)
from nubrak.core.problem import Problem, disk_is_full
from nubrak.core.session import Document
from nubrak.desk.desk import Desk
from nubrak.desk.lists import written_parts
from nubrak.desk.printing import draft
from nubrak.desk.standing import Standing
from nubrak.store.audio import chunks_of, hash_of, name_of, put_audio, write_chunks
from nubrak.store.sessions import SessionState

_ENDINGS = {
    "FLAC": "flac",
    "WAV": "wav",
    "WAVEX": "wav",
    "RF64": "wav",
    "AIFF": "aiff",
    "OGG": "ogg",
    "MPEG": "mp3",
    "MP3": "mp3",
}
_PACKED = {
    "PCM_16": "PCM_16",
    "PCM_24": "PCM_24",
    "PCM_S8": "PCM_S8",
    "PCM_U8": "PCM_16",
}  # what FLAC holds without loss
_MOST_FLAC_CHANNELS = 8  # what the format holds


def write_archive(desk: Desk, standing: Standing, go_on: GoOn | None = None) -> Path:
    """A session as one file. Whole-numbered WAV and AIFF are packed as FLAC without loss; all else goes as it
    came.
    """
    document = standing.document
    path = draft(desk, "zip")
    try:
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as files:
            stored: dict[str, Stored] = {}
            recordings, samples = audio_of(document)
            wanted = [("audio", audio) for audio in recordings] + [("samples", audio) for audio in samples]
            for number, (folder, audio) in enumerate(wanted):
                _ask(go_on, number / len(wanted))
                stored[audio] = _add_audio(desk, files, folder, audio)
            manifest = Manifest(document=document.model_dump(mode="json"), audio=stored)
            files.writestr(MANIFEST, manifest.model_dump_json(indent=1))
            files.writestr(
                MIDI,
                midi_file(
                    [
                        Track(standing.names[part_id], standing.notes(part_id))
                        for part_id in written_parts(standing, standing.chosen(None))
                    ],
                    document.tempo,
                ),
            )
    except BaseException as error:
        full = disk_is_full(error, path.parent)
        path.unlink(missing_ok=True)
        if full:
            raise Problem(
                "The disk is full; the session could not be packed.",
                "The session is as it was, and no half archive was left.",
                "Make room and pack it again.",
                "full",
            ) from error
        raise
    return path


def _ask(go_on: GoOn | None, share: float) -> None:
    if go_on is not None and not go_on(share):
        raise Cancelled


def _add_audio(desk: Desk, files: zipfile.ZipFile, folder: str, audio: str) -> Stored:
    original, packed = draft(desk, "bin"), draft(desk, "flac")
    try:
        write_chunks(chunks_of(desk.cache.url, audio), original)
        kept, ending = original, _packed(original, packed)
        if ending is None:
            with soundfile.SoundFile(str(original)) as file:
                ending = _ENDINGS.get(file.format, "bin")
        else:
            kept = packed
        name = f"{folder}/{hash_of(kept)}.{ending}"
        with kept.open("rb") as source:
            put(files, name, source)
        return Stored(path=name, name=name_of(desk.engine, audio)[:400])
    finally:
        original.unlink(missing_ok=True)
        packed.unlink(missing_ok=True)


def _packed(original: Path, packed: Path) -> str | None:
    """The original as FLAC, where that loses nothing; None where it is kept as it is."""
    with soundfile.SoundFile(str(original)) as file:
        subtype, channels, rate, frames = (
            _PACKED.get(file.subtype),
            file.channels,
            file.samplerate,
            file.frames,
        )
        if file.format == "FLAC" or subtype is None or channels > _MOST_FLAC_CHANNELS or rate > 655350:
            return None
    with soundfile.SoundFile(
        str(packed), "w", samplerate=rate, channels=channels, format="FLAC", subtype=subtype
    ) as out:
        written = 0
        for block in audio_blocks(original):
            # 24 bits are exact in float32, and so are 16.
            out.write(block)
            written += len(block)
    return "flac" if written == frames else None


def open_archive(
    desk: Desk, path: Path, go_on: GoOn | None = None, session_id: str | None = None
) -> SessionState:
    """A new session of an archive. All of it is checked before any of it is kept; a ``Problem`` says what is
    wrong.
    """
    files, manifest, document = opened(path)
    with files:
        wanted = sorted({audio for group in audio_of(document) for audio in group})
        names = {}
        for keep in (False, True):
            for number, audio in enumerate(wanted):
                _ask(go_on, (number + keep * len(wanted)) / (2 * len(wanted)))
                names[audio] = _take_audio(desk, files, manifest.audio[audio], keep)
    return desk.sessions.new(_with_facts(desk, renamed(document, names)), session_id)


def _take_audio(desk: Desk, files: zipfile.ZipFile, stored: Stored, keep: bool) -> str:
    """A file of the archive looked at, and stored if it is to be kept; its hash here. Two passes, so that
    nothing is kept of an archive that is not whole.
    """
    path, told = draft(desk, "upload"), hashlib.sha256()
    try:
        with path.open("wb") as out:
            for block in unpacked(files, stored.path):
                told.update(block)
                out.write(block)
        if told.hexdigest() != hash_named(stored.path):
            raise Problem(
                f"“{stored.name}” in this archive is not what it was when it was packed.",
                "Nothing was opened.",
                "Ask for the archive once more.",
            )
        facts = inspect(path, stored.name)
        return put_audio(desk.engine, path, stored.name, facts) if keep else ""
    except OSError as error:
        if disk_is_full(error):
            raise Problem(
                "The disk is full; the archive could not be opened.",
                "Nothing was opened.",
                "Make room and open it again.",
                "full",
            ) from error
        raise
    finally:
        path.unlink(missing_ok=True)


def _with_facts(desk: Desk, document: Document) -> Document:
    """The document with its clips as long, as wide and as fast as the audio really is, whatever the archive
    says.
    """
    for source in document.sources.values():
        for clip in (*source.clips, *source.passes):
            facts = desk.facts(clip.audio)
            clip.channels, clip.rate_hz = facts.channels, facts.rate_hz
            clip.length_s = facts.frames / clip.rate_hz
    return document
