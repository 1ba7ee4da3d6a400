"""The library: pieces, materials, kits, samples that come in, SFZ in and out."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Request
from fastapi.responses import FileResponse
from pydantic import BaseModel, Field
from starlette.background import BackgroundTask
from starlette.concurrency import run_in_threadpool

from nubrak.core.names import Name
from nubrak.core.pieces import ARTICULATIONS, MATERIALS, PIECES, Articulation, Material, Piece, plain_name
from nubrak.core.problem import Problem
from nubrak.core.samples import MOST_INSTRUMENTS, SHIPPED, ArrivedSample, Instrument, Kit, arranged
from nubrak.desk.kit_zip import arranged_zip
from nubrak.desk.printing import draft
from nubrak.desk.samples import Arranged, ToArrange, arrange, packed_kit, take_sample_file
from nubrak.desk.several_samples import Several, take_several
from nubrak.store.kits import (
    all_kits,
    audio_is_here,
    change_kit,
    kit_of,
    new_kit,
    remove_kit,
    with_instruments,
)
from nubrak.web.intake import received
from nubrak.web.routes.wire import PROBLEMS, AnyDesk, disposition

router = APIRouter(prefix="/api", responses=PROBLEMS)


class Library(BaseModel):
    """Everything that can be chosen from."""

    pieces: list[Piece]
    articulations: dict[str, list[Articulation]] = Field(
        description="how pieces are struck, by piece; the plain way first"
    )
    materials: list[Material]
    kits: dict[str, Kit]


@router.get("/library")
def library(desk: AnyDesk) -> Library:
    """Pieces and kits to choose from."""
    return Library(
        pieces=list(PIECES.values()),
        articulations={piece: list(ways) for piece, ways in ARTICULATIONS.items()},
        materials=list(MATERIALS.values()),
        kits=all_kits(desk.engine),
    )


class NewKit(BaseModel):
    """A kit to begin: empty, with these instruments, or as a copy."""

    name: Name = Field(default="My kit", min_length=1, max_length=120)
    copy_of: str | None = None
    instruments: list[Instrument] = Field(default=[], max_length=MOST_INSTRUMENTS)


class NewInstruments(BaseModel):
    """Instruments for a kit that is there."""

    instruments: list[Instrument] = Field(min_length=1, max_length=MOST_INSTRUMENTS)


class KitKept(BaseModel):
    """A kit of the library as it stands now."""

    kit_id: str
    kit: Kit


class KitChange(BaseModel):
    """What of a kit is changed; what is not named stays."""

    name: Name | None = Field(default=None, min_length=1, max_length=120)
    favourites: list[str] | None = Field(default=None, max_length=MOST_INSTRUMENTS)


@router.post("/samples/files", status_code=201)
async def take_sample(
    request: Request, desk: AnyDesk, name: Annotated[str, Query(max_length=4096)] = "unnamed"
) -> ArrivedSample:
    """Take a sample file in and measure it; the request's body is the file, its name may hold the folders it
    lies in.
    """
    path = await run_in_threadpool(draft, desk, "upload")
    try:
        await received(request, path, plain_name(name))
        return await run_in_threadpool(take_sample_file, desk, path, name)
    finally:
        await run_in_threadpool(path.unlink, missing_ok=True)


@router.post("/samples/several", status_code=201)
async def take_samples(request: Request, desk: AnyDesk) -> Several:
    """Take sample files in and measure them. The request's body is a line of JSON, a list of their names and
    sizes in bytes, and then the files one behind the other.
    """
    path = await run_in_threadpool(draft, desk, "upload")
    try:
        await received(request, path, "samples")
        return await run_in_threadpool(take_several, desk, path)
    finally:
        await run_in_threadpool(path.unlink, missing_ok=True)


@router.post("/samples/arrange")
def arrange_samples(body: ToArrange, desk: AnyDesk) -> Arranged:
    """Instruments of sample files: by an SFZ where one came with them, else by names and levels."""
    return arrange(desk, body)


@router.post("/samples/zip", status_code=201)
async def take_zip(
    request: Request, desk: AnyDesk, name: Annotated[str, Query(max_length=4096)] = "kit.zip"
) -> Arranged:
    """Take a zip of samples in, with the SFZ that speaks of them where one is in it; the request's body is
    the file.
    """
    plain = plain_name(name)
    path = await run_in_threadpool(draft, desk, "zip")
    try:
        await received(request, path, plain)
        return await run_in_threadpool(arranged_zip, desk, path, plain)
    finally:
        await run_in_threadpool(path.unlink, missing_ok=True)


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
    audio_is_here(desk.engine, body.instruments)
    kit = with_instruments(kit, body.instruments)
    return KitKept(kit_id=new_kit(desk.engine, kit), kit=kit)


@router.post("/kits/{kit_id}/instruments", status_code=201)
def add_instruments(kit_id: str, body: NewInstruments, desk: AnyDesk) -> KitKept:
    """Put instruments into a kit, beside those that are there: all of them or none."""
    audio_is_here(desk.engine, body.instruments)
    kit = change_kit(desk.engine, kit_id, lambda kit: with_instruments(kit, body.instruments))
    return KitKept(kit_id=kit_id, kit=kit)


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
    if kit_id in SHIPPED:
        raise Problem(
            "The kits that come with Nubrak stay in the library.", todo="Copy it, and change the copy."
        )
    remove_kit(desk.engine, kit_id)


@router.put("/kits/{kit_id}/instruments/{instrument_id}")
def keep_instrument(
    kit_id: str,
    instrument_id: Annotated[str, Field(pattern=r"^[a-z0-9-]{1,32}$")],
    body: Instrument,
    desk: AnyDesk,
) -> KitKept:
    """Put an instrument into a kit, or change one that is there: its name, its strengths, its turns."""
    audio_is_here(desk.engine, [body])
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
    path = packed_kit(desk, kit)
    named = disposition(f"{kit.name}.zip")
    return FileResponse(
        path, media_type="application/zip", headers=named, background=BackgroundTask(path.unlink)
    )
