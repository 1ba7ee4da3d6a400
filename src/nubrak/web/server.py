"""The web server process, on the loopback address only."""

from __future__ import annotations

import uvicorn

from nubrak.web.application import make_application
from nubrak.work.logs import log_to_files
from nubrak.work.settings import Settings


def run_server() -> None:
    """Serve until interrupted."""
    settings = Settings()
    log_to_files(settings.log_folder, "server")
    uvicorn.run(
        make_application(settings),
        host="127.0.0.1",
        port=settings.port,
        log_config=None,
        access_log=False,
        timeout_graceful_shutdown=2,
    )
