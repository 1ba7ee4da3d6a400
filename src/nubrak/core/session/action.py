"""What every action on a session shares."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

Id = Annotated[str, Field(pattern=r"^[A-Za-z0-9_-]{1,64}$")]


class Action(BaseModel):
    """Nothing that is not named is taken."""

    model_config = ConfigDict(extra="forbid")
