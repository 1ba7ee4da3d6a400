"""The web server process, on the loopback address only."""

from __future__ import annotations

import uvicorn

from nubrak.web.application import make_application
from nubrak.web.patience import Patient
from nubrak.work.logs import log_to_files
from nubrak.work.settings import Settings

_MOST_CONNECTIONS = 500  # windows, their sounds and pictures; more is no person


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
        http=Patient,
        limit_concurrency=_MOST_CONNECTIONS,
        timeout_graceful_shutdown=2,
    )
