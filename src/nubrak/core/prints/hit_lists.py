"""Hits as open tables and annotations: CSV (RFC 4180), JSON, and JAMS (Humphrey et al., "JAMS: a JSON
annotated music specification for reproducible MIR research", ISMIR 2014), and back in.
"""

from __future__ import annotations

import csv
import json
from io import StringIO
from itertools import islice
from typing import Any

from pydantic import BaseModel, Field, ValidationError

from nubrak.core.names import Name
from nubrak.core.pieces import PIECES, PieceId
from nubrak.core.problem import Problem
from nubrak.core.time_line import TimeLineS

COLUMNS = ("part", "piece", "time_s", "note_time_s", "velocity", "note", "strength_db", "doubt")
MOST_LIST_BYTES = 32_000_000  # of the longest list with all that JAMS says of each hit
_MOST_HITS = 200_000  # a day of eighth notes
_LONGEST_NAME = 80  # of a part
_JAMS_VERSION = "0.3.4"
_JAMS_NAMESPACE = "note_midi"


class HitLine(BaseModel):
    """One hit as it is handed on."""

    part: Name = Field(max_length=200)
    piece: PieceId = Field(max_length=40)
    time_s: TimeLineS = Field(description="when it was struck")
    note_time_s: TimeLineS = Field(description="when its note sounds")
    velocity: int = Field(ge=1, le=127)
    note: int = Field(ge=0, le=127)
    strength_db: float | None = Field(
        default=None, description="in dBFS; empty for a note beside the recorded ones"
    )
    doubt: float | None = Field(default=None, ge=0, le=1)


def to_csv(lines: list[HitLine]) -> str:
    """Hits as a CSV table with a head line."""
    out = StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(COLUMNS)
    for line in lines:
        values = line.model_dump()
        writer.writerow(["" if values[name] is None else values[name] for name in COLUMNS])
    return out.getvalue()


def to_json(lines: list[HitLine], title: str, length_s: float) -> str:
    """Hits as JSON."""
    return json.dumps(
        {"title": title, "length_s": length_s, "hits": [line.model_dump() for line in lines]},
        ensure_ascii=False,
        indent=1,
    )


def to_jams(lines: list[HitLine], title: str, length_s: float) -> str:
    """Hits as a JAMS file: one ``note_midi`` annotation per part, each note with its velocity as its own
    field of the sandbox.
    """
    parts: dict[tuple[str, str], list[HitLine]] = {}
    for line in lines:
        parts.setdefault((line.part, line.piece), []).append(line)
    annotations = []
    for (part, piece), hits in parts.items():
        annotations.append(
            {
                "annotation_metadata": {
                    "curator": {"name": "", "email": ""},
                    "annotator": {},
                    "version": "1",
                    "corpus": "",
                    "annotation_tools": "Nubrak",
                    "annotation_rules": "attacks of strokes",
                    "validation": "",
                    "data_source": "program, corrected by hand",
                },
                "namespace": _JAMS_NAMESPACE,
                "time": 0,
                "duration": length_s,
                "sandbox": {
                    "part": part,
                    "piece": piece,
                    "hits": [hit.model_dump(exclude={"part", "piece"}) for hit in hits],
                },
                "data": [
                    {
                        "time": hit.time_s,
                        "duration": 0.0,
                        "value": float(hit.note),
                        "confidence": None if hit.doubt is None else round(1 - hit.doubt, 4),
                    }
                    for hit in hits
                ],
            }
        )
    meta = {
        "title": title,
        "artist": "",
        "release": "",
        "duration": length_s,
        "identifiers": {},
        "jams_version": _JAMS_VERSION,
    }
    return json.dumps(
        {"annotations": annotations, "file_metadata": meta, "sandbox": {}}, ensure_ascii=False, indent=1
    )


