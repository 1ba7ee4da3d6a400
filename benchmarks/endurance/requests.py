"""Requests made up from the schema that the server itself gives: whatever is asked, the answer is a sentence.

A fault is an answer of 500 and more, an exception, or a refusal that does not say what happened.
"""

from __future__ import annotations

import time
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, Protocol

import httpx
import schemathesis
from hypothesis import HealthCheck, Phase, Verbosity, given, seed, settings
from hypothesis import strategies as st

# Open for as long as a window is, or the end of what all others ask for.
_LEFT_OUT = {("get", "/api/sessions/{session_id}/events"), ("delete", "/api/sessions/{session_id}")}


class Client(Protocol):
    """What asks: an ``httpx.Client``, or starlette's test client."""

    def request(self, method: str, url: str, **more: Any) -> Any: ...


@dataclass
class Tried:
    """What was asked, how it was answered, and what must not have been."""

    requests: int = 0
    answers: Counter[int] = field(default_factory=Counter)
    faults: list[str] = field(default_factory=list)
    slowest_s: tuple[float, str] = (0.0, "")


def exercise(
    client: Client,
    schema: dict[str, Any],
    known: dict[str, str],
    examples: int,
    seeded: int,
    until_s: float | None = None,
) -> Tried:
    """Every operation of a schema (OpenAPI) with some made-up requests each, the same ones for the same
    seed; ``known`` are ids of what is there, by parameter, so that most get past the door. Stops at
    ``until_s`` of the monotonic clock.
    """
    out = Tried()
    for found in schemathesis.openapi.from_dict(schema).get_all_operations():
        operation = found.ok()
        if (operation.method.lower(), operation.path) in _LEFT_OUT:
            continue
        if until_s is not None and time.monotonic() > until_s:
            break

        @seed(seeded)
        @settings(
            max_examples=examples,
            deadline=None,
            database=None,
            suppress_health_check=list(HealthCheck),
            phases=[Phase.generate],
            verbosity=Verbosity.quiet,
        )
        @given(case=operation.as_strategy(), there=st.booleans(), current=st.booleans())
        def ask(case: schemathesis.Case, there: bool, current: bool) -> None:
            _ask(client, case, known, out, there, current)

        ask()
    return out


def _ask(
    client: Client, case: schemathesis.Case, known: dict[str, str], out: Tried, there: bool, current: bool
) -> None:
    if there:
        case.path_parameters = {
            name: known.get(name, value) for name, value in (case.path_parameters or {}).items()
        }
    if current and isinstance(case.body, dict) and "revision" in case.body:
        state = client.request("GET", f"/api/sessions/{known['session_id']}").json()
        case.body = case.body | {"revision": state["revision"]}
    asked = case.as_transport_kwargs(base_url="http://127.0.0.1")
    about = f"{case.operation.method.upper()} {case.operation.path}"
    sent = {
        name: asked[name] for name in ("params", "json", "data", "content") if asked.get(name) is not None
    }
    headers = {name: value for name, value in asked["headers"].items() if name.lower() == "content-type"}
    begin = time.monotonic()
    try:
        path = case.formatted_path
        answer = client.request(case.operation.method.upper(), path, headers=headers, **sent)
    except httpx.TimeoutException:
        out.requests += 1
        out.faults.append(f"{about}: no answer in time ({case.as_curl_command()[:400]})")
        return
    except (UnicodeError, ValueError, httpx.InvalidURL) as error:
        if isinstance(error, httpx.InvalidURL) or "ascii" in str(error) or "Invalid" in str(error):
            return  # what the client itself cannot send
        raise
    out.slowest_s = max(out.slowest_s, (time.monotonic() - begin, about))
    out.requests += 1
    out.answers[answer.status_code] += 1
    if answer.status_code >= 500 or (answer.status_code >= 400 and "what" not in answer.text):
        out.faults.append(
            f"{about}: {answer.status_code} {answer.text[:120]} ({case.as_curl_command()[:400]})"
        )


def known_of(client: Client) -> dict[str, str]:
    """Ids of what is there: of a session with a source, or of a new one."""
    lines = [line for line in client.request("GET", "/api/sessions").json() if line["sources"]]
    with_parts = (client.request("GET", f"/api/sessions/{line['id']}").json() for line in lines)
    for state in with_parts:
        document = state.get("document", {})
        if document.get("parts") and document.get("sources"):
            clip = next(iter(document["sources"].values()))["clips"][0]
            return {
                "session_id": state["id"],
                "part_id": next(iter(document["parts"])),
                "source_id": next(iter(document["sources"])),
                "audio": clip["audio"],
                "kit_id": client.request("POST", "/api/kits", json={}).json()["kit_id"],
            }
    return {"session_id": client.request("POST", "/api/sessions", json={}).json()["id"]}


def in_rounds(
    client: Client, schema: dict[str, Any], known: Callable[[], dict[str, str]], seconds: float
) -> Tried:
    """Rounds with ever other seeds until the time is up."""
    until_s, out, number = time.monotonic() + seconds, Tried(), 0
    while time.monotonic() < until_s:
        one = exercise(client, schema, known(), 20, number, until_s)
        out.requests += one.requests
        out.answers += one.answers
        out.faults += one.faults
        out.slowest_s = max(out.slowest_s, one.slowest_s)
        number += 1
    return out
