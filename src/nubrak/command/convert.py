"""`./nubrak convert`: the core without the database. Files given together are one kit."""

from __future__ import annotations

import json
import os
import re
import sys
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from rich.console import Console
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn

from nubrak.core.decide import Decisions, FindSettings, reason
from nubrak.core.find import Candidates, combine_microphones, find_candidates, join
from nubrak.core.flow import PartInput, Weighed, decide_part, weigh_all
from nubrak.core.gather import guess_from_sound, read_mono, time_stamp_s
from nubrak.core.midi import Track, midi_file
from nubrak.core.pieces import (
    MATERIALS,
    PIECES,
    MaterialId,
    guess_from_name,
    listens_closely,
    position_of,
    side_of,
)
from nubrak.core.problem import Problem
from nubrak.core.shape import Notes, ShapeSettings, shape
from nubrak.core.sort import ghosts
from nubrak.core.tempo import Tempo

SOURCES_ARE = ("kit", *MATERIALS)


@dataclass(frozen=True)
class Found:
    """One source: a file or the two halves of a pair, what was found in it, and where it begins."""

    paths: list[Path]
    piece: str
    candidates: Candidates
    stamp_s: float | None


def run_convert(files: list[Path], pieces: list[str], out: Path, bpm: float, source_is: str = "kit") -> int:
    """Write one MIDI file per part, a combined one and ``hits.json``. 0 is success, 1 a file that failed, 2
    wrong words.
    """
    wrong = _wrong_words(files, pieces, source_is)
    if wrong:
        print(f"nubrak convert: {wrong}", file=sys.stderr)
        return 2
    groups = _pairs(files)
    given = dict(zip(files, pieces, strict=True)) if pieces else {}
    known = [given.get(group[0]) or _said_to_be(group[0], source_is) for group in groups]
    closely = [listens_closely(PIECES[piece or "else"], _material(source_is)) for piece in known]
    found, failed = [], 0
    with Progress(
        TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn(), console=Console(stderr=True)
    ) as progress:
        task = progress.add_task("Finding", total=len(groups))
        for group, piece, answer in zip(groups, known, _side_by_side(groups, closely), strict=True):
            progress.update(task, advance=1, description=f"Found in {group[0].name}")
            if isinstance(answer, str):
                print(f"nubrak convert: {answer} It was left out.", file=sys.stderr)
                failed += 1
            else:
                found.append(Found(group, piece or _by_sound(answer[0], source_is), *answer))
    if not found:
        print("nubrak convert: no file could be read; nothing was written.", file=sys.stderr)
        return 1
    try:
        _write(out, _parts(found, source_is), bpm)
    except OSError as error:
        print(f"nubrak convert: cannot write to {out}: {error.strerror}.", file=sys.stderr)
        return 1
    return 1 if failed else 0


def _wrong_words(files: list[Path], pieces: list[str], source_is: str) -> str | None:
    unknown = next((piece for piece in pieces if piece not in PIECES), None)
    if unknown is not None:
        return f"there is no piece “{unknown}”; there are {', '.join(PIECES)}."
    if source_is not in SOURCES_ARE:
        return f"a source cannot be “{source_is}”; it is one of {', '.join(SOURCES_ARE)}."
    if pieces and len(pieces) != len(files):
        return (
            f"{len(files)} files and {len(pieces)} pieces were given; give one --piece for each file, or "
            "none."
        )
    missing = next((path for path in files if not path.is_file()), None)
    return f"there is no file {missing}." if missing else None


def _pairs(files: list[Path]) -> list[list[Path]]:
    """Files by source: left and right halves that are named alike belong to one."""
    groups: list[list[Path]] = []
    halves: dict[tuple[Path, str], list[Path]] = {}
    for path in files:
        side = side_of(path.name)
        group = halves.get((path.parent, side[0])) if side else None
        if side and group and len(group) == 1 and (side_of(group[0].name) or ("", ""))[1] != side[1]:
            group.append(path)
            continue
        groups.append([path])
        if side:
            halves[path.parent, side[0]] = groups[-1]
    return groups


def _listen(group: list[Path], closely: bool) -> tuple[Candidates, float | None] | str:
    """Candidates and time stamp of one source, or a sentence that says why there are none."""
    try:
        signals = [read_mono(path) for path in group]
    except Problem as problem:
        return f"{problem.what} {problem.todo}"
    if len({rate_hz for _, rate_hz in signals}) > 1:
        return f"“{group[0].name}” and “{group[1].name}” have different sample rates and cannot be one pair."
    frames, rate_hz = max(len(mono) for mono, _ in signals), signals[0][1]
    mono = np.zeros(frames, np.float32)
    for signal, _ in signals:
        mono[: len(signal)] += signal / np.float32(len(signals))
    return find_candidates(mono, rate_hz, closely), time_stamp_s(group[0], rate_hz)


