"""Files given together as one session without a database: read, gathered and looked through, each on a core
of its own.
"""

from __future__ import annotations

import hashlib
import os
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field
from functools import cache, lru_cache
from pathlib import Path
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray
from rich.console import Console
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn

from nubrak.core.find import Candidates, find_candidates, join
from nubrak.core.flow import Look, PartInput, listens_to, look_of, part_input, sorts_itself, told_in
from nubrak.core.flow import look_through as heard_in
from nubrak.core.gather import (
    LISTENED_S,
    Arrival,
    AudioFacts,
    Heard,
    audio_blocks,
    gather,
    guess_piece,
    inspect,
    read_mono,
)
from nubrak.core.pieces import MATERIALS, PieceGuess, guess_from_name
from nubrak.core.problem import Problem
from nubrak.core.session import AnyAction, Clip, Document, apply, tell_pieces
from nubrak.core.together import Beside, Group, find_beside, groups_of

Given = TypeVar("Given")
Answer = TypeVar("Answer")

_SAID = ("loop", "mouth")  # of what the sources can be said to be, what says the piece as well


@dataclass
class Kit:
    """What was made of the files: the session, which files each clip's audio is, and a sentence for each file
    that was left out.
    """

    document: Document
    files: dict[str, list[Path]] = field(default_factory=dict)
    failed: list[str] = field(default_factory=list)

    def files_of(self, part_id: str) -> list[Path]:
        """The files that a part was recorded in, in their order."""
        part = self.document.part(part_id)
        clips = [clip for source_id in part.sources for clip in self.document.sources[source_id].clips]
        return [path for clip in clips for path in self.files[clip.audio]]


def gather_files(files: list[Path], said: dict[Path, str], source_is: str) -> Kit:
    """The files as a session; ``said`` is which piece a file holds, where it was told."""
    kit = Kit(Document(name="kit"))
    material = next((one for one in MATERIALS if one == source_is), None)
    for number, (path, facts) in enumerate(zip(files, _on_every_core(_facts_of, files), strict=True)):
        if isinstance(facts, str):
            kit.failed.append(facts)
            continue
        clip = _clip(kit, path, facts)
        guess = _guess(path, said.get(path), source_is)
        try:
            _arrive(kit, Arrival(path.name, clip, guess, facts.notes), (f"s{number}", f"p{number}"))
        except Problem as problem:
            kit.failed.append(f"“{path.name}” cannot be put beside the others. {problem.what}")
    for part in kit.document.parts.values():
        part.find.material = material
        # Said to be of several pieces, it is told apart whatever its name is.
        part.asked = material is not None and MATERIALS[material].mixed
    return kit


def look_through(kit: Kit) -> Iterator[tuple[str, PartInput]]:
    """Every part with its candidates, in the order of the list."""
    # Files that are handed over at once are of one room.
    group = next(iter(groups_of(kit.document)), None)
    wanted, listened = list[_Wanted](), dict[str, list[tuple[str, Look]]]()
    beside = [one for one in group.members if one.heard] if group else []
    at_once = {(one.source_id, one.look) for one in beside}
    for part_id, part in kit.document.ordered_parts():
        look, sources = look_of(kit.document, part_id), listens_to(kit.document, part_id)
        listened[part_id] = [(one, look) for one in part.sources if kit.document.sources[one] in sources]
        for of in listened[part_id]:
            if of not in at_once:
                wanted.append(_Wanted(kit.files, of, kit.document.sources[of[0]].clips, None, []))
    cores = os.cpu_count() or 1
    for first in range(min(cores, len(beside))):
        wanted.append(_Wanted(kit.files, ("", Look.USUAL), [], group, beside[first::cores]))
    found = dict(pair for some in _on_every_core(_heard, wanted) for pair in some.items())
    for part_id, _ in kit.document.ordered_parts():
        yield part_id, part_input(kit.document, part_id, [found[of] for of in listened[part_id]])


@dataclass(frozen=True)
class _Wanted:
    """One source to be looked through by itself, or some of a group beside each other."""

    files: dict[str, list[Path]]
    alone: tuple[str, Look]
    clips: list[Clip]
    group: Group | None
    beside: list[Beside]


def tell_apart(kit: Kit, inputs: dict[str, PartInput]) -> None:
    """Sources that carry several pieces become the parts that play them, beside what they were found in."""
    for part_id in list(inputs):
        pieces = (
            told_in(kit.document, part_id, inputs[part_id]) if sorts_itself(kit.document, part_id) else None
        )
        if pieces is None:
            continue
        named = {f"{part_id}-{number}": piece for number, piece in enumerate(pieces)}
        tell_pieces(kit.document, part_id, named)
        for child in named:
            inputs[child] = part_input(kit.document, child, [inputs[part_id].candidates])


