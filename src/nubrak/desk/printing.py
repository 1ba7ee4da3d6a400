"""Prints of a session: one file, or many in a zip, with what is to be said of each."""

from __future__ import annotations

import csv
import math
import os
import re
import tempfile
import zipfile
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing
from dataclasses import dataclass, replace
from functools import partial
from io import StringIO
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from nubrak.core.midi import Track, midi_file
from nubrak.core.mix import Bus, Mix, at_master, render, render_recorded, render_source
from nubrak.core.pieces import titled_file
from nubrak.core.prints import (
    ENDING,
    GoOn,
    Print,
    Printed,
    PrintSettings,
    Window,
    measured,
    print_all,
    print_file,
)
from nubrak.core.problem import Problem, disk_is_full
from nubrak.desk.desk import Desk
from nubrak.desk.lists import written_parts
from nubrak.desk.standing import Standing

# As much sound as a window waits for: rendered a few hundred times as fast as it sounds, well under a minute.
_MOST_MEASURED_S = 4 * 3600.0
_ENDING = re.compile(
    r"\.(wav|w64|bwf|aiff?|flac|ogg|mp3)$", re.IGNORECASE
)  # of a file a source is named after


class StemChoice(BaseModel):
    """What is printed."""

    settings: PrintSettings = PrintSettings()
    recordings: bool = Field(default=False, description="every part's recording")
    cleaned: bool = Field(
        default=False, description="every source as it was recorded, and those whose gaps are turned down so"
    )
    layers: bool = Field(default=True, description="every part's layers, together")
    each_layer: bool = Field(default=False, description="every layer by itself")
    microphones: bool = Field(
        default=False, description="every microphone of parts that have several, as it is heard"
    )
    blends: bool = Field(default=False, description="every part as it is blended")
    stages: bool = Field(default=True, description="every part through its stages; sums always are")
    buses: bool = Field(default=False, description="every group, parallel and room by itself")
    sums: bool = Field(default=True, description="all layers, and everything")
    midi: bool = Field(default=True, description="the MIDI of all parts beside them")


class StemLine(BaseModel):
    """What a print says of itself."""

    name: str
    peak_db: float
    over: int = Field(description="samples over full scale, which a file of whole numbers cuts off")
    down_db: float = Field(description="how much it would have to be turned down to fit; 0 where it fits")
    loudness_lkfs: float


class StemReport(BaseModel):
    """What all of them say."""

    lines: list[StemLine]


@dataclass(frozen=True)
class Stem:
    """One of the prints: its name, and which window it is made of."""

    name: str
    window: Window


def stems(desk: Desk, standing: Standing, choice: StemChoice) -> list[Stem]:
    """What a choice comes to, in the order of the parts, sums last."""
    out = list[Stem]()

    def keep(name: str, window: Window) -> None:
        out.append(Stem(name, partial(_at_master, window, standing.document.master_db)))

    def of(name: str, bus: Bus, part_ids: list[str], layer_id: str | None = None) -> None:
        mix = replace(desk.mix(standing, bus, part_ids), staged=choice.stages)
        keep(name, lambda start, frames: render(mix, bus, part_ids, start, frames, layer_id))

    def together(name: str, bus: Bus, bus_id: str | None = None) -> None:
        mix = desk.mix(standing, bus, everything)

        def window(start: int, frames: int) -> NDArray[np.float32]:
            return render(mix, bus, everything, start, frames, bussed=True, bus_id=bus_id)

        keep(name, window)

    parts = [
        (part_id, part)
        for part_id, part in standing.document.ordered_parts()
        if not standing.document.is_aside(part_id)
    ]
    everything = [part_id for part_id, _ in parts]
    if choice.cleaned:
        out += _sources(desk, standing)
    for part_id, part in parts:
        name = standing.names[part_id]
        # Of moments what each piece has of them; of a microphone some strokes were taken out of by hand all.
        own = not standing.document.family(part_id) and part.divided_from is None
        if choice.recordings and part.sources and own:
            of(f"{name} - recording", "recording", [part_id])
        if choice.microphones and len(part.sources) > 1 and own:
            for microphone in _microphones(desk, standing, part_id, choice.stages):
                keep(microphone.name, microphone.window)
        if choice.layers and part.layers:
            of(f"{name} - layers", "layers", [part_id])
        if choice.each_layer:
            for number, (layer_id, layer) in enumerate(part.layers.items(), start=1):
                of(f"{name} - layer {number} {layer.instrument.name}", "layers", [part_id], layer_id)
        if choice.blends and own:
            of(f"{name} - blend", "both", [part_id])
    if choice.buses:
        for bus_id, one in sorted(standing.document.buses.items(), key=lambda item: (item[1].place, item[0])):
            if one.on:
                together(f"{one.name} - {one.kind}", "both", bus_id)
    if choice.sums and any(part.layers for _, part in parts):
        together("All layers", "layers")
    if choice.sums:
        together("Everything", "both")
    if not out:
        raise Problem(
            "Nothing is chosen that could be printed.",
            "Nothing was written.",
            "Choose recordings, layers or sums.",
        )
    return out


