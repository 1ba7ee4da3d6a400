"""Entry of `./nubrak`."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

app = typer.Typer(
    add_completion=False,
    no_args_is_help=True,
    help="Turn recorded drums into MIDI one can trust.",
    pretty_exceptions_enable=False,
)


@app.command()
def start(
    port: Annotated[
        int | None, typer.Option(help="port of the web page; by default 8137 or the next free one")
    ] = None,
    data: Annotated[
        Path | None, typer.Option(help="folder that holds the database and the cache; by default .nubrak")
    ] = None,
    empty: Annotated[bool, typer.Option("--empty", help="no demo sessions")] = False,
    one_kit: Annotated[
        bool, typer.Option("--one-kit", help="only the starter kit; the others take a core half a minute")
    ] = False,
    recorded_kits: Annotated[
        bool,
        typer.Option(
            "--recorded-kits",
            help="bring recorded drum kits into the library, from a Debian package of 120 MB",
        ),
    ] = False,
) -> None:
    """Install what is missing, start everything and print the address. Ctrl-C stops it."""
    from nubrak.command.start import run_start

    raise typer.Exit(run_start(port, data, empty, one_kit, recorded_kits))


@app.command("slice")
def cut_into_slices(
    file: Annotated[Path, typer.Argument(help="the recording that is cut")],
    out: Annotated[Path, typer.Option(help="folder for what is made")],
    by: Annotated[
        str, typer.Option(help="hits, bar, 1/2, 1/4, 1/8, 1/16 or 1/32; steps also as “1/8 triplets”")
    ] = "hits",
    bpm: Annotated[
        float | None, typer.Option(min=20, max=400, help="its tempo; else its hits tell it")
    ] = None,
    to_bpm: Annotated[
        float | None, typer.Option(min=20, max=400, help="also write it at this tempo, slices moved")
    ] = None,
    source_is: Annotated[str, typer.Option(help="what the file is: loop, mouth, hand or close")] = "loop",
    matched: Annotated[bool, typer.Option("--matched", help="all slices equally loud")] = False,
) -> None:
    """Cut a recording into slices: a WAV for each, SFZ on rising notes, MIDI that replays it, slices.json."""
    from nubrak.command.slice import run_slice

    raise typer.Exit(run_slice(file, by, out, bpm, to_bpm, source_is, matched))


@app.command("kit")
def kit_out_of_a_recording(
    files: Annotated[list[Path], typer.Argument(help="the microphones of one kit, or a loop")],
    out: Annotated[Path, typer.Option(help="folder for what is made")],
    piece: Annotated[
        list[str] | None, typer.Option(help="what each file is, in the files' order; else its name says it")
    ] = None,
    name: Annotated[str, typer.Option(help="what the kit is called")] = "recorded kit",
    source_is: Annotated[str, typer.Option(help="what the files are: kit, loop, mouth or hand")] = "kit",
    microphones: Annotated[
        str, typer.Option(help="close: each piece's own; all: overheads and rooms as well, an SFZ for each")
    ] = "close",
) -> None:
    """Make a playable kit of the drums in a recording: each piece's clearest strokes in layers and turns."""
    from nubrak.command.kit import run_kit

    raise typer.Exit(run_kit(files, piece or [], out, name, source_is, microphones))


@app.command(context_settings={"allow_extra_args": True, "ignore_unknown_options": True})
def test(context: typer.Context) -> None:
    """Run every check: core, store, web, browser, types and linters. Further words go to pytest."""
    from nubrak.command.check import run_checks

    raise typer.Exit(run_checks(context.args))


