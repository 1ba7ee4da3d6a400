"""The routes of the library: kits, samples that come in, SFZ in and out."""

from __future__ import annotations

import secrets
import zipfile
from pathlib import Path
from typing import Annotated

import numpy as np
import soundfile
from fastapi import APIRouter, Query, Request
from fastapi.responses import FileResponse
from pydantic import BaseModel, Field
from starlette.background import BackgroundTask
from starlette.concurrency import run_in_threadpool

from nubrak.core.gather import AudioFacts
from nubrak.core.layer import as_stereo
from nubrak.core.pieces import file_name, plain_name
from nubrak.core.problem import Problem
from nubrak.core.samples import (
    LONGEST_SAMPLE_S,
    MOST_TEXT,
    STARTER,
    ArrivedSample,
    Instrument,
    Kit,
    arranged,
    attack_of,
    inside,
    instruments_of,
    measure,
    read_sfz,
    write_sfz,
)
from nubrak.store.kits import audio_is_here, change_kit, kit_of, new_kit, remove_kit
from nubrak.web.desk import Desk
from nubrak.web.intake import take_in
from nubrak.web.printing import draft
from nubrak.web.routes import AnyDesk, disposition
from nubrak.web.shapes import ProblemBody

router = APIRouter(prefix="/api", responses={code: {"model": ProblemBody} for code in (403, 404, 409, 422)})


class NewKit(BaseModel):
    """A kit to begin: empty, with these instruments, or as a copy."""

    name: str = Field(default="My kit", min_length=1, max_length=120)
    copy_of: str | None = None
    instruments: list[Instrument] = Field(default=[], max_length=500)


class KitKept(BaseModel):
    """A kit of the library as it stands now."""

    kit_id: str
    kit: Kit


class KitChange(BaseModel):
    """What of a kit is changed; what is not named stays."""

    name: str | None = Field(default=None, min_length=1, max_length=120)
    favourites: list[str] | None = Field(default=None, max_length=500)


class SfzText(BaseModel):
    """An SFZ file that came with its samples."""

    name: str = Field(max_length=4096, description="with the folders it lies in")
    text: str = Field(max_length=MOST_TEXT)


class ToArrange(BaseModel):
    """Sample files that came in together, and the SFZ that speaks of them, if one does."""

    files: list[ArrivedSample] = Field(max_length=5000)
    sfz: SfzText | None = None


class Arranged(BaseModel):
    """What they were taken for; shown before it is kept, and changeable."""

    instruments: list[Instrument]
    skipped: list[str] = Field(description="what was left out, a sentence each")


@router.post("/samples/files", status_code=201)
async def take_sample(
    request: Request, desk: AnyDesk, name: Annotated[str, Query(max_length=4096)] = "unnamed"
) -> ArrivedSample:
    """Take a sample file in and measure it; the request's body is the file, its name may hold the folders it
    lies in.
    """
    audio, facts = await take_in(
        request,
        desk.engine,
        desk.uploads,
        plain_name(name),
        lambda facts: _is_a_sample(plain_name(name), facts),
    )
    return await run_in_threadpool(_arrived, desk, name, audio, facts)


@router.post("/samples/arrange")
def arrange_samples(body: ToArrange, desk: AnyDesk) -> Arranged:
    """Instruments of sample files: by an SFZ where one came with them, else by names and levels."""
    if body.sfz is None:
        return Arranged(instruments=arranged(body.files), skipped=[])
    read = read_sfz(body.sfz.text)
    folder = body.sfz.name.replace("\\", "/").rpartition("/")[0]
    below: dict[str, ArrivedSample] = {}
    for one in body.files:
        path = inside(one.name.replace("\\", "/").removeprefix(f"{folder}/" if folder else ""))
        if path is not None:
            below[path] = one
    rates = {one.audio: AudioFacts.model_validate(desk.facts(one.audio)).rate_hz for one in body.files}
    instruments = instruments_of(read, below, rates)
    if not instruments:
        raise Problem(
            "None of the samples this SFZ file speaks of came with it.",
            "Nothing was kept.",
            "Drop the folder that holds both, or all its files at once.",
        )
    return Arranged(instruments=instruments, skipped=read.skipped)


@router.post("/samples", status_code=201)
async def add_sample(
    request: Request, desk: AnyDesk, name: Annotated[str, Query(max_length=4096)] = "unnamed"
) -> Instrument:
    """Take a file in as an instrument of one sample; its attack is found and put on the hits."""
    return arranged([await take_sample(request, desk, name)])[0]


@router.post("/kits", status_code=201)
def begin_kit(body: NewKit, desk: AnyDesk) -> KitKept:
    """Begin a kit: empty, with instruments, or a copy of another."""
    kit = (
        kit_of(desk.engine, body.copy_of).model_copy(update={"name": body.name})
        if body.copy_of
        else Kit(name=body.name)
    )
    for instrument in body.instruments:
        audio_is_here(desk.engine, instrument)
        kit.instruments[secrets.token_hex(5)] = instrument
    return KitKept(kit_id=new_kit(desk.engine, kit), kit=kit)