def _at_master(window: Window, master_db: float, start: int, frames: int) -> NDArray[np.float32]:
    return at_master(window(start, frames), master_db)


def _microphones(desk: Desk, standing: Standing, part_id: str, staged: bool) -> list[Stem]:
    """Each microphone of a part by itself, at its level, polarity and delay and as the part is blended; those
    that are not heard are left out.
    """
    document, out = standing.document, []
    mix = replace(desk.mix(standing, "recording", [part_id]), staged=staged, key=None)
    part = document.parts[part_id]
    for source_id in part.sources:
        source = document.sources[source_id]
        if source.aside or not source.microphone.on:
            continue
        parts = {**document.parts, part_id: part.model_copy(update={"sources": [source_id]})}
        alone = replace(mix, document=document.model_copy(update={"parts": parts}))
        name = f"{standing.names[part_id]} - {_ENDING.sub('', source.name) or source.name}"
        out.append(Stem(name, partial(_recording_of, alone, part_id)))
    return out


def _recording_of(mix: Mix, part_id: str, start: int, frames: int) -> NDArray[np.float32]:
    return render(mix, "recording", [part_id], start, frames)


def _sources(desk: Desk, standing: Standing) -> list[Stem]:
    """Every source as it was recorded, and beside it, where its gaps are turned down, as that has it."""
    mix, out = desk.mix(standing, "recording", []), []
    for source_id, source in sorted(
        standing.document.sources.items(), key=lambda one: (one[1].place, one[0])
    ):
        if source.aside:
            continue
        name = _ENDING.sub("", source.name) or source.name
        out.append(Stem(f"{name} - as recorded", partial(render_recorded, mix, source_id)))
        if source.cleaning.on:
            out.append(Stem(f"{name} - cleaned", partial(render_source, mix, source_id)))
    if all(stem.name.endswith("as recorded") for stem in out):
        raise Problem(
            "No source has its gaps turned down, so nothing would be cleaned.",
            "Nothing was written.",
            "Turn gaps down in Find first, under Gaps.",
        )
    return out


def check(desk: Desk, standing: Standing, choice: StemChoice) -> None:
    """Raise a ``Problem`` for a choice that could not be printed, before anything is begun."""
    choice.settings.check()
    stems(desk, standing, choice)


def report(desk: Desk, standing: Standing, choice: StemChoice) -> StemReport:
    """What the prints would say, before any is written; a ``Problem`` where that takes longer than anybody
    waits for an answer.
    """
    rate = standing.document.rate_hz
    frames = round(standing.document.length_s * rate)
    found = stems(desk, standing, choice)
    together_s = len(found) * frames / rate
    if together_s > _MOST_MEASURED_S:
        raise Problem(
            f"{len(found)} prints are {together_s / 3600:.1f} hours of sound together; up to "
            f"{_MOST_MEASURED_S / 3600:.0f} are measured beforehand.",
            todo="Choose fewer prints, or print: the report comes with them.",
        )
    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        said = list(pool.map(lambda stem: measured(stem.window, frames, rate, choice.settings), found))
    return StemReport(lines=[_line(stem.name, one) for stem, one in zip(found, said, strict=True)])


