"""`./nubrak convert`: the core without the database. Files given together are one kit."""

from __future__ import annotations

import json
import re
import sys
from pathlib import Path
from typing import Any

import numpy as np

from nubrak.command.kit_files import Kit, found_in, gather_files
from nubrak.core.decide import WORTH_A_LOOK, Decisions, reason
from nubrak.core.flow import PartInput, Weighed, decide_part, numbers_by_row, ways_struck, weigh_all
from nubrak.core.midi import Track, midi_file
from nubrak.core.pieces import MATERIALS, PIECES, NoteMap
from nubrak.core.shape import Notes, ShapeSettings, shape
from nubrak.core.sort import ghosts, sort_moments
from nubrak.core.tempo import Tempo

SOURCES_ARE = ("kit", *MATERIALS)
CHANNELS = ("one", "each")  # all on the percussion channel, or a channel for each part


def run_convert(
    files: list[Path], pieces: list[str], out: Path, bpm: float, source_is: str = "kit", channels: str = "one"
) -> int:
    """Write one MIDI file per part, a combined one and ``hits.json``. 0 is success, 1 a file that failed, 2
    wrong words.
    """
    wrong = _wrong_words(files, pieces, source_is, channels)
    if wrong:
        print(f"nubrak convert: {wrong}", file=sys.stderr)
        return 2
    kit = gather_files(files, dict(zip(files, pieces, strict=True)) if pieces else {}, source_is)
    for said in kit.failed:
        print(f"nubrak convert: {said} It was left out.", file=sys.stderr)
    if not kit.document.parts:
        print("nubrak convert: no file could be read; nothing was written.", file=sys.stderr)
        return 1
    inputs = found_in(kit)
    try:
        _write(out, kit, inputs, bpm, channels == "each")
    except OSError as error:
        print(f"nubrak convert: cannot write to {out}: {error.strerror}.", file=sys.stderr)
        return 1
    return 1 if kit.failed else 0


def _wrong_words(files: list[Path], pieces: list[str], source_is: str, channels: str) -> str | None:
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
    if channels not in CHANNELS:
        return f"channels cannot be “{channels}”; they are one of {', '.join(CHANNELS)}."
    missing = next((path for path in files if not path.is_file()), None)
    return f"there is no file {missing}." if missing else None


def _write(out: Path, kit: Kit, inputs: dict[str, PartInput], bpm: float, each_channel: bool) -> None:
    out.mkdir(parents=True, exist_ok=True)
    names = {part_id: _name(kit, part_id) for part_id in inputs}
    weighed = weigh_all(inputs)
    tempo, used = Tempo(bpm=bpm), set[str]()
    tracks: list[Track] = []
    sources: dict[str, dict[str, Any]] = {}
    for part_id, part in inputs.items():
        files = [path.name for path in kit.files_of(part_id)]
        decisions = decide_part(part, weighed.evidence[part_id], weighed.stroke_probability[part_id])
        settings = ShapeSettings(channel=len(tracks) % 16 + 1 if each_channel else 10)
        notes = shape(
            decisions, settings, [], PIECES[part.piece], by_row=numbers_by_row(part, decisions, NoteMap())
        )
        head = kit.document.part(part_id).sorted_from
        if head is None:
            sources[part_id] = {
                "file": files[0],
                "files": files,
                "piece": part.piece,
                "hits": [],
                "doubtful": [],
            }
        if kit.document.family(part_id):
            # Its moments stand with the pieces that were told from them.
            continue
        about = sources[head or part_id]
        about["hits"] += _hits(part_id, part, decisions, notes, weighed, names)
        about["doubtful"] += _rejected(part_id, part, decisions, weighed, names)
        print(f"{', '.join(files)}: {PIECES[part.piece].name}, {len(notes)} hits")
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
        json.dumps({"sources": [_in_time(one) for one in sources.values()]}, indent=1, ensure_ascii=False)
        + "\n",
        encoding="utf-8",
    )


def _name(kit: Kit, part_id: str) -> str:
    """What a part's file and track are called: its recording, and the piece where that holds several."""
    stem = kit.files_of(part_id)[0].stem
    part = kit.document.part(part_id)
    return stem if part.sorted_from is None else f"{stem} {kit.document.part_name(part_id).lower()}"


def _in_time(source: dict[str, Any]) -> dict[str, Any]:
    """A source with what is told of it in order of time."""
    return source | {
        name: sorted(source[name], key=lambda hit: hit["time_s"]) for name in ("hits", "doubtful")
    }


def _rejected(
    key: str, part: PartInput, decisions: Decisions, weighed: Weighed, names: dict[str, str]
) -> list[dict[str, object]]:
    """What does not count and may yet be a stroke."""
    said = PIECES[part.piece].name.lower()
    return [
        {
            "time_s": round(float(decisions.time_s[row]), 6),
            "piece": part.piece,
            "level_db": round(float(decisions.level_db[row]), 2),
            "doubt": round(float(decisions.doubt[row]), 3),
            "reason": reason(decisions, int(row), weighed.evidence[key], said, names),
        }
        for row in np.nonzero(~decisions.counts & (decisions.doubt >= WORTH_A_LOOK))[0]
    ]


def _told(part: PartInput, decisions: Decisions) -> tuple[list[str | None], list[float]]:
    """The sound of each row of a part's decisions and how likely nothing is struck there, (rows,) each."""
    sort = None if part.sounds is None else sort_moments(part.candidates)
    if sort is None:
        return [None] * len(decisions.row), decisions.doubt.tolist()
    own, nothing = sort.only(part.sounds or ()), 1.0 - sort.of_any()
    sounds = [own.sounds[k] for k in own.probability.argmax(axis=1).tolist()]
    known = decisions.row.tolist()
    return [sounds[row] if row >= 0 else None for row in known], [
        float(nothing[row]) if row >= 0 else 0.0 for row in known
    ]


def _hits(
    key: str, part: PartInput, decisions: Decisions, notes: Notes, weighed: Weighed, names: dict[str, str]
) -> list[dict[str, object]]:
    rows, piece, ways = np.nonzero(decisions.counts)[0], part.piece, ways_struck(part, decisions)
    groups, stroke_doubt = _told(part, decisions)
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
            "articulation": ways[row],
            "note": int(notes.each_number[place]),
            "ghost": bool(ghost[place]),
            "group": groups[row],
            "doubt": round(stroke_doubt[row], 3),
            "piece_doubt": round(float(decisions.doubt[row]), 3) if part.sounds is not None else 0.0,
            "reason": reason(decisions, int(row), weighed.evidence[key], said, names),
        }
        for place, row in enumerate(rows)
    ]