def found_in(kit: Kit) -> dict[str, PartInput]:
    """Every part with its candidates, those told from others' moments with them, while a bar shows how far it
    is.
    """
    inputs: dict[str, PartInput] = {}
    with Progress(
        TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn(), console=Console(stderr=True)
    ) as progress:
        task = progress.add_task("Finding", total=len(kit.document.parts))
        for part_id, part in look_through(kit):
            inputs[part_id] = part
            progress.update(task, advance=1, description=f"Found in {kit.files_of(part_id)[0].name}")
    tell_apart(kit, inputs)
    return inputs


def read_whole(path: Path) -> NDArray[np.float32]:
    """All samples of a file, (frames, channels)."""
    return np.concatenate([np.zeros((0, inspect(path).channels), np.float32), *audio_blocks(path)])


def _arrive(kit: Kit, arrived: Arrival, new_ids: tuple[str, str]) -> None:
    def edit(action: AnyAction) -> Document:
        kit.document, _ = apply(kit.document, action)
        return kit.document

    def joined(left: Clip, right: Clip, _: str) -> Clip:
        audio = _key([*kit.files[left.audio], *kit.files[right.audio]])
        kit.files[audio] = [*kit.files[left.audio], *kit.files[right.audio]]
        return left.model_copy(
            update={
                "audio": audio,
                "channels": 2,
                "length_s": max(left.length_s, right.length_s),
                "start_s": min(left.start_s, right.start_s),
            }
        )

    def heard(clip: Clip) -> NDArray[np.float32]:
        return read_mono(kit.files[clip.audio][0])[0]

    def found(clip: Clip) -> Candidates:
        return _found_at_first(kit.files[clip.audio][0])

    gather(kit.document, arrived, new_ids, edit, joined, heard, found)


def _clip(kit: Kit, path: Path, facts: AudioFacts) -> Clip:
    audio = _key([path])
    kit.files[audio] = [path]
    return Clip(
        audio=audio,
        length_s=facts.length_s,
        channels=facts.channels,
        rate_hz=facts.rate_hz,
        stamp_s=facts.stamp_s,
    )


def _key(paths: list[Path]) -> str:
    """What the document calls this audio. Files are told apart by where they lie, not by what they hold."""
    return hashlib.sha256("\0".join(str(path.absolute()) for path in paths).encode()).hexdigest()


def _guess(path: Path, said: str | None, source_is: str) -> PieceGuess:
    if said is not None:
        return PieceGuess(piece=said, why="It was said.", sure=1.0)
    if source_is in _SAID:
        return guess_from_name(path.name) or PieceGuess(piece=source_is, why="It was said.", sure=1.0)
    return guess_piece(path.name, lambda: _beginning(path) if source_is == "kit" else None)


def _facts_of(path: Path) -> AudioFacts | str:
    """What is in a file, or a sentence that says why nothing can be made of it."""
    try:
        return inspect(path)
    except Problem as problem:
        return f"{problem.what} {problem.todo}"


def _beginning(path: Path) -> Heard:
    mono, rate_hz = read_mono(path)
    mono = mono[: round(LISTENED_S * rate_hz)]
    return mono, rate_hz, find_candidates(mono, rate_hz)


@lru_cache(maxsize=64)
def _found_at_first(path: Path) -> Candidates:
    return _beginning(path)[2]


def _heard(wanted: _Wanted) -> dict[tuple[str, Look], Candidates]:
    """What is found, by source and look."""
    files = wanted.files
    if wanted.group is not None:
        mono_of = cache(lambda audio: _mono(files[audio])[0])
        found = find_beside(wanted.group, wanted.beside, mono_of)
        return {(one.source_id, one.look): candidates for one, candidates in found}
    heard = [heard_in(*_mono(files[clip.audio]), wanted.alone[1]) for clip in wanted.clips]
    return {wanted.alone: join(heard, [clip.start_s for clip in wanted.clips])}


def _mono(paths: list[Path]) -> tuple[NDArray[np.float32], int]:
    """What the detector hears of a file, or of both halves of a pair together, (frames,), and its rate."""
    signals = [read_mono(path) for path in paths]
    mono = np.zeros(max(len(signal) for signal, _ in signals), np.float32)
    for signal, _ in signals:
        mono[: len(signal)] += signal / np.float32(len(signals))
    return mono, signals[0][1]


def _on_every_core(make: Callable[[Given], Answer], given: list[Given]) -> Iterator[Answer]:
    """One answer for each that is given, in the same order, each made on a core of its own."""
    workers = min(len(given), os.cpu_count() or 1)
    if workers < 2:
        yield from map(make, given)
        return
    with ProcessPoolExecutor(workers) as pool:
        yield from pool.map(make, given)
