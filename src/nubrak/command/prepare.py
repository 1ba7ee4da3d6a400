"""What comes before serving and just after, in processes of their own: what they load goes with them."""

from __future__ import annotations

import os
from pathlib import Path

from sqlalchemy.exc import SQLAlchemyError

from nubrak.core.live import made_ready
from nubrak.demo.load import load_demo
from nubrak.desk.leftovers import holds
from nubrak.store.database import migrate, open_engine
from nubrak.work.settings import Settings


def run_prepare(empty: bool) -> None:
    """Bring the database to the newest schema, and load the demo into a new one unless it is to be empty."""
    settings = Settings()
    migrate(settings.database_url)
    load_demo(settings.database_url, Path(settings.cache_folder), sessions=not empty)


def say_what_it_holds() -> None:
    """Print how much room the data folder takes."""
    settings = Settings()
    engine = open_engine(settings.database_url)
    try:
        held = holds(engine, Path(settings.cache_folder))
    except (SQLAlchemyError, OSError):
        return  # what matters is that it runs
    finally:
        engine.dispose()
    said = f"Its folder holds {held.total / 1e9:.1f} GB"
    if held.unwanted > 0.05e9:
        said += f"; nothing needs {held.unwanted / 1e9:.1f} GB of it, which the list of sessions frees"
    print(said, flush=True)


def make_ready() -> None:
    """Compile what listening live needs, behind everything else: once for an installation, so that whoever
    listens first need not wait for it.
    """
    os.nice(10)
    made_ready()
