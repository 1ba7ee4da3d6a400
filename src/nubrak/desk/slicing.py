"""A source cut into slices: where they lie, and all of them as files."""

from __future__ import annotations

import json
import zipfile
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from nubrak.core.names import Name
from nubrak.core.pieces import file_name
from nubrak.core.prints import Cancelled, GoOn, print_slices, write_sample
from nubrak.core.problem import Problem
from nubrak.core.samples import CutSettings, Slice, at_tempo, cut, grid_cuts_s, levels_db, replayed
from nubrak.core.tempo import Tempo
from nubrak.desk.desk import Desk
from nubrak.desk.printing import draft
from nubrak.desk.standing import Standing

_STRUCK_WITH_S = 0.015  # of a slice's attack


class SliceLine(BaseModel):
    """One slice: where it lies on the session's time line, and what is struck where it begins."""

    start_s: float
    attack_s: float
    end_s: float
    found_s: float = Field(
        description="where its cut was found, from the source's beginning: what a mark of it names"
    )
    struck: str
    by_hand: bool


class Slices(BaseModel):
    """A source as it is cut."""

    source_id: str
    name: Name
    settings: CutSettings
    lines: list[SliceLine]


class SlicesChoice(BaseModel):
    """Slices that are printed."""

    source_id: str
    to_bpm: float | None = Field(
        default=None, ge=20, le=400, description="also the whole of it at this tempo; empty: no"
    )


def slices_of(desk: Desk, standing: Standing, source_id: str, settings: CutSettings | None = None) -> Slices:
    """How a source is cut, or would be with other settings."""
    begin, _, slices, names = _cut(desk, standing, source_id, settings)
    source, rate = standing.document.source(source_id), standing.document.rate_hz
    lines = [
        SliceLine(
            start_s=round((begin + one.start) / rate, 6),
            attack_s=round((begin + one.attack) / rate, 6),
            end_s=round((begin + one.end) / rate, 6),
            found_s=round(one.found_s, 6),
            struck=name,
            by_hand=one.by_hand,
        )
        for one, name in zip(slices, names, strict=True)
    ]
    return Slices(source_id=source_id, name=source.name, settings=settings or source.cut, lines=lines)


def _cut(
    desk: Desk, standing: Standing, source_id: str, settings: CutSettings | None = None
) -> tuple[int, NDArray[np.float32], list[Slice], list[str]]:
    """The sample at which a source begins, its audio, its slices, and what is struck at each."""
    document, rate = standing.document, standing.document.rate_hz
    source = document.source(source_id)
    chosen = settings or source.cut
    begin, audio = desk.audio.placed(source, rate)
    begin_s, length_s = begin / rate, len(audio) / rate
    struck = {
        standing.names[key].lower(): (standing.struck(key) - begin) / rate
        for key, part in document.ordered_parts()
        if source_id in part.sources and document.is_noted(key)
    }
    hits = np.sort(np.concatenate([np.zeros(0), *struck.values()]))
    grid = np.zeros(0)
    if chosen.by != "hits":
        if not document.tempo.is_known:
            raise Problem(
                "The session has no tempo yet, so there is no grid to cut at.",
                todo="Set its tempo in Gather, or cut at the hits.",
            )
        grid = grid_cuts_s(document.tempo, chosen, begin_s + length_s) - begin_s
    slices = cut(len(audio), rate, hits, grid, chosen, list(source.cuts.values()))
    names = []
    for one in slices:
        at_s = one.attack / rate
        with_it = (name for name, t in struck.items() if len(t) and np.abs(t - at_s).min() <= _STRUCK_WITH_S)
        names.append(" ".join(with_it))
    return begin, audio, slices, names


def write_slices(desk: Desk, standing: Standing, choice: SlicesChoice, go_on: GoOn) -> Path:
    """All slices of a source as WAV, with SFZ, the MIDI that replays them and ``slices.json``, in one
    zip; on any error nothing of it stays.
    """
    document, rate = standing.document, standing.document.rate_hz
    source = document.source(choice.source_id)
    begin, audio, slices, names = _cut(desk, standing, choice.source_id)
    levels = levels_db(audio, rate, slices) if source.cut.matched else None
    stem = file_name(source.name.rpartition(".")[0] or source.name)
    made = print_slices(stem, audio, rate, slices, names, document.tempo, levels, begin)
    path = draft(desk, "zip")
    try:
        with zipfile.ZipFile(path, "w", zipfile.ZIP_STORED) as files:
            for number, one in enumerate(made.files):
                if not go_on(number / len(made.files)):
                    raise Cancelled
                _put(desk, files, one.path, one.audio, rate)
            for name, text in made.sfz.items():
                files.writestr(f"{file_name(name)}.sfz", text)
            files.writestr(f"{stem}.mid", made.midi)
            if choice.to_bpm is not None:
                own = document.tempo
                there = Tempo(bpm=choice.to_bpm, beats_per_bar=own.beats_per_bar, beat_unit=own.beat_unit)
                times = at_tempo(slices, rate, len(audio), own, there, begin / rate)
                moved = replayed(audio, rate, slices, times, levels)
                _put(desk, files, f"{stem} at {choice.to_bpm:g} bpm.wav", moved, rate)
            lines = slices_of(desk, standing, choice.source_id).lines
            report = [
                {"file": one.path, "channel": one.channel, "note": one.key, **line.model_dump(mode="json")}
                for one, line in zip(made.files, lines, strict=True)
            ]
            files.writestr("slices.json", json.dumps({"slices": report}, indent=1, ensure_ascii=False))
    except BaseException:
        path.unlink(missing_ok=True)
        raise
    return path


def _put(desk: Desk, files: zipfile.ZipFile, name: str, audio: NDArray[np.float32], rate_hz: int) -> None:
    wave = draft(desk, "wav")
    try:
        write_sample(wave, audio, rate_hz)
        files.write(wave, name)
    finally:
        wave.unlink(missing_ok=True)
