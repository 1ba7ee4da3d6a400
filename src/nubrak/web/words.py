"""What is said on web sockets, as part of the description that types and limits of the front end follow from.

OpenAPI knows routes alone; the models of sockets are added beside them (FastAPI, "Extending OpenAPI").
"""

from __future__ import annotations

from typing import Any

from fastapi import FastAPI
from pydantic import BaseModel
from pydantic.json_schema import models_json_schema

from nubrak.desk.live import LiveAsked
from nubrak.desk.recording import PassAsked
from nubrak.web.routes.live import LiveSaid, LiveWord

_SAID: tuple[type[BaseModel], ...] = (LiveAsked, LiveSaid, LiveWord, PassAsked)


def describe_sockets(app: FastAPI) -> None:
    """Let an application's description hold the words of its sockets too."""
    plain = app.openapi

    def described() -> dict[str, Any]:
        out = plain()
        _, words = models_json_schema(
            [(one, "validation") for one in _SAID], ref_template="#/components/schemas/{model}"
        )
        schemas = out["components"]["schemas"]
        out["components"]["schemas"] = dict(sorted((words.get("$defs", {}) | schemas).items()))
        return out

    app.openapi = described  # type: ignore[method-assign]
