"""A source cut into slices: where they lie, and all of them as files."""

from __future__ import annotations

import json
import secrets
import zipfile
from pathlib import Path
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from nubrak.core.layer import as_stereo
from nubrak.core.names import Name
from nubrak.core.pieces import PieceId, file_name
from nubrak.core.prints import Cancelled, GoOn, print_slices, write_sample
from nubrak.core.problem import Problem
from nubrak.core.samples import (
    NEAREST_S,
    CutMark,
    CutSettings,
    Slice,
    at_tempo,
    cut,
    grid_cuts_s,
    levels_db,
    replayed,
    slice_audio,
    snapped,
)
from nubrak.core.session import MarkCuts
from nubrak.core.signal import db_to_gain
from nubrak.core.tempo import Tempo
from nubrak.core.time_line import TimeLineS
from nubrak.desk.desk import Desk
from nubrak.desk.printing import draft
from nubrak.desk.standing import Standing
from nubrak.store.sessions import SessionState

_STRUCK_WITH_S = 0.015  # of a slice's attack
_NOTHING_STRUCK = "else"
_MOST_HEARD_S = 20.0  # of one slice


class SliceLine(BaseModel):
    """One slice: where it lies on the session's time line, and what is struck where it begins."""

    start_s: float
    attack_s: float
    end_s: float
    found_s: float = Field(
        description="where its cut was found, from the source's beginning: what a mark of it names"
    )
    struck: str
    piece: PieceId = Field(description="of what is struck there the first; else where nothing is")
    fade_in_ms: float
    fade_out_ms: float | None = Field(description="empty: while the next fades in")
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
    begin, _, slices, names, pieces = cut_source(desk, standing, source_id, settings)
    source, rate = standing.document.source(source_id), standing.document.rate_hz
    lines = [
        SliceLine(
            start_s=round((begin + one.start) / rate, 6),
            attack_s=round((begin + one.attack) / rate, 6),
            end_s=round((begin + one.end) / rate, 6),
            found_s=round(one.found_s, 6),
            struck=name,
            piece=piece,
            fade_in_ms=round(1000 * one.fade_in / rate, 3),
            fade_out_ms=None if one.fade_out is None else round(1000 * one.fade_out / rate, 3),
            by_hand=one.by_hand,
        )
        for one, name, piece in zip(slices, names, pieces, strict=True)
    ]
    return Slices(source_id=source_id, name=source.name, settings=settings or source.cut, lines=lines)


def cut_source(
    desk: Desk, standing: Standing, source_id: str, settings: CutSettings | None = None
) -> tuple[int, NDArray[np.float32], list[Slice], list[str], list[str]]:
    """The sample at which a source begins, its audio, its slices, what is struck at each in words, and
    the first piece of that.
    """
    document, rate = standing.document, standing.document.rate_hz
    source = document.source(source_id)
    chosen = settings or source.cut
    begin, audio = desk.audio.placed(source, rate, document.mends)
    begin_s, length_s = begin / rate, len(audio) / rate
    playing = {
        standing.names[key].lower(): (part.piece, (standing.struck(key) - begin) / rate)
        for key, part in document.ordered_parts()
        if source_id in part.sources and document.is_noted(key)
    }
    struck = {name: times for name, (_, times) in playing.items()}
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
    names, pieces = [], []
    for one in slices:
        at_s = one.attack / rate
        with_it = [name for name, t in struck.items() if len(t) and np.abs(t - at_s).min() <= _STRUCK_WITH_S]
        names.append(" ".join(with_it))
        pieces.append(playing[with_it[0]][0] if with_it else _NOTHING_STRUCK)
    return begin, audio, slices, names, pieces


class MoveCut(BaseModel):
    """One cut put elsewhere, or a new one: to a place on the time line, or by so much from where it is. It
    goes to the attack or the zero crossing that is near where it is let go, unless it is to stay exactly.
    """

    revision: int
    found_s: float | None = Field(
        default=None, ge=0, description="the cut, where it was found; empty: a new one"
    )
    to_s: TimeLineS | None = None
    by_ms: float = Field(default=0, ge=-10_000, le=10_000)
    snap: bool = True


def move_cut(desk: Desk, session_id: str, source_id: str, move: MoveCut) -> SessionState:
    """Put a cut elsewhere, or make a new one."""
    standing = desk.standing(session_id)
    rate = standing.document.rate_hz
    begin, audio, slices, _, _ = cut_source(desk, standing, source_id)
    now = next((one for one in slices if move.found_s is not None and _is(one, move.found_s)), None)
    if move.found_s is not None and now is None:
        raise Problem("This cut is not there any more.", todo="Choose another.", kind="missing")
    if now is not None and now.start == 0:
        raise Problem("The first slice begins where the source does.", todo="Move the cut after it.")
    if now is None and move.to_s is None:
        raise Problem("No place for a new cut was named.", todo="Put the line where it shall be.")
    if move.to_s is not None:
        to_s = move.to_s - begin / rate
    else:
        assert now is not None
        to_s = now.start / rate + move.by_ms / 1000
    if move.snap and move.to_s is not None:
        document = standing.document
        feeding = [key for key, one in document.parts.items() if source_id in one.sources]
        noted = [standing.struck(key) for key in feeding if document.is_noted(key)]
        attacks = np.sort(np.concatenate([np.zeros(0), *noted])) / rate - begin / rate
        lead_ms = standing.document.source(source_id).cut.lead_ms
        to_s = snapped(audio.mean(axis=1), rate, to_s, attacks, lead_ms)
    to_s = float(np.clip(to_s, 0.0, max(len(audio) - 1, 0) / rate))
    beside = [one for one in slices if one is not now and one.start > 0]
    if any(abs(one.start / rate - to_s) < NEAREST_S for one in beside):
        raise Problem(
            f"Another cut is nearer than {1000 * NEAREST_S:g} ms.",
            "The cuts stay as they were.",
            "Take the other out first, or go on past it.",
        )
    found_s = to_s if now is None else now.found_s
    kind: Literal["keep", "add"] = "add" if now is None else "keep"
    mark = CutMark(found_s=found_s, kind=kind, time_s=None if now is None else to_s)
    action = MarkCuts(kind="mark_cuts", source_id=source_id, marks={secrets.token_hex(6): mark})
    return desk.sessions.edit(session_id, move.revision, action)


def _is(one: Slice, found_s: float) -> bool:
    return abs(one.found_s - found_s) <= 1e-4


def slice_sound(desk: Desk, standing: Standing, source_id: str, number: int) -> NDArray[np.float32]:
    """One slice as it is printed, (frames, 2), the first is 0; a ``Problem`` where there is none."""
    _, audio, slices, _, _ = cut_source(desk, standing, source_id)
    if not 0 <= number < len(slices):
        raise Problem("This slice is not there any more.", todo="Choose another.", kind="missing")
    sound = slice_audio(audio, slices[number])
    if standing.document.source(source_id).cut.matched:
        levels = levels_db(audio, standing.document.rate_hz, slices)
        sound = sound * np.float32(db_to_gain(float(levels[number])))
    return as_stereo(sound[: round(_MOST_HEARD_S * standing.document.rate_hz)])


def write_slices(desk: Desk, standing: Standing, choice: SlicesChoice, go_on: GoOn) -> Path:
    """All slices of a source as WAV, with SFZ, the MIDI that replays them and ``slices.json``, in one
    zip; on any error nothing of it stays.
    """
    document, rate = standing.document, standing.document.rate_hz
    source = document.source(choice.source_id)
    begin, audio, slices, names, _ = cut_source(desk, standing, choice.source_id)
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
