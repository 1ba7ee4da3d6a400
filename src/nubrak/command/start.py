"""`./nubrak start`: bring everything up, keep it up, take it down."""

from __future__ import annotations

import ctypes
import fcntl
import os
import signal
import socket
import subprocess
import sys
import time
import traceback
import urllib.error
import urllib.request
from pathlib import Path

from nubrak.command import interface
from nubrak.command.cluster import Cluster
from nubrak.command.debian import CannotInstall, say
from nubrak.command.places import ROOT
from nubrak.web.keys import KEY_HEADER, kept_key

USUAL_PORT = 8137  # seldom taken by anything else


def run_start(
    port: int | None, data: Path | None, empty: bool, one_kit: bool = False, recorded_kits: bool = False
) -> int:
    """Start and stay until told to stop. Returns the exit code."""
    folder = (data or ROOT / ".nubrak").resolve()
    _of_its_owner(folder)
    (folder / "running").touch(mode=0o600)
    (folder / "running").chmod(0o600)
    lock = (folder / "running").open("a+")
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        lock.seek(0)
        say(f"Nubrak is running already: {lock.read().strip() or 'it is just starting'}")
        return 1
    lock.truncate(0)  # where an earlier run was says nothing of this one
    stopping: list[int] = []
    children: dict[str, subprocess.Popen[bytes]] = {}
    cluster: Cluster | None = None
    try:
        port = _choose_port(port)
        built = interface.build()
        cluster = Cluster(folder / "postgres")
        url = cluster.start()
        for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
            signal.signal(number, lambda got, _: stopping.append(got))
        address, key = f"http://127.0.0.1:{port}", kept_key(folder / "key")
        opened = f"{address}/?key={key}"
        lock.write(opened)
        lock.flush()
        env = _environment(folder, built, port, key, url)
        if _run_to_its_end(["prepare", *(["--empty"] if empty else [])], env, stopping):
            say("the database could not be prepared; see the messages above")
            return 1
        wishes = {"--one-kit": one_kit, "--recorded-kits": recorded_kits}
        later = ["ready", *(word for word, wanted in wishes.items() if wanted)]
        return _keep_up(children, env, opened, stopping, cluster, later)
    except CannotInstall as error:
        say(str(error))
        return 1
    except KeyboardInterrupt:
        say("stopped before it was up")
        return 130
    except Exception as error:
        noted = folder / "logs" / "start.log"
        noted.parent.mkdir(exist_ok=True)
        noted.write_text(traceback.format_exc())
        say(f"Nubrak could not go on: {error}. What was kept is kept; start it again. More is in {noted}.")
        return 1
    finally:
        for child in children.values():
            child.terminate()
        for child in children.values():
            try:
                child.wait(8)
            except subprocess.TimeoutExpired:
                child.kill()
        if cluster is not None:
            cluster.stop()
            say("stopped; everything is kept")


def _environment(folder: Path, built: Path, port: int, key: str, url: str) -> dict[str, str]:
    """What the processes are told; the folders that only their owner may enter."""
    for name in ("cache", "logs"):
        (folder / name).mkdir(exist_ok=True)
        (folder / name).chmod(0o700)
    # For workers that come in from elsewhere; it holds the password, so only the owner may read it.
    address_file = folder / "database-url"
    address_file.touch(mode=0o600)
    address_file.chmod(0o600)
    address_file.write_text(url + "\n")
    return os.environ | {
        "NUBRAK_DATABASE_URL": url,
        "NUBRAK_CACHE_FOLDER": str(folder / "cache"),
        "NUBRAK_INTERFACE_FOLDER": str(built),
        "NUBRAK_PORT": str(port),
        "NUBRAK_KEY": key,
        # A process for each core: what runs side by side in one process waits for itself.
        "NUBRAK_TASKS_AT_ONCE": "1",
        "NUBRAK_SHARES_FOLDER": "yes",
        "NUBRAK_RESTS": "yes",
        "NUBRAK_LOG_FOLDER": str(folder / "logs"),
    }


