"""The web server process, on the loopback address only."""

from __future__ import annotations

import uvicorn

from nubrak.web.application import make_application
from nubrak.work.settings import Settings


def run_server() -> None:
    """Serve until interrupted."""
    settings = Settings()
    uvicorn.run(
        make_application(settings),
        host="127.0.0.1",
        port=settings.port,
        log_level="warning",
        timeout_graceful_shutdown=2,
    )
