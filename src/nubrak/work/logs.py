"""Logs: what each process does and what goes wrong in it, a JSON object a line, in rotated files."""

from __future__ import annotations

import logging
import logging.handlers
from pathlib import Path

import structlog

_MOST_BYTES = 5_000_000  # a day of work; five of them are kept
_KEPT = 5  # older files beside the current one


def log_to_files(folder: str, name: str) -> None:
    """Let everything that is logged go to ``name``.log in a folder, and warnings to the terminal as well."""
    shared: list[structlog.typing.Processor] = [
        structlog.contextvars.merge_contextvars,
        structlog.stdlib.add_log_level,
        structlog.stdlib.add_logger_name,
        structlog.processors.TimeStamper(fmt="iso"),
    ]
    terminal = logging.StreamHandler()
    terminal.setLevel(logging.ERROR)
    terminal.setFormatter(_formatter(structlog.dev.ConsoleRenderer(colors=False), shared))
    handlers: list[logging.Handler] = [terminal]
    if folder:
        Path(folder).mkdir(parents=True, exist_ok=True)
        file = logging.handlers.RotatingFileHandler(
            Path(folder) / f"{name}.log", maxBytes=_MOST_BYTES, backupCount=_KEPT, encoding="utf-8"
        )
        file.setFormatter(_formatter(structlog.processors.JSONRenderer(), shared))
        handlers.append(file)
    logging.basicConfig(level=logging.INFO, handlers=handlers, force=True)
    structlog.configure(
        processors=[*shared, structlog.stdlib.ProcessorFormatter.wrap_for_formatter],
        logger_factory=structlog.stdlib.LoggerFactory(),
        wrapper_class=structlog.stdlib.BoundLogger,
        cache_logger_on_first_use=False,
    )


def _formatter(
    last: structlog.typing.Processor, shared: list[structlog.typing.Processor]
) -> structlog.stdlib.ProcessorFormatter:
    return structlog.stdlib.ProcessorFormatter(
        foreign_pre_chain=shared,
        processors=[
            structlog.stdlib.ProcessorFormatter.remove_processors_meta,
            structlog.processors.format_exc_info,
            last,
        ],
    )
