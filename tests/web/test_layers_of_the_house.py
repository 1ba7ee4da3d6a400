"""Core imports nothing of the rest, store nothing of work's users and web: the house rule, read off the
sources.
"""

from __future__ import annotations

import ast
from pathlib import Path

import pytest

import nubrak

HOUSE = Path(nubrak.__file__).parent
ALLOWED = {
    "core": {"core"},
    "store": {"core", "store", "work"},
    "work": {"core", "store", "work"},
    "web": {"core", "store", "work", "web"},
    "demo": {"core", "store", "work", "demo"},
}


@pytest.mark.parametrize("floor", ALLOWED)
def test_each_floor_of_the_house_leans_only_on_those_below(floor: str) -> None:
    for path in (HOUSE / floor).rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            names = (
                [node.module]
                if isinstance(node, ast.ImportFrom) and node.module
                else [a.name for a in node.names]
                if isinstance(node, ast.Import)
                else []
            )
            for name in names:
                words = name.split(".")
                if words[0] == "nubrak" and len(words) > 1:
                    assert words[1] in ALLOWED[floor], f"{path.name} imports {name}"
                if floor == "core":
                    assert words[0] not in {
                        "sqlalchemy",
                        "fastapi",
                        "psycopg",
                        "procrastinate",
                        "time",
                        "datetime",
                    }, f"{path.name} imports {name}"
