"""Logs: what happened stands beside the data, a JSON object a line, and does not grow without end."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

import nubrak

WORK = """
import logging, sys, structlog
from nubrak.work import logs
logs._MOST_BYTES = 4000
logs.log_to_files(sys.argv[1], "worker-1")
structlog.get_logger("nubrak.jobs").info("a job is done", job=7)
logging.getLogger("elsewhere").warning("from a library")
try:
    raise OSError("the disk is full")
except OSError:
    structlog.get_logger("nubrak.jobs").exception("a job failed", job=8)
for number in range(int(sys.argv[2])):
    structlog.get_logger("nubrak.jobs").info("more", number=number)
"""


def run(folder: str, more: int, cwd: Path | None = None) -> subprocess.CompletedProcess[str]:
    # In a process of its own: logging is set for a whole process.
    known = {**os.environ, "PYTHONPATH": str(Path(str(nubrak.__file__)).parents[1])}
    words = [sys.executable, "-c", WORK, folder, str(more)]
    return subprocess.run(words, capture_output=True, text=True, check=True, env=known, cwd=cwd)


def test_every_line_is_an_object_with_time_level_and_what_is_known(tmp_path: Path) -> None:
    said = run(str(tmp_path / "logs"), 0)
    lines = [json.loads(one) for one in (tmp_path / "logs" / "worker-1.log").read_text().splitlines()]
    done, library, failed = lines
    assert done["event"] == "a job is done" and done["job"] == 7 and done["level"] == "info"
    assert done["timestamp"] < failed["timestamp"] and done["logger"] == "nubrak.jobs"
    assert library["event"] == "from a library" and library["level"] == "warning"
    assert failed["job"] == 8 and "OSError: the disk is full" in failed["exception"]
    # the terminal is told only what went wrong
    assert "a job failed" in said.stderr and "a job is done" not in said.stderr


def test_old_lines_go_when_there_are_too_many(tmp_path: Path) -> None:
    run(str(tmp_path / "logs"), 400)
    files = sorted((tmp_path / "logs").iterdir())
    assert len(files) == 6 and all(file.stat().st_size <= 4000 for file in files)
    last = json.loads((tmp_path / "logs" / "worker-1.log").read_text().splitlines()[-1])
    assert last["number"] == 399


def test_without_a_folder_nothing_is_written(tmp_path: Path) -> None:
    said = run("", 1, cwd=tmp_path)
    assert "a job failed" in said.stderr and not list(tmp_path.iterdir())