def _run_to_its_end(words: list[str], env: dict[str, str], stopping: list[int]) -> int:
    """Run a command of ours as a process of its own until it ends or we are told to stop; its exit code."""
    child = _begun(words, env)
    while child.poll() is None and not stopping:
        time.sleep(0.05)
    if child.poll() is None:
        child.terminate()
        child.wait(8)
    return 0 if stopping else child.returncode


def _begun(words: list[str], env: dict[str, str]) -> subprocess.Popen[bytes]:
    """A command of ours that runs on as a process of its own."""
    return subprocess.Popen(
        [sys.executable, "-m", "nubrak.command", *words],
        env=env,
        start_new_session=True,
        preexec_fn=_end_with_parent,
    )


# One for each core; more than eight wait for the disk.
_WORKERS = max(1, min(os.cpu_count() or 1, 8))


def _keep_up(
    children: dict[str, subprocess.Popen[bytes]],
    env: dict[str, str],
    opened: str,
    stopping: list[int],
    cluster: Cluster,
    later: list[str],
) -> int:
    """Run the server and a worker for each core, and start again what ends by itself, the database too;
    ``later`` is run once, beside them.
    """
    told, database_runs = False, True
    since: dict[str, float] = {}
    begun = time.monotonic()
    while not stopping:
        if not cluster.running:
            if database_runs:
                say("the database ended by itself; starting it again")
            database_runs = cluster.start_again()
            if not database_runs:
                time.sleep(0.5)
                continue
        # The first page comes sooner when only one worker starts beside the server.
        for name in ("serve", *(f"worker {number + 1}" for number in range(_WORKERS if told else 1))):
            child = children.get(name)
            if child is None or child.poll() is not None:
                if child is not None and (child.returncode or name == "serve"):
                    say(
                        f"the {'server' if name == 'serve' else name} ended by itself "
                        f"({child.returncode}); starting it again"
                    )
                    if time.monotonic() - since[name] < 2:
                        time.sleep(1)
                since[name] = time.monotonic()
                children[name] = _begun([name.split()[0]], env | {"NUBRAK_WORKER": name.partition(" ")[2]})
        if not told and _answers(opened.partition("/?")[0], env["NUBRAK_KEY"]):
            print(f"Nubrak is at {opened}   (Ctrl-C stops it)", flush=True)
            print(f"Its logs are in {env['NUBRAK_LOG_FOLDER']}", flush=True)
            _run_to_its_end(["held"], env, stopping)
            children["ready"] = _begun(later, env)
            told = True
        if not told and time.monotonic() - begun > 90:
            say("the server does not answer; see the messages above")
            return 1
        time.sleep(0.1 if not told else 0.25)
    return 0


def _end_with_parent() -> None:
    """So that a killed launcher leaves no server or worker behind (PR_SET_PDEATHSIG, Linux)."""
    ctypes.CDLL(None).prctl(1, signal.SIGTERM)


def _of_its_owner(folder: Path) -> None:
    """The data folder, made where there is none; other logins of the machine see nothing of it. Where the
    database belongs to another user than who starts it, that one must be let through to its own folder.
    """
    folder.mkdir(parents=True, exist_ok=True)
    folder.chmod(0o711 if os.geteuid() == 0 else 0o700)


def _answers(address: str, key: str) -> bool:
    request = urllib.request.Request(f"{address}/api/sessions", headers={KEY_HEADER: key})
    try:
        with urllib.request.urlopen(request, timeout=1) as answer:
            return bool(answer.status == 200)
    except (urllib.error.URLError, OSError):
        return False


def _choose_port(port: int | None) -> int:
    for candidate in [port] if port else [USUAL_PORT, 0]:
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind(("127.0.0.1", candidate))
                return int(probe.getsockname()[1])
            except OSError:
                continue
    raise CannotInstall(f"Port {port} is taken; choose another with --port.")
