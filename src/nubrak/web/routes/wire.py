"""What the routes share: the desk of a request, what is said of problems, the headers of files."""

from __future__ import annotations

from typing import Annotated
from urllib.parse import quote

from fastapi import Depends, Request, Response
from pydantic import BaseModel

from nubrak.core.pieces import file_name, titled_file
from nubrak.desk.desk import Desk
from nubrak.desk.standing import Standing
from nubrak.store.sessions import SessionState


def desk_of(request: Request) -> Desk:
    """The desk the application was set up with."""
    desk: Desk = request.app.state.desk
    return desk


AnyDesk = Annotated[Desk, Depends(desk_of)]


def download(standing: Standing, part: str | None, ending: str, about: str = "") -> dict[str, str]:
    """The headers of a file to keep, named for the session."""
    words = [standing.document.part_name(part) if part else "", about]
    return disposition(titled_file(standing.document.name, " - ".join(filter(None, words)), ending))


def disposition(name: str) -> dict[str, str]:
    """The header of a file to keep under a name."""
    name = file_name(name)
    plain = name.encode("ascii", "replace").decode().replace('"', "'").replace("?", "_")
    return {"Content-Disposition": f"attachment; filename=\"{plain}\"; filename*=UTF-8''{quote(name)}"}


def samples(sound: bytes) -> Response:
    """Sound as the desk packed it, which nobody is to keep."""
    return Response(sound, media_type="application/octet-stream", headers={"Cache-Control": "no-store"})


class WalkRequest(BaseModel):
    """Undo or redo, from the revision the window has."""

    revision: int


class ProblemBody(BaseModel):
    """What a person is told; with the session as it stands where somebody else was faster."""

    what: str
    kept: str
    todo: str
    state: SessionState | None = None


# How every route may refuse.
PROBLEMS: dict[int | str, dict[str, object]] = {code: {"model": ProblemBody} for code in (403, 404, 409, 422)}