def read_hits(text: str) -> list[HitLine]:
    """Hits from any of the three. Raises ``Problem`` that says what does not fit, and where."""
    if len(text) > MOST_LIST_BYTES:
        raise _too_many()
    text = text.lstrip("\ufeff")
    if text.lstrip().startswith("{"):
        try:
            found = json.loads(text)
        except (ValueError, RecursionError) as error:
            # Also a number of more digits than Python reads.
            raise Problem(
                f"This JSON is damaged ({error}).", "Nothing was changed.", "Export it once more."
            ) from error
        rows = _from_jams(found) if "annotations" in found else found.get("hits")
        if not isinstance(rows, list):
            raise Problem(
                "This JSON holds no list of hits.",
                "Nothing was changed.",
                "Use a file as Nubrak writes it, or a JAMS file with notes.",
            )
        return _lines(rows, "Hit")
    try:
        table = list(islice(csv.DictReader(StringIO(text), strict=True), _MOST_HITS + 1))
    except csv.Error as error:
        raise Problem(
            f"This table is damaged ({error}).", "Nothing was changed.", "Export it once more."
        ) from error
    if not table or "time_s" not in table[0]:
        raise Problem(
            "This is no table of hits: no column is called time_s.",
            "Nothing was changed.",
            f"Its columns are {', '.join(COLUMNS)}.",
        )
    return _lines(
        [
            {name: value for name, value in row.items() if name in COLUMNS and value not in ("", None)}
            for row in table
        ],
        "Line",
    )


def _too_many() -> Problem:
    return Problem(
        f"This list has more than {_MOST_HITS} hits or {MOST_LIST_BYTES / 1e6:.0f} MB.",
        "Nothing was changed.",
        "Cut it into shorter ones.",
    )


def _from_jams(found: dict[str, Any]) -> list[dict[str, Any]]:
    rows: list[dict[str, Any]] = []
    for number, annotation in enumerate(
        found["annotations"] if isinstance(found["annotations"], list) else [], start=1
    ):
        if not isinstance(annotation, dict) or annotation.get("namespace") not in (_JAMS_NAMESPACE, "onset"):
            continue
        sandbox = annotation.get("sandbox")
        sandbox = sandbox if isinstance(sandbox, dict) else {}
        own = sandbox.get("hits")
        about = {
            "part": str(sandbox.get("part", f"Part {number}")),
            "piece": str(sandbox.get("piece", "else")),
        }
        if isinstance(own, list):
            rows += [about | hit for hit in own if isinstance(hit, dict)]
            continue
        data = annotation.get("data")
        for one in data if isinstance(data, list) else []:
            if not isinstance(one, dict):
                continue
            value = one.get("value")
            # What is no note number is said by the line's own model.
            pitch: float = value if isinstance(value, int | float) and abs(value) < 1e6 else 37
            note = round(pitch) if annotation["namespace"] == _JAMS_NAMESPACE else 37
            rows.append(
                about
                | {"time_s": one.get("time"), "note_time_s": one.get("time"), "velocity": 100, "note": note}
            )
    return rows


def _lines(rows: list[Any], called: str) -> list[HitLine]:
    if len(rows) > _MOST_HITS:
        raise _too_many()
    lines = []
    for number, row in enumerate(rows, start=1):
        values = dict(row) if isinstance(row, dict) else {}
        values.setdefault("part", "Imported")
        values.setdefault("piece", "else")
        if isinstance(piece := values["piece"], str) and piece not in PIECES:
            # Others call pieces what they like; the name stays with the hits.
            values |= {"piece": "else", "part": piece[:_LONGEST_NAME] or "Imported"}
        values.setdefault("note_time_s", values.get("time_s"))
        values.setdefault("velocity", 100)
        values.setdefault("note", 37)
        try:
            lines.append(HitLine.model_validate(values))
        except ValidationError as error:
            first = error.errors()[0]
            raise Problem(
                f"{called} {number}: {'.'.join(map(str, first['loc']))}: {first['msg']}.",
                "Nothing was changed.",
            ) from error
    return lines
