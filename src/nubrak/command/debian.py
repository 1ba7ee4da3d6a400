"""Debian's packages: installed when something of theirs is missing."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys


class CannotInstall(Exception):
    """A sentence for the person at the terminal."""


def say(sentence: str) -> None:
    """A line for the person at the terminal, on standard error."""
    print(f"nubrak: {sentence}", file=sys.stderr, flush=True)


def install(packages: list[str], why: str) -> None:
    """Install Debian packages as root or through sudo."""
    if shutil.which("apt-get") is None:
        raise CannotInstall(
            f"{why} is missing and there is no apt-get here; install {' '.join(packages)} by hand."
        )
    before = [] if os.geteuid() == 0 else ["sudo"]
    if before and shutil.which("sudo") is None:
        raise CannotInstall(f"{why} is missing; as root, run: apt-get install {' '.join(packages)}")
    say(f"installing {why} from Debian's packages")
    env = os.environ | {"DEBIAN_FRONTEND": "noninteractive"}
    keep = ["env", "DEBIAN_FRONTEND=noninteractive"]
    for command in (
        ["apt-get", "update", "-qq"],
        [*keep, "apt-get", "install", "-y", "-qq", "--no-install-recommends", *packages],
    ):
        done = subprocess.run(
            [*before, *command], env=env, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True
        )
        if done.returncode and "install" in command:
            raise CannotInstall(f"{why} could not be installed:\n{done.stdout[-2000:]}")