def _material(source_is: str) -> MaterialId | None:
    return None if source_is == "kit" else source_is  # type: ignore[return-value]


def _side_by_side(
    groups: list[list[Path]], closely: list[bool]
) -> Iterator[tuple[Candidates, float | None] | str]:
    """Every source on a core of its own, in the order given."""
    workers = min(len(groups), os.cpu_count() or 1)
    if workers < 2:
        yield from map(_listen, groups, closely)
        return
    with ProcessPoolExecutor(workers) as pool:
        yield from pool.map(_listen, groups, closely)


def _said_to_be(path: Path, source_is: str) -> str | None:
    """The piece, as far as it is known before anything is heard."""
    by_name = guess_from_name(path.name)
    return by_name.piece if by_name is not None else source_is if source_is in ("loop", "mouth") else None


def _by_sound(candidates: Candidates, source_is: str) -> str:
    heard = guess_from_sound(candidates) if source_is == "kit" else None
    return heard.piece if heard is not None else "else"


def _parts(found: list[Found], source_is: str) -> list[tuple[list[Found], PartInput]]:
    """Sources by part: microphones on one piece, named alike but for their place, are one."""
    stamps = [one.stamp_s for one in found if one.stamp_s is not None]
    groups: dict[tuple[str, str], list[Found]] = {}
    for number, one in enumerate(found):
        position = position_of(one.paths[0].name)
        groups.setdefault((one.piece, position[0] if position else f"#{number}"), []).append(one)
    parts = []
    for members in groups.values():
        heard = combine_microphones(
            [
                join([one.candidates], [one.stamp_s - min(stamps) if one.stamp_s is not None else 0.0])
                for one in members
            ]
        )
        names = frozenset(str(path) for one in members for path in one.paths)
        parts.append(
            (
                members,
                PartInput(
                    members[0].paths[0].name,
                    members[0].piece,
                    heard,
                    FindSettings(material=_material(source_is)),
                    [],
                    names,
                ),
            )
        )
    return parts


def _write(out: Path, parts: list[tuple[list[Found], PartInput]], bpm: float) -> None:
    out.mkdir(parents=True, exist_ok=True)
    inputs = {str(number): part for number, (_, part) in enumerate(parts)}
    names = {key: part.name.rpartition(".")[0] or part.name for key, part in inputs.items()}
    weighed = weigh_all(inputs)
    tempo, tracks, sources, used = Tempo(bpm=bpm), [], [], set[str]()
    for (members, part), key in zip(parts, inputs, strict=True):
        decisions = decide_part(part, weighed.evidence[key], weighed.stroke_probability[key])
        notes = shape(decisions, ShapeSettings(), [], PIECES[part.piece])
        tracks.append(Track(members[0].paths[0].stem, notes))
        name = re.sub(r"[^\w.-]+", "_", members[0].paths[0].stem).strip("._") or "part"
        while name.lower() in used or name == "all":
            name += "_"
        used.add(name.lower())
        (out / f"{name}.mid").write_bytes(midi_file([tracks[-1]], tempo))
        files = [path.name for one in members for path in one.paths]
        sources.append(
            {
                "file": files[0],
                "files": files,
                "piece": part.piece,
                "hits": _hits(key, part.piece, decisions, notes, weighed, names),
            }
        )
    (out / "all.mid").write_bytes(midi_file(tracks, tempo))
    (out / "hits.json").write_text(
        json.dumps({"sources": sources}, indent=1, ensure_ascii=False) + "\n", encoding="utf-8"
    )
    for source, track in zip(sources, tracks, strict=True):
        print(
            f"{', '.join(map(str, source['files']))}: {PIECES[str(source['piece'])].name}, "
            f"{len(track.notes.time_s)} hits"
        )


def _hits(
    key: str, piece: str, decisions: Decisions, notes: Notes, weighed: Weighed, names: dict[str, str]
) -> list[dict[str, object]]:
    rows = np.nonzero(decisions.counts)[0]
    ghost = (
        ghosts(decisions.level_db[rows])
        if PIECES[piece].head == "oval" and piece != "loop"
        else np.zeros(len(rows), bool)
    )
    said = PIECES[piece].name.lower()
    return [
        {
            "time_s": round(float(decisions.time_s[row]), 6),
            "piece": piece,
            "velocity": int(notes.velocity[place]),
            "level_db": round(float(decisions.level_db[row]), 2),
            "articulation": None,
            "ghost": bool(ghost[place]),
            "doubt": round(float(decisions.doubt[row]), 3),
            "reason": reason(decisions, int(row), weighed.evidence[key], said, names),
        }
        for place, row in enumerate(rows)
    ]
