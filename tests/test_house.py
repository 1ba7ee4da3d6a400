"""The rules of the house, read off the sources: who leans on whom; packages are entered by their door."""

from __future__ import annotations

import ast
from collections.abc import Iterator
from pathlib import Path

import pytest

import nubrak

HOUSE = Path(nubrak.__file__).parent
CORE = HOUSE / "core"
FLOORS = {
    "core": {"core"},
    "store": {"core", "store"},
    "work": {"core", "store", "work"},
    "desk": {"core", "store", "work", "desk"},
    "web": {"core", "store", "work", "desk", "web"},
    "demo": {"core", "store", "work", "desk", "demo"},
}
# Each package of core leans on those before it only.
ORDER = [
    "problem", "controls", "names", "time_line", "signal", "pieces", "tempo", "find", "spill", "decide",
    "sort", "shape", "samples", "layer", "midi", "mix", "session", "gather", "prints", "live", "flow",
    "together",
]  # fmt: skip
OUTSIDE_CORE = {
    "sqlalchemy",
    "fastapi",
    "starlette",
    "psycopg",
    "procrastinate",
    "time",
    "datetime",
    "random",
}
WEB_ONLY = {"fastapi", "starlette", "uvicorn", "sse_starlette"}


def imports_of(path: Path) -> Iterator[str]:
    """The full name of every module that a file imports, wherever in it."""
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.ImportFrom) and node.module:
            yield node.module
        elif isinstance(node, ast.Import):
            yield from (alias.name for alias in node.names)


def files_of(folder: Path) -> list[Path]:
    found = sorted(folder.rglob("*.py"))
    assert found, f"nothing is in {folder}"
    return found


@pytest.mark.parametrize("floor", FLOORS)
def test_each_floor_leans_only_on_those_below(floor: str) -> None:
    for path in files_of(HOUSE / floor):
        for name in imports_of(path):
            words = name.split(".")
            if words[0] == "nubrak" and len(words) > 1:
                assert words[1] in FLOORS[floor], f"{path.relative_to(HOUSE)} imports {name}"


def test_core_knows_no_web_store_or_clock() -> None:
    for path in files_of(CORE):
        strange = {name.split(".")[0] for name in imports_of(path)} & OUTSIDE_CORE
        assert not strange, f"{path.relative_to(HOUSE)} imports {strange}"


@pytest.mark.parametrize("floor", ["core", "store", "work", "desk"])
def test_nothing_under_web_knows_the_web(floor: str) -> None:
    for path in files_of(HOUSE / floor):
        assert not {name.split(".")[0] for name in imports_of(path)} & WEB_ONLY, path.relative_to(HOUSE)


def test_web_computes_nothing() -> None:
    for path in files_of(HOUSE / "web"):
        names = {name.split(".")[0] for name in imports_of(path)}
        assert not names & {"numpy", "scipy", "soundfile", "sqlalchemy"}, path.relative_to(HOUSE)


def test_packages_of_core_lean_in_one_direction() -> None:
    for path in files_of(CORE):
        mine = path.relative_to(CORE).parts[0].removesuffix(".py")
        if mine == "__init__":
            continue
        for name in imports_of(path):
            words = name.split(".")
            if words[:2] == ["nubrak", "core"]:
                assert len(words) > 2, f"{path.relative_to(HOUSE)} imports core as a whole"
                assert ORDER.index(words[2]) <= ORDER.index(mine), f"{mine} leans on {words[2]}: {path.name}"


def test_packages_of_core_are_entered_by_their_door() -> None:
    for path in files_of(HOUSE):
        mine = path.relative_to(HOUSE).parts
        for name in imports_of(path):
            words = name.split(".")
            if words[:2] == ["nubrak", "core"] and len(words) > 3:
                assert mine[:2] == ("core", words[2]), f"{'/'.join(mine)} goes into {name} by the window"


def test_what_a_package_offers_is_there() -> None:
    for door in files_of(CORE):
        if door.name != "__init__.py" or door.parent == CORE:
            continue
        tree = ast.parse(door.read_text())
        said = ast.get_docstring(tree) or ""
        assert "egin with" in said, f"{door.parent.name} does not say where to begin reading"
        offered = [
            {element.value for element in node.value.elts if isinstance(element, ast.Constant)}
            for node in tree.body
            if isinstance(node, ast.Assign) and isinstance(node.value, ast.List)
        ]
        assert offered and offered[0], f"{door.parent.name} offers nothing"


