"""The session archive: one zip with the session's document as JSON, its audio and samples, and its MIDI, that
another installation opens alike.

This is the format: names, the manifest, and what is refused. Nothing is ever written to a name that an
archive gives; audio lies under the SHA-256 of its bytes and is read by it. See docs/formats.md.
"""

from __future__ import annotations

import re
import zipfile
import zlib
from collections.abc import Iterator
from pathlib import Path
from typing import IO, Any

from pydantic import BaseModel, Field, ValidationError

from nubrak.core.names import Name
from nubrak.core.problem import Problem
from nubrak.core.session import Document
from nubrak.core.time_line import AudioHash, found, walk

FORMAT, VERSION = "nubrak-session", 1  # what a manifest says it is
MANIFEST, MIDI = "session.json", "session.mid"
_AUDIO = re.compile(r"(audio|samples)/([0-9a-f]{64})\.(flac|wav|aiff|ogg|mp3|bin)")
_MOST_ENTRIES = 20_000  # files of one session
_MOST_MANIFEST = 64 << 20  # bytes: half a million marks
_MOST_BYTES = 64 << 30  # of everything unpacked: more is no session but a bomb
_MOST_GROWTH = 200  # PCM of silence packs far; no text or audio of a session packs further
_BLOCK = 1 << 20  # bytes read at a time
_TODO = "Ask for the archive once more, or open another."


class Stored(BaseModel):
    """One audio file of the archive."""

    path: str = Field(description="where in the archive it lies; the file's name is the SHA-256 of its bytes")
    name: Name = Field(max_length=400, description="what it was called when it came in")


class Manifest(BaseModel):
    """What ``session.json`` holds."""

    format: str = FORMAT
    version: int = VERSION
    document: dict[str, Any] = Field(description="the session's document, whose audio is named by hash")
    audio: dict[str, Stored] = Field(description="every audio file by the hash the document names it by")


def audio_of(document: Document) -> tuple[list[str], list[str]]:
    """The hashes of all audio of a document: recordings, and samples of its layers."""
    recordings = dict.fromkeys(
        audio for source in document.sources.values() for audio in found(source, AudioHash)
    )
    every = dict.fromkeys(found(document, AudioHash))
    return list(recordings), [audio for audio in every if audio not in recordings]


def renamed(document: Document, names: dict[str, str]) -> Document:
    """The document with its audio under other hashes; ``names`` old to new."""
    return walk(document, AudioHash, lambda audio: names.get(audio, audio))


def opened(path: Path) -> tuple[zipfile.ZipFile, Manifest, Document]:
    """An archive that was found to be whole in its outline. Raises ``Problem`` for what is damaged, hostile,
    too new or incomplete.
    """
    try:
        files = zipfile.ZipFile(path)
    except (zipfile.BadZipFile, OSError, ValueError, NotImplementedError) as error:
        raise Problem("This is no session archive, or it is damaged.", todo=_TODO) from error
    try:
        entries = files.infolist()
        if len(entries) > _MOST_ENTRIES:
            raise Problem(
                f"This archive holds {len(entries)} files; a session has at most {_MOST_ENTRIES}.", todo=_TODO
            )
        names = [entry.filename for entry in entries]
        if len(set(names)) < len(names):
            raise Problem("This archive holds two files of one name.", todo=_TODO)
        for entry in entries:
            _check_entry(entry)
        if sum(entry.file_size for entry in entries) > _MOST_BYTES:
            raise Problem("This archive unpacks to more than 64 GB.", todo=_TODO)
        if MANIFEST not in names:
            raise Problem(f"This archive has no {MANIFEST}.", "Nothing was opened.", _TODO)
        manifest, document = _manifest(files)
        wanted = {audio for group in audio_of(document) for audio in group}
        missing = [
            audio
            for audio in sorted(wanted)
            if audio not in manifest.audio or manifest.audio[audio].path not in names
        ]
        if missing:
            named = [manifest.audio[audio].name for audio in missing if audio in manifest.audio] or [
                missing[0][:12]
            ]
            raise Problem(
                (
                    f"This archive is not whole: {len(missing)} of its {len(wanted)} audio files are "
                    f"missing, such as “{named[0]}”."
                ),
                "Nothing was opened.",
                _TODO,
            )
    except BaseException:
        files.close()
        raise
    return files, manifest, document