def _line(name: str, said: Printed) -> StemLine:
    return StemLine(
        name=name,
        peak_db=round(said.peak_db, 2),
        over=said.over,
        # Up to the next tenth, so that what is said and done is enough.
        down_db=math.ceil(10.0 * said.peak_db) / 10.0 if said.over else 0.0,
        loudness_lkfs=round(said.loudness_lkfs, 1),
    )


def printed(
    desk: Desk,
    standing: Standing,
    bus: Bus,
    part_ids: list[str],
    settings: PrintSettings,
    bussed: bool = False,
) -> Path:
    """One bus of some parts as a file of its own; ``bussed`` through groups, parallels and rooms."""
    document = standing.document
    path = draft(desk, ENDING[settings.form])
    print_file(
        path,
        lambda start, frames: desk.window(
            standing, bus, part_ids, start, frames, bussed=bussed, mastered=True
        ),
        round(document.length_s * document.rate_hz),
        document.rate_hz,
        settings,
        document.origin_s or 0.0,
        document.name,
    )
    return path


def bundle(
    desk: Desk, standing: Standing, choice: StemChoice, go_on: GoOn | None = None
) -> tuple[Path, StemReport]:
    """All chosen prints, the MIDI and a report in one zip, and what the prints say; on any error nothing of
    it stays.
    """
    document, settings = standing.document, choice.settings
    ending = ENDING[settings.form]
    prints = [Print(draft(desk, ending), stem.window, stem.name) for stem in stems(desk, standing, choice)]
    path = draft(desk, "zip")
    try:
        lines, names = [], set[str]()
        frames = round(document.length_s * document.rate_hz)
        # Closed at once where anything goes wrong, so that no print goes on that nobody waits for.
        with (
            closing(
                print_all(prints, frames, document.rate_hz, settings, document.origin_s or 0.0, go_on)
            ) as finished,
            zipfile.ZipFile(path, "w", zipfile.ZIP_STORED) as files,
        ):
            for made, said in finished:
                try:
                    files.write(made.path, _not_yet(names, titled_file(document.name, made.title, ending)))
                finally:
                    made.path.unlink(missing_ok=True)
                lines.append(_line(made.title, said))
            if choice.midi:
                tracks = [
                    Track(standing.names[part_id], standing.notes(part_id))
                    for part_id in written_parts(standing, standing.chosen(None))
                ]
                files.writestr(titled_file(document.name, "", "mid"), midi_file(tracks, document.tempo))
            files.writestr("report.csv", _as_table(lines))
    except BaseException as error:
        full = disk_is_full(error, path.parent)
        path.unlink(missing_ok=True)
        for made in prints:
            made.path.unlink(missing_ok=True)
        if full:
            raise Problem(
                "The disk is full; the prints could not be finished.",
                "The session is as it was, and no half file was left.",
                "Make room and print again.",
                "full",
            ) from error
        raise
    return path, StemReport(lines=lines)


def _not_yet(names: set[str], name: str) -> str:
    """A name that no file of this zip has yet, in any case of letters; it has it from now on."""
    stem, _, ending = name.rpartition(".")
    number = 2
    while name.lower() in names:
        name = f"{stem} ({number}).{ending}"
        number += 1
    names.add(name.lower())
    return name


def draft(desk: Desk, ending: str) -> Path:
    """A new empty file under a passing name."""
    with tempfile.NamedTemporaryFile(dir=desk.uploads, suffix=f".{ending}", delete=False) as made:
        return Path(made.name)


def _as_table(lines: list[StemLine]) -> str:
    out = StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(("name", "peak_dbfs", "samples_over_full_scale", "loudness_lkfs"))
    writer.writerows((line.name, line.peak_db, line.over, line.loudness_lkfs) for line in lines)
    return out.getvalue()
