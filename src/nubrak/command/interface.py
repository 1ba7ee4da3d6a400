"""The front end: Node where it is missing, packages, the production build, the generated types."""

from __future__ import annotations

import hashlib
import json
import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

from nubrak.command.debian import CannotInstall, say
from nubrak.command.limits import limits_text
from nubrak.command.places import INTERFACE, ROOT

_LEAST_NODE = (20, 19)  # what Vite asks for (engines in its package)


def _node_version(node: str) -> tuple[int, int]:
    try:
        found = re.match(
            r"v(\d+)\.(\d+)", subprocess.run([node, "--version"], capture_output=True, text=True).stdout
        )
    except OSError:
        return (0, 0)
    return (int(found[1]), int(found[2])) if found else (0, 0)


def environment() -> dict[str, str]:
    """An environment whose ``node`` and ``npm`` are new enough, installing them into .venv where the
    machine's are not.
    """
    node, own = shutil.which("node"), Path(sys.executable).parent
    if node and shutil.which("npm") and _node_version(node) >= _LEAST_NODE:
        return dict(os.environ)
    if _node_version(str(own / "node")) < _LEAST_NODE:
        say("installing Node into .venv (once)")
        lock = ROOT / "requirements" / "node.lock"
        command = [
            sys.executable,
            "-m",
            "pip",
            "install",
            "-q",
            "--disable-pip-version-check",
            "--require-hashes",
            "--only-binary",
            ":all:",
            "-r",
            str(lock),
        ]
        if subprocess.run(command).returncode:
            raise CannotInstall(
                "Node could not be installed; check the network and run the same command again."
            )
    return os.environ | {"PATH": f"{own}{os.pathsep}{os.environ['PATH']}"}


def _digest(paths: list[Path]) -> str:
    digest = hashlib.sha256()
    for path in sorted(paths):
        digest.update(str(path.relative_to(INTERFACE)).encode() + b"\0" + path.read_bytes())
    return digest.hexdigest()


def _run(command: list[str], env: dict[str, str], failed: str) -> None:
    done = subprocess.run(
        command, cwd=INTERFACE, env=env, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True
    )
    if done.returncode:
        raise CannotInstall(f"{failed}:\n{done.stdout[-4000:]}")


def install_packages() -> dict[str, str]:
    """Bring node_modules to the lock file; returns the environment to run npm in."""
    env = environment()
    stamp, wanted = INTERFACE / "node_modules" / ".nubrak-lock", _digest([INTERFACE / "package-lock.json"])
    if not stamp.exists() or stamp.read_text() != wanted:
        say("installing the front end's packages (once)")
        _run(
            ["npm", "ci", "--ignore-scripts", "--no-audit", "--no-fund"],
            env,
            "The front end's packages could not be installed",
        )
        stamp.write_text(wanted)
    return env


def build() -> Path:
    """The production build, made anew only when the sources changed; returns its folder."""
    out = INTERFACE / "dist"
    stamp = out / ".nubrak-sources"
    sources = [
        p
        for p in INTERFACE.rglob("*")
        if p.is_file() and not {"node_modules", "dist"} & set(p.relative_to(INTERFACE).parts)
    ]
    wanted = _digest(sources)
    if not stamp.exists() or stamp.read_text() != wanted:
        env = install_packages()
        say("building the front end")
        _run(["npm", "run", "--silent", "build"], env, "The front end could not be built")
        stamp.write_text(wanted)
    return out


def generated(env: dict[str, str]) -> dict[str, str]:
    """The files that follow from the server's OpenAPI description, by name: types and limits."""
    from nubrak.web.application import make_application

    tools = INTERFACE / "node_modules" / ".bin"
    description = make_application().openapi()
    types = _made_by([str(tools / "openapi-typescript")], json.dumps(description), env)
    limits = _made_by(
        [str(tools / "prettier"), "--stdin-filepath", "src/api/limits.ts"], limits_text(description), env
    )
    return {"schema.ts": types, "limits.ts": limits}


def _made_by(command: list[str], text: str, env: dict[str, str]) -> str:
    return subprocess.run(
        command, input=text, env=env, cwd=INTERFACE, capture_output=True, text=True, check=True
    ).stdout


def write_schema() -> None:
    """Write ``ui/src/api/schema.ts`` and ``limits.ts``."""
    folder = INTERFACE / "src" / "api"
    folder.mkdir(parents=True, exist_ok=True)
    for name, text in generated(install_packages()).items():
        (folder / name).write_text(text)