def _check_entry(entry: zipfile.ZipInfo) -> None:
    known = entry.filename in (MANIFEST, MIDI) or _AUDIO.fullmatch(entry.filename)
    if not known:
        raise Problem(
            f"This archive holds “{entry.filename[:80]}”, which has no place in a session.",
            "Nothing was opened.",
            _TODO,
        )
    if entry.flag_bits & 0x1:
        raise Problem(
            "This archive is encrypted.",
            "Nothing was opened.",
            "Unpack it with its password and pack it again without.",
        )
    if (
        entry.file_size > (_MOST_MANIFEST if entry.filename == MANIFEST else _MOST_BYTES)
        or entry.file_size > _MOST_GROWTH * entry.compress_size + _BLOCK
    ):
        raise Problem(
            f"“{entry.filename}” unpacks to far more than a session's file does.",
            "Nothing was opened.",
            _TODO,
        )


def _manifest(files: zipfile.ZipFile) -> tuple[Manifest, Document]:
    text = b"".join(unpacked(files, MANIFEST))
    try:
        manifest = Manifest.model_validate_json(text)
    except ValidationError as error:
        raise Problem(f"{MANIFEST} in this archive cannot be read.", "Nothing was opened.", _TODO) from error
    if manifest.format != FORMAT:
        raise Problem(
            "This is an archive of something else than a Nubrak session.", "Nothing was opened.", _TODO
        )
    if manifest.version > VERSION:
        newer = (
            f"This archive was made by a newer Nubrak (its version is {manifest.version}, this one reads "
            f"{VERSION})."
        )
        raise Problem(newer, "Nothing was opened.", "Bring Nubrak up to date and open it again.")
    try:
        document = Document.model_validate(manifest.document)
    except ValidationError as error:
        where = " → ".join(str(step) for step in error.errors()[0]["loc"])
        raise Problem(
            f"The session in this archive is damaged at {where or 'its root'}.", "Nothing was opened.", _TODO
        ) from error
    for part_id, part in document.parts.items():
        if any(source not in document.sources for source in part.sources):
            raise Problem(
                (
                    f"The session in this archive is damaged: part “{part_id[:40]}” speaks of a source that "
                    "is not there."
                ),
                "Nothing was opened.",
                _TODO,
            )
    for one in manifest.audio.values():
        if not _AUDIO.fullmatch(one.path):
            raise Problem(
                f"This archive speaks of “{one.path[:80]}”, which has no place in a session.",
                "Nothing was opened.",
                _TODO,
            )
    return manifest, document


def unpacked(files: zipfile.ZipFile, name: str) -> Iterator[bytes]:
    """A file of the archive, block by block, never more than it says it is. A ``Problem`` where it is
    damaged.
    """
    left = files.getinfo(name).file_size
    try:
        with files.open(name) as file:
            while block := file.read(_BLOCK):
                left -= len(block)
                if left < 0:
                    raise Problem(
                        f"“{name}” in this archive is longer than it says.", "Nothing was opened.", _TODO
                    )
                yield block
    except (zipfile.BadZipFile, zlib.error, EOFError, OSError, NotImplementedError, RuntimeError) as error:
        raise Problem(f"“{name}” in this archive is damaged.", "Nothing was opened.", _TODO) from error


def hash_named(path: str) -> str:
    """The hash that an audio file's name in the archive says."""
    found = _AUDIO.fullmatch(path)
    assert found is not None
    return found[2]


def put(files: zipfile.ZipFile, name: str, source: IO[bytes]) -> None:
    """Add a file that is packed already, as audio is, without packing it again."""
    info = zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0))
    with files.open(info, "w", force_zip64=True) as out:
        while block := source.read(_BLOCK):
            out.write(block)
