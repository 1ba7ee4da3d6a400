"""A zip of samples with the SFZ that speaks of them, such as a kit that was packed here, taken in."""

from __future__ import annotations

import zipfile
import zlib
from pathlib import Path, PurePosixPath

from nubrak.core.pieces import plain_name
from nubrak.core.problem import Problem
from nubrak.core.samples import MOST_TEXT, ArrivedSample
from nubrak.desk.desk import Desk
from nubrak.desk.printing import draft
from nubrak.desk.samples import MOST_SAMPLE_BYTES, Arranged, SfzText, ToArrange, arrange, take_sample_file

_SOUNDS = frozenset((".wav", ".wave", ".aif", ".aiff", ".flac", ".ogg", ".mp3"))
_MOST_FILES = 5000
_MOST_BYTES = 8 << 30  # of everything unpacked: more is no kit but a bomb
_BLOCK = 1 << 20
_TODO = "Pack it once more, or drop the folder it was packed from."


def arranged_zip(desk: Desk, path: Path, name: str) -> Arranged:
    """The instruments of a zip: by every SFZ file in it, else by names and levels; what could not be taken
    is said. A ``Problem`` where it is damaged, or holds nothing that sounds.
    """
    try:
        with zipfile.ZipFile(path) as packed:
            files, texts, said = _unpacked(desk, packed, name)
    except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError) as error:
        raise Problem(f"“{name}” is damaged, or no zip file.", "Nothing was kept.", _TODO) from error
    if not files:
        first = f" {said[0]}" if said else ""
        raise Problem(f"“{name}” holds no samples.{first}", "Nothing was kept.", "Choose the zip of a kit.")
    if not texts:
        made = arrange(desk, ToArrange(files=files))
        return Arranged(instruments=made.instruments, skipped=said)
    out = Arranged(instruments=[], skipped=said)
    for text in texts:
        try:
            made = arrange(desk, ToArrange(files=files, sfz=text))
        except Problem as problem:
            out.skipped.append(f"{text.name}: {problem.what}")
            continue
        out.instruments += made.instruments
        out.skipped += made.skipped
    if not out.instruments:
        raise Problem(out.skipped[-1], "Nothing was kept.", _TODO)
    return out


def _unpacked(
    desk: Desk, packed: zipfile.ZipFile, name: str
) -> tuple[list[ArrivedSample], list[SfzText], list[str]]:
    """The samples and SFZ texts of a zip, and what is said of those that could not be taken."""
    entries = [one for one in packed.infolist() if not one.is_dir() and not _is_hidden(one.filename)]
    if len(entries) > _MOST_FILES or sum(one.file_size for one in entries) > _MOST_BYTES:
        raise Problem(f"“{name}” holds more than any kit does.", "Nothing was kept.", _TODO)
    files, texts, said = [], [], []
    for one in sorted(entries, key=lambda entry: entry.filename):
        ending = PurePosixPath(one.filename.replace("\\", "/")).suffix.lower()
        if ending == ".sfz":
            if one.file_size <= MOST_TEXT:
                text = packed.read(one).decode("utf-8", "replace")
                texts.append(SfzText(name=one.filename, text=text))
            else:
                said.append(f"{one.filename} is longer than any SFZ file.")
        elif ending in _SOUNDS:
            try:
                files.append(_taken(desk, packed, one))
            except Problem as problem:
                said.append(problem.what)
    return files, texts, said


def _is_hidden(path: str) -> bool:
    """What some systems pack beside the files themselves."""
    parts = [part for part in path.replace("\\", "/").split("/") if part not in (".", "..")]
    return any(part.startswith((".", "__MACOSX")) for part in parts)


def _taken(desk: Desk, packed: zipfile.ZipFile, entry: zipfile.ZipInfo) -> ArrivedSample:
    """One sample of a zip, stored and measured. Nothing is written to a name that the zip gives."""
    path = draft(desk, "upload")
    try:
        count = 0
        with packed.open(entry) as packed_file, path.open("wb") as file:
            while block := packed_file.read(_BLOCK):
                count += len(block)
                if count > MOST_SAMPLE_BYTES:
                    raise Problem(f"“{plain_name(entry.filename)}” is larger than any sample.")
                file.write(block)
        return take_sample_file(desk, path, entry.filename)
    finally:
        path.unlink(missing_ok=True)
