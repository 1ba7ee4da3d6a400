"""What comes before serving and just after, in processes of their own: what they load goes with them."""

from __future__ import annotations

import os
from pathlib import Path

from sqlalchemy.exc import SQLAlchemyError

from nubrak.command.debian import CannotInstall, install, say
from nubrak.core.live import made_ready
from nubrak.core.problem import Problem
from nubrak.demo.load import load_demo, load_kits
from nubrak.desk.jobs import desk_here
from nubrak.desk.leftovers import holds
from nubrak.desk.sound_font import take_sound_font
from nubrak.store.database import migrate, open_engine
from nubrak.work.settings import Settings

RECORDED_KITS = Path("/usr/share/sounds/sf2/FluidR3_GM.sf2")


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


def make_ready(one_kit: bool, recorded_kits: bool) -> None:
    """Compile what listening live needs, so that whoever listens first need not wait for it, make the
    kits that come with Nubrak, and bring recorded ones where they are wanted; behind everything else,
    once for an installation.
    """
    os.nice(10)
    made_ready()
    if not one_kit:
        load_kits(Settings().database_url)
    if recorded_kits:
        bring_recorded_kits()


def bring_recorded_kits() -> None:
    """Install recorded kits (Debian's fluid-soundfont-gm, MIT) and bring them into the library; says why
    where it cannot.
    """
    try:
        if not RECORDED_KITS.exists():
            install(["fluid-soundfont-gm"], "recorded drum kits (120 MB)")
        say("bringing recorded kits into the library")
        found = take_sound_font(desk_here(), RECORDED_KITS, lambda share: True)
    except CannotInstall as error:
        say(f"the recorded kits are missing: {error}")
    except Problem as problem:
        say(f"the recorded kits could not be read: {problem.what}")
    else:
        say(f"{len(found.kits)} recorded kits are in the library")