@router.patch("/kits/{kit_id}")
def name_kit(kit_id: str, body: KitChange, desk: AnyDesk) -> KitKept:
    """Name a kit, or say which of its sounds are favourites."""
    update = body.model_dump(exclude_none=True)
    return KitKept(
        kit_id=kit_id, kit=change_kit(desk.engine, kit_id, lambda kit: kit.model_copy(update=update))
    )


@router.delete("/kits/{kit_id}", status_code=204)
def delete_kit(kit_id: str, desk: AnyDesk) -> None:
    """Delete a kit. What sessions use of it stays with them."""
    if kit_id == STARTER:
        raise Problem("The starter kit stays in the library.", todo="Copy it, and change the copy.")
    remove_kit(desk.engine, kit_id)


@router.put("/kits/{kit_id}/instruments/{instrument_id}")
def keep_instrument(
    kit_id: str,
    instrument_id: Annotated[str, Field(pattern=r"^[a-z0-9-]{1,32}$")],
    body: Instrument,
    desk: AnyDesk,
) -> KitKept:
    """Put an instrument into a kit, or change one that is there: its name, its strengths, its turns."""
    audio_is_here(desk.engine, body)
    return KitKept(
        kit_id=kit_id,
        kit=change_kit(
            desk.engine,
            kit_id,
            lambda kit: kit.model_copy(update={"instruments": kit.instruments | {instrument_id: body}}),
        ),
    )


@router.delete("/kits/{kit_id}/instruments/{instrument_id}")
def drop_instrument(kit_id: str, instrument_id: str, desk: AnyDesk) -> KitKept:
    """Take an instrument out of a kit."""

    def without(kit: Kit) -> Kit:
        kept = {key: one for key, one in kit.instruments.items() if key != instrument_id}
        return kit.model_copy(
            update={
                "instruments": kept,
                "favourites": [key for key in kit.favourites if key != instrument_id],
            }
        )

    return KitKept(kit_id=kit_id, kit=change_kit(desk.engine, kit_id, without))


@router.get("/kits/{kit_id}/sfz", response_class=FileResponse)
def kit_as_sfz(kit_id: str, desk: AnyDesk) -> FileResponse:
    """A kit as an SFZ file with its samples as WAV, in one zip."""
    kit = kit_of(desk.engine, kit_id)
    path = draft(desk, "zip")
    try:
        _write_sfz(desk, kit, path)
    except BaseException:
        path.unlink(missing_ok=True)
        raise
    return FileResponse(
        path,
        media_type="application/zip",
        headers=disposition(f"{kit.name}.zip"),
        background=BackgroundTask(path.unlink),
    )


def _write_sfz(desk: Desk, kit: Kit, path: Path) -> None:
    paths: dict[str, str] = {}
    rates: dict[str, int] = {}
    for instrument in kit.instruments.values():
        for sample in instrument.samples:
            if sample.audio not in paths:
                stem = file_name(sample.name.rpartition(".")[0] or sample.name or instrument.name)
                paths[sample.audio] = f"samples/{len(paths) + 1:03d} {stem.replace('=', '-')}.wav"
                rates[sample.audio] = AudioFacts.model_validate(desk.facts(sample.audio)).rate_hz
    with zipfile.ZipFile(path, "w", zipfile.ZIP_STORED) as files:
        files.writestr(file_name(f"{kit.name}.sfz"), write_sfz(kit, paths, rates))
        for audio, name in paths.items():
            wave = draft(desk, "wav")
            try:
                soundfile.write(
                    str(wave), desk.cache.decoded(audio), rates[audio], subtype="PCM_24", format="WAV"
                )
                files.write(wave, name)
            finally:
                wave.unlink(missing_ok=True)


def _is_a_sample(name: str, facts: AudioFacts) -> None:
    if facts.length_s > LONGEST_SAMPLE_S:
        raise Problem(
            f"“{name}” lasts {facts.length_s:.0f} s; a sample lasts at most {LONGEST_SAMPLE_S:.0f} s.",
            todo="Drop it in Gather as a recording, or cut it.",
        )
    if facts.peak == 0:
        raise Problem(f"“{name}” is silent.", todo="Choose a file that sounds.")


def _arrived(desk: Desk, name: str, audio: str, facts: AudioFacts) -> ArrivedSample:
    attack_s = attack_of(desk.cache.mono(audio), facts.rate_hz)
    return ArrivedSample(
        audio=audio,
        name=name,
        attack_s=attack_s,
        measured=measure(as_stereo(np.asarray(desk.cache.decoded(audio))), attack_s, facts.rate_hz),
    )
