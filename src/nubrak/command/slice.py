"""`./nubrak slice`: a loop cut into slices, with SFZ and MIDI that replay it, without the database."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import get_args

import numpy as np
from numpy.typing import NDArray

from nubrak.command.kit_files import found_in, gather_files, read_whole
from nubrak.core.flow import decide_all
from nubrak.core.gather import inspect
from nubrak.core.pieces import PIECES, file_name
from nubrak.core.prints import SlicePrint, print_slices, write_sample
from nubrak.core.problem import Problem
from nubrak.core.samples import CutSettings, Slice, Step, at_tempo, cut, grid_cuts_s, levels_db, replayed
from nubrak.core.tempo import Tempo, tempo_told_by

BY = ("hits", *get_args(Step))
_STRUCK_WITH_S = 0.015  # of a slice's attack
Strokes = dict[str, NDArray[np.float64]]


def run_slice(
    path: Path, by: str, out: Path, bpm: float | None, to_bpm: float | None, source_is: str, matched: bool
) -> int:
    """Write slices, SFZ, MIDI and ``slices.json``. 0 is success, 1 a file that failed, 2 wrong words."""
    wrong = _wrong_words(path, by)
    if wrong:
        print(f"nubrak slice: {wrong}", file=sys.stderr)
        return 2
    try:
        return _sliced(path, by, out, bpm, to_bpm, source_is, matched)
    except Problem as problem:
        print(f"nubrak slice: {problem.what} {problem.todo}".rstrip(), file=sys.stderr)
    except OSError as error:
        print(f"nubrak slice: cannot write to {out}: {error.strerror}.", file=sys.stderr)
    return 1


def _wrong_words(path: Path, by: str) -> str | None:
    words = by.removesuffix(" triplets")
    if words not in BY or (by != words and words in ("hits", "bar")):
        return f"cannot cut by “{by}”; by is one of {', '.join(BY)}, steps also with “ triplets”."
    return None if path.is_file() else f"there is no file {path}."


def _sliced(
    path: Path, by: str, out: Path, bpm: float | None, to_bpm: float | None, source_is: str, matched: bool
) -> int:
    facts = inspect(path)
    moments_s, strokes = _struck(path, source_is)
    loop_s = facts.length_s if source_is == "loop" else None
    tempo, said = _tempo(bpm, strokes, moments_s, loop_s)
    if tempo is None and (by != "hits" or to_bpm is not None):
        raise Problem("The hits do not tell a tempo.", todo="Say it with --bpm.")
    chosen = CutSettings() if by == "hits" else CutSettings.model_validate(_as_settings(by))
    grid = np.zeros(0) if tempo is None or by == "hits" else grid_cuts_s(tempo, chosen, facts.length_s)
    slices = cut(facts.frames, facts.rate_hz, moments_s, grid, chosen)
    audio = read_whole(path)
    levels = levels_db(audio, facts.rate_hz, slices) if matched else None
    names = [_name(one, facts.rate_hz, strokes) for one in slices]
    made = print_slices(path.stem, audio, facts.rate_hz, slices, names, tempo or Tempo(), levels)
    _write(out, path.stem, made, facts.rate_hz)
    report = {
        "file": path.name,
        "rate_hz": facts.rate_hz,
        "bpm": None if tempo is None else round(tempo.bpm, 4),
        "tempo": said,
        "slices": [
            {
                "file": file.path,
                "start_s": round(one.start / facts.rate_hz, 6),
                "attack_s": round(one.attack / facts.rate_hz, 6),
                "end_s": round(one.end / facts.rate_hz, 6),
                "struck": name,
                "channel": file.channel,
                "note": file.key,
            }
            for one, file, name in zip(slices, made.files, names, strict=True)
        ],
    }
    if to_bpm is not None and tempo is not None:
        times = at_tempo(slices, facts.rate_hz, facts.frames, tempo, Tempo(bpm=to_bpm))
        moved = f"{file_name(path.stem)} at {to_bpm:g} bpm.wav"
        write_sample(out / moved, replayed(audio, facts.rate_hz, slices, times, levels), facts.rate_hz)
        report["moved"] = moved
    text = json.dumps(report, indent=1, ensure_ascii=False)
    (out / "slices.json").write_text(f"{text}\n", encoding="utf-8")
    print(f"{path.name}: {len(slices)} slices, {said}")
    return 0


def _as_settings(by: str) -> dict[str, object]:
    return {"by": "grid", "step": by.removesuffix(" triplets"), "triplets": by.endswith(" triplets")}


def _struck(path: Path, source_is: str) -> tuple[NDArray[np.float64], Strokes]:
    """When anything is struck, (n,) in s, and when each piece is, by its name."""
    kit = gather_files([path], {}, source_is)
    if kit.failed:
        raise Problem(kit.failed[0])
    inputs = found_in(kit)
    decided = decide_all(inputs)
    times = {key: np.sort(one.time_s[one.counts]) for key, one in decided.items()}
    strokes = {}
    for part_id in inputs:
        if not kit.document.family(part_id):
            strokes[kit.document.part_name(part_id).lower()] = times[part_id]
    every = np.sort(np.concatenate([np.zeros(0), *strokes.values()]))
    return every, {name: one for name, one in strokes.items() if len(one)}


def _tempo(
    bpm: float | None, strokes: Strokes, moments_s: NDArray[np.float64], loop_s: float | None
) -> tuple[Tempo | None, str]:
    if bpm is not None:
        first_s = float(moments_s[0]) if len(moments_s) else 0.0
        return Tempo(bpm=bpm, bar_one_s=first_s), f"{bpm:g} bpm as said, bar one at the first hit"
    by_name = {one.name.lower(): key for key, one in PIECES.items()}
    told = tempo_told_by({by_name.get(n, n): (t, np.ones(len(t))) for n, t in strokes.items()}, loop_s)
    if told is None:
        return None, "no tempo told"
    sure = "" if told.sure else ", not surely"
    tempo = Tempo(
        bpm=told.bpm,
        beats_per_bar=told.beats_per_bar,
        beat_unit=told.beat_unit,
        bar_one_s=told.bar_one_s,
        changes=told.changes,
    )
    return tempo, f"{told.bpm:.2f} bpm detected{sure}"


def _name(one: Slice, rate_hz: int, strokes: Strokes) -> str:
    """What is struck where a slice begins."""
    at_s = one.attack / rate_hz
    return " ".join(n for n, times in strokes.items() if np.abs(times - at_s).min() <= _STRUCK_WITH_S)


def _write(out: Path, stem: str, made: SlicePrint, rate_hz: int) -> None:
    (out / "samples").mkdir(parents=True, exist_ok=True)
    for file in made.files:
        write_sample(out / file.path, file.audio, rate_hz)
    for name, text in made.sfz.items():
        (out / f"{file_name(name)}.sfz").write_text(text, encoding="utf-8")
    (out / f"{file_name(stem)}.mid").write_bytes(made.midi)