@app.command()
def worker(
    database_file: Annotated[
        Path | None,
        typer.Option(
            help="file that holds the address, postgresql://…, of the installation to work for, as its "
            "data folder's database-url does; by default the variable NUBRAK_DATABASE_URL says it"
        ),
    ] = None,
    cache: Annotated[
        Path | None,
        typer.Option(
            envvar="NUBRAK_CACHE_FOLDER", help="folder for working copies; by default .nubrak/cache"
        ),
    ] = None,
) -> None:
    """Take analyses from another installation's queue, to lend it this machine's cores."""
    import os

    from nubrak.command.places import ROOT
    from nubrak.desk.tasks import tasks
    from nubrak.work.worker import run_worker

    # Never as a word of the command: everybody on a machine sees those, and it holds the password.
    if database_file is not None:
        os.environ["NUBRAK_DATABASE_URL"] = database_file.read_text().strip()
    if not os.environ.get("NUBRAK_DATABASE_URL"):
        raise typer.BadParameter("Say with --database-file which installation to work for.")
    os.environ["NUBRAK_CACHE_FOLDER"] = str(cache or ROOT / ".nubrak" / "cache")
    run_worker(tasks)


@app.command()
def convert(
    files: Annotated[list[Path], typer.Argument(help="recordings; files given together are one kit")],
    out: Annotated[Path, typer.Option(help="folder for what is made")],
    piece: Annotated[
        list[str] | None, typer.Option(help="what each file is, in the files' order; else its name says it")
    ] = None,
    bpm: Annotated[float, typer.Option(min=20, max=400, help="tempo written into the MIDI files")] = 120.0,
    source_is: Annotated[
        str,
        typer.Option(
            help="what the files are: kit (microphones of one kit), close, cymbals, loop, mouth or hand"
        ),
    ] = "kit",
    channels: Annotated[
        str, typer.Option(help="one: all on MIDI channel 10; each: a channel for each part")
    ] = "one",
) -> None:
    """Find the hits of recordings and write MIDI files and hits.json, without the database.

    A loop or a mouth take is told apart into the pieces that play it: kick, snare (centre, side stick),
    clap, hi-hat (closed, half open, open, pedal), rack tom, mid tom, floor tom, crash, ride (bow, bell),
    tambourine, shaker, cowbell, conga, woodblock, and sound A, B … for what is none of these.
    """
    from nubrak.command.convert import run_convert

    raise typer.Exit(run_convert(files, piece or [], out, bpm, source_is, channels))


@app.command(context_settings={"allow_extra_args": True, "ignore_unknown_options": True})
def benchmark(context: typer.Context) -> None:
    """Measure speed and accuracy beside general-purpose libraries; words choose among speed, shape, accuracy,
    left-out, loops, apart, kits, browser, fuzz and endurance; `accuracy --proof DIR` and `loops --proof DIR`
    score a folder of recordings with their truth.
    """
    import subprocess
    import sys

    from nubrak.command import sounds
    from nubrak.command.debian import CannotInstall, say
    from nubrak.command.places import ROOT

    try:
        sounds.bring(context.args)
    except CannotInstall as error:
        # What needs no sounds is measured all the same; what does says what it lacks.
        say(str(error))
    raise typer.Exit(subprocess.run([sys.executable, "-m", "benchmarks", *context.args], cwd=ROOT).returncode)


@app.command()
def schema() -> None:
    """Write the front end's types anew from the server's models."""
    from nubrak.command.interface import write_schema

    write_schema()


@app.command("prepare", hidden=True)
def prepare(empty: Annotated[bool, typer.Option("--empty")] = False) -> None:
    """Bring the database to the newest schema and load the demo, as `start` runs it."""
    from nubrak.command.prepare import run_prepare

    run_prepare(empty)


@app.command("held", hidden=True)
def held() -> None:
    """Say how much room the data folder takes, as `start` does."""
    from nubrak.command.prepare import say_what_it_holds

    say_what_it_holds()


@app.command("ready", hidden=True)
def ready(
    one_kit: Annotated[bool, typer.Option("--one-kit")] = False,
    recorded_kits: Annotated[bool, typer.Option("--recorded-kits")] = False,
) -> None:
    """Make what is wanted later, as `start` does beside serving."""
    from nubrak.command.prepare import make_ready

    make_ready(one_kit, recorded_kits)


@app.command("serve", hidden=True)
def serve() -> None:
    """The web server alone, as `start` runs it."""
    from nubrak.web.server import run_server

    run_server()


if __name__ == "__main__":
    app(prog_name="nubrak")