# Modules that are shown by another test than one of their own name: models, tables, and what a whole way
# through shows better than a piece of it.
SHOWN_BY = {
    "core/controls": "command/test_limits",
    "core/decide/evidence": "core/test_flow_reference_kit",
    "core/decide/marks": "core/decide/test_decision",
    "core/decide/settings": "core/decide/test_decision",
    "core/decide/states": "core/decide/test_decision",
    "core/pieces/languages": "core/pieces/test_file_names",
    "core/pieces/neighbours": "core/session/test_part_notes",
    "desk/found_later": "work/test_queue",
    "work/still_to_do": "web/test_reading_changes_nothing",
    "core/layer/lock_settings": "core/layer/test_lock",
    "core/layer/settings": "core/layer/test_voice",
    "core/live/features": "core/live/test_hearing",
    "core/live/settings": "web/test_live",
    "core/mix/recursions": "core/mix/test_chain",
    "core/session/rate": "core/session/test_name_edits",
    "core/pieces/catalogue": "core/pieces/test_note_map",
    "core/pieces/material": "core/test_flow_loops",
    "core/prints/archive": "web/test_archive",
    "core/prints/recorded_kit": "command/test_kit",
    "core/samples/from_recording": "core/samples/test_clearest",
    "core/session/action": "core/session/test_document",
    "core/session/edit": "core/session/test_document",
    "store/database": "store/test_sessions",
    "store/jobs": "desk/test_jobs",
    "store/kept": "store/test_chains",
    "store/kits": "web/test_library",
    "store/leftovers": "desk/test_leftovers",
    "store/tables": "store/test_sessions",
    "work/settings": "work/test_queue",
    "work/worker": "work/test_queue",
    "desk/archiving": "web/test_archive",
    "desk/audio": "web/test_layer_routes",
    "desk/clear_strokes": "desk/test_sliced_kit",
    "desk/desk": "desk/test_standing",
    "desk/listening": "web/test_listening",
    "desk/lists": "desk/test_coming_back",
    "desk/live": "web/test_live",
    "desk/locking": "desk/test_trying",
    "desk/module": "web/test_shape_bench",
    "desk/passes": "web/test_record",
    "desk/printing": "web/test_layer_routes",
    "desk/recording": "web/test_record",
    "desk/samples": "web/test_library",
    "desk/suggesting": "desk/test_trying",
    "desk/tasks": "work/test_tasks",
    "desk/tempo": "web/test_tempo_and_rooms",
    "web/application": "web/test_routes",
    "web/intake": "web/test_routes",
    "web/routes/cut": "web/test_write_and_cut",
    "web/routes/find": "web/test_routes",
    "web/routes/gather": "web/test_routes",
    "web/routes/jobs": "web/test_layer_routes",
    "web/routes/layer": "web/test_layer_routes",
    "web/routes/library": "web/test_library",
    "web/routes/live": "web/test_live",
    "web/routes/mix": "web/test_mix",
    "web/routes/module": "web/test_shape_bench",
    "web/routes/print": "web/test_layer_routes",
    "web/routes/record": "web/test_record",
    "web/routes/sessions": "web/test_routes",
    "web/routes/shape": "web/test_shape_routes",
    "web/routes/sort": "web/test_sort_routes",
    "web/routes/wire": "web/test_routes",
    "web/routes/write": "web/test_write_and_cut",
    "web/server": "browser/test_way_through",
    "web/words": "command/test_limits",
}


@pytest.mark.parametrize("floor", ["core", "store", "work", "desk", "web"])
def test_the_test_of_a_module_is_found_by_its_name(floor: str) -> None:
    tests = Path(__file__).parent
    for path in files_of(HOUSE / floor):
        module = path.relative_to(HOUSE).with_suffix("")
        if module.name.startswith("_") or "migrations" in module.parts:
            continue
        own = tests / module.parent / f"test_{module.name}.py"
        shown_by = SHOWN_BY.get(module.as_posix())
        assert own.exists() != (shown_by is not None), (
            f"{module} has {'no' if shown_by is None else 'a'} test"
        )
        assert shown_by is None or (tests / f"{shown_by}.py").exists(), f"there is no {shown_by}"
    assert all((HOUSE / f"{module}.py").exists() for module in SHOWN_BY)
