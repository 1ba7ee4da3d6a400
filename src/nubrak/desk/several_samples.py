"""Several sample files in one request: a folder of two thousand is two hundred requests then."""

from __future__ import annotations

from os import SEEK_CUR
from pathlib import Path
from typing import BinaryIO

from pydantic import BaseModel, Field, TypeAdapter, ValidationError

from nubrak.core.names import Name
from nubrak.core.problem import Problem
from nubrak.core.samples import ArrivedSample
from nubrak.desk.desk import Desk
from nubrak.desk.printing import draft
from nubrak.desk.samples import MOST_SAMPLE_BYTES, take_sample_file

_LONGEST_HEAD = 1 << 20  # bytes: a thousand of the longest names
_MOST_FILES = 500


class FileHead(BaseModel):
    """A file of several: what it is called, with the folders it lies in, and how long it is."""

    name: Name = Field(max_length=4096)
    size: int = Field(ge=0, description="in bytes")


class Several(BaseModel):
    """What came of several files."""

    arrived: list[ArrivedSample]
    refused: list[str] = Field(description="what could not be taken, a sentence each")


_HEADS = TypeAdapter(list[FileHead])


def take_several(desk: Desk, path: Path) -> Several:
    """The files of a body, measured and stored: a line of JSON, which is a list of ``FileHead``, and then the
    files. One that is no sample is named, and the others come in. A ``Problem`` where the body is none.
    """
    out = Several(arrived=[], refused=[])
    with path.open("rb") as body:
        heads = _heads(body)
        if len(heads) > _MOST_FILES:
            raise Problem(f"More than {_MOST_FILES} files came at once.", "Nothing was kept.")
        for head in heads:
            one = draft(desk, "upload")
            try:
                if head.size > MOST_SAMPLE_BYTES:
                    body.seek(head.size, SEEK_CUR)
                    raise Problem(f"“{head.name}” is larger than any sample.")
                data = body.read(head.size)
                if len(data) < head.size:
                    raise Problem(
                        f"The upload of “{head.name}” was cut off.", todo="Drop the file once more."
                    )
                one.write_bytes(data)
                out.arrived.append(take_sample_file(desk, one, head.name))
            except Problem as problem:
                out.refused.append(f"{problem.what} {problem.todo}".strip())
            finally:
                one.unlink(missing_ok=True)
    return out


def _heads(body: BinaryIO) -> list[FileHead]:
    try:
        return _HEADS.validate_json(body.readline(_LONGEST_HEAD))
    except ValidationError as error:
        raise Problem(
            "These files did not come with their names.", "Nothing was kept.", "Drop them once more."
        ) from error
