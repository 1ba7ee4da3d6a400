"""`./nubrak test`: every check, on a throw-away cluster."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

from nubrak.command import interface
from nubrak.command.cluster import Cluster
from nubrak.command.debian import CannotInstall, install, say
from nubrak.command.places import INTERFACE, ROOT

_SOUND_FONT = Path("/usr/share/sounds/sf2/FluidR3_GM.sf2")


def run_checks(words: list[str]) -> int:
    """Linters, types, front-end tests and pytest; with ``words``, pytest alone with them. Returns the exit
    code.
    """
    folder = Path(tempfile.mkdtemp(prefix="nubrak-test-"))
    folder.chmod(0o755)
    cluster: Cluster | None = None
    try:
        if shutil.which("chromium") is None:
            install(["chromium"], "Chromium")
        if shutil.which("fluidsynth") is None or not _SOUND_FONT.exists():
            install(["fluidsynth", "fluid-soundfont-gm"], "fluidsynth and its sound font")
        node = interface.install_packages()
        built = interface.build()
        cluster = Cluster(folder / "postgres")
        env = os.environ | {"NUBRAK_TEST_DATABASE": cluster.start(), "NUBRAK_TEST_INTERFACE": str(built)}
        failed = [] if words else _static_checks(node)
        say("pytest")
        tests = subprocess.run(
            [sys.executable, "-m", "pytest", *(words or ["-n", "2"])], cwd=ROOT, env=env
        ).returncode
        if failed:
            say(f"failed: {', '.join(failed)}")
        return 1 if failed or tests else 0
    except CannotInstall as error:
        say(str(error))
        return 1
    finally:
        if cluster is not None:
            cluster.stop()
        shutil.rmtree(folder, ignore_errors=True)


def _static_checks(node: dict[str, str]) -> list[str]:
    python = [sys.executable, "-m"]
    checks = [
        ("ruff", [*python, "ruff", "check", "."], ROOT),
        ("ruff format", [*python, "ruff", "format", "--check", "-q", "."], ROOT),
        ("mypy", [*python, "mypy"], ROOT),
        ("TypeScript", ["npm", "run", "--silent", "check"], INTERFACE),
        ("eslint and prettier", ["npm", "run", "--silent", "lint"], INTERFACE),
        ("vitest", ["npm", "run", "--silent", "test"], INTERFACE),
    ]
    failed = []
    for name, command, place in checks:
        say(name)
        if subprocess.run(command, cwd=place, env=node).returncode:
            failed.append(name)
    return failed
