"""`./nubrak convert`: the core without the database. Files given together are one kit."""

from __future__ import annotations

import json
import re
import sys
from pathlib import Path

import numpy as np
from rich.console import Console
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn

from nubrak.core.decide import Decisions, FindSettings, reason
from nubrak.core.find import find_candidates
from nubrak.core.flow import PartInput, decide_all
from nubrak.core.midi import Tempo, Track, midi_file
from nubrak.core.names import guess_from_name
from nubrak.core.pieces import PIECES
from nubrak.core.problem import Problem
from nubrak.core.read import read_mono
from nubrak.core.shape import Notes, ShapeSettings, shape
from nubrak.core.sort import ghosts


def run_convert(files: list[Path], pieces: list[str], out: Path, bpm: float) -> int:
    """Write one MIDI file per part, a combined one and ``hits.json``. 0 is success, 1 a file that failed, 2 wrong words."""
    wrong = _wrong_words(files, pieces)
    if wrong:
        print(f"nubrak convert: {wrong}", file=sys.stderr)
        return 2
    failed = 0
    parts: dict[str, PartInput] = {}
    with Progress(TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn(), console=Console(stderr=True)) as progress:
        task = progress.add_task("Finding", total=len(files))
        for index, path in enumerate(files):
            progress.update(task, description=f"Finding in {path.name}")
            try:
                mono, rate_hz = read_mono(path)
            except Problem as problem:
                print(f"nubrak convert: {problem.what} {problem.todo} It was left out.", file=sys.stderr)
                failed += 1
                continue
            finally:
                progress.advance(task)
            guess = guess_from_name(path.name)
            piece = pieces[index] if pieces else guess.piece if guess else "else"
            parts[str(index)] = PartInput(path.name, piece, find_candidates(mono, rate_hz), FindSettings(), [])
    if not parts:
        print("nubrak convert: no file could be read; nothing was written.", file=sys.stderr)
        return 1
    try:
        _write(out, [files[int(key)] for key in parts], parts, decide_all(parts), bpm)
    except OSError as error:
        print(f"nubrak convert: cannot write to {out}: {error.strerror}.", file=sys.stderr)
        return 1
    return 1 if failed else 0


def _wrong_words(files: list[Path], pieces: list[str]) -> str | None:
    unknown = next((piece for piece in pieces if piece not in PIECES), None)
    if unknown is not None:
        return f"there is no piece “{unknown}”; there are {', '.join(PIECES)}."
    if pieces and len(pieces) != len(files):
        return f"{len(files)} files and {len(pieces)} pieces were given; give one --piece for each file, or none."
    missing = next((path for path in files if not path.is_file()), None)
    return f"there is no file {missing}." if missing else None


def _write(out: Path, files: list[Path], parts: dict[str, PartInput], decisions: dict[str, Decisions], bpm: float) -> None:
    out.mkdir(parents=True, exist_ok=True)
    tempo, tracks, sources, used = Tempo(bpm=bpm), [], [], set[str]()
    for path, (key, part) in zip(files, parts.items(), strict=True):
        notes = shape(decisions[key], ShapeSettings(), [], PIECES[part.piece])
        tracks.append(Track(path.stem, notes))
        name = re.sub(r"[^\w.-]+", "_", path.stem).strip("._") or "part"
        while name.lower() in used or name == "all":
            name += "_"
        used.add(name.lower())
        (out / f"{name}.mid").write_bytes(midi_file([tracks[-1]], tempo))
        sources.append({"file": path.name, "piece": part.piece, "hits": _hits(part.piece, decisions[key], notes)})
    (out / "all.mid").write_bytes(midi_file(tracks, tempo))
    (out / "hits.json").write_text(json.dumps({"sources": sources}, indent=1, ensure_ascii=False) + "\n", encoding="utf-8")
    for source, track in zip(sources, tracks, strict=True):
        print(f"{source['file']}: {PIECES[str(source['piece'])].name}, {len(track.notes.time_s)} hits")


def _hits(piece: str, decisions: Decisions, notes: Notes) -> list[dict[str, object]]:
    rows = np.nonzero(decisions.counts)[0]
    ghost = ghosts(decisions.level_db[rows]) if PIECES[piece].head == "oval" and piece != "loop" else np.zeros(len(rows), bool)
    return [
        {
            "time_s": round(float(decisions.time_s[row]), 6), "piece": piece, "velocity": int(notes.velocity[place]), "level_db": round(float(decisions.level_db[row]), 2),
            "articulation": None, "ghost": bool(ghost[place]), "doubt": round(float(decisions.doubt[row]), 3), "reason": reason(decisions, int(row)),
        }
        for place, row in enumerate(rows)
    ]
