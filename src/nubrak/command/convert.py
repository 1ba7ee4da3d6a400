"""`./nubrak convert`: the core without the database. Files given together are one kit."""

from __future__ import annotations

import json
import re
import sys
from pathlib import Path

import numpy as np
from rich.console import Console
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn

from nubrak.command.kit_files import Kit, gather_files, look_through
from nubrak.core.decide import Decisions, reason
from nubrak.core.flow import PartInput, Weighed, decide_part, weigh_all
from nubrak.core.midi import Track, midi_file
from nubrak.core.pieces import MATERIALS, PIECES
from nubrak.core.shape import Notes, ShapeSettings, shape
from nubrak.core.sort import ghosts
from nubrak.core.tempo import Tempo

SOURCES_ARE = ("kit", *MATERIALS)


def run_convert(files: list[Path], pieces: list[str], out: Path, bpm: float, source_is: str = "kit") -> int:
    """Write one MIDI file per part, a combined one and ``hits.json``. 0 is success, 1 a file that failed, 2
    wrong words.
    """
    wrong = _wrong_words(files, pieces, source_is)
    if wrong:
        print(f"nubrak convert: {wrong}", file=sys.stderr)
        return 2
    kit = gather_files(files, dict(zip(files, pieces, strict=True)) if pieces else {}, source_is)
    for said in kit.failed:
        print(f"nubrak convert: {said} It was left out.", file=sys.stderr)
    if not kit.document.parts:
        print("nubrak convert: no file could be read; nothing was written.", file=sys.stderr)
        return 1
    inputs = {}
    with Progress(
        TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn(), console=Console(stderr=True)
    ) as progress:
        task = progress.add_task("Finding", total=len(kit.document.parts))
        for part_id, part in look_through(kit):
            inputs[part_id] = part
            progress.update(task, advance=1, description=f"Found in {kit.files_of(part_id)[0].name}")
    try:
        _write(out, kit, inputs, bpm)
    except OSError as error:
        print(f"nubrak convert: cannot write to {out}: {error.strerror}.", file=sys.stderr)
        return 1
    return 1 if kit.failed else 0


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


def _write(out: Path, kit: Kit, inputs: dict[str, PartInput], bpm: float) -> None:
    out.mkdir(parents=True, exist_ok=True)
    names = {part_id: kit.files_of(part_id)[0].stem for part_id in inputs}
    weighed = weigh_all(inputs)
    tempo, tracks, sources, used = Tempo(bpm=bpm), [], [], set[str]()
    for part_id, part in inputs.items():
        files = [path.name for path in kit.files_of(part_id)]
        decisions = decide_part(part, weighed.evidence[part_id], weighed.stroke_probability[part_id])
        notes = shape(decisions, ShapeSettings(), [], PIECES[part.piece])
        hits = _hits(part_id, part.piece, decisions, notes, weighed, names)
        sources.append({"file": files[0], "files": files, "piece": part.piece, "hits": hits})
        print(f"{', '.join(files)}: {PIECES[part.piece].name}, {len(hits)} hits")
        if not PIECES[part.piece].noted:
            continue
        tracks.append(Track(names[part_id], notes))
        name = re.sub(r"[^\w.-]+", "_", names[part_id]).strip("._") or "part"
        while name.lower() in used or name == "all":
            name += "_"
        used.add(name.lower())
        (out / f"{name}.mid").write_bytes(midi_file([tracks[-1]], tempo))
    (out / "all.mid").write_bytes(midi_file(tracks, tempo))
    (out / "hits.json").write_text(
        json.dumps({"sources": sources}, indent=1, ensure_ascii=False) + "\n", encoding="utf-8"
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
