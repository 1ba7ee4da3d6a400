"""Processes killed at any moment, the first start included, while somebody edits and uploads: how soon the
product serves again, and whether all that was acknowledged is there.
"""

from __future__ import annotations

import io
import os
import random
import re
import shutil
import signal
import socket
import subprocess
import tempfile
import threading
import time
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path

import httpx
import numpy as np
import soundfile

from nubrak.command.places import ROOT

WITHIN_S = 20.0  # the next start serves by then
_VICTIMS = ("launcher", "server", "worker", "database", "a connection", "everything")
_HEADER = "x-nubrak-key"


@dataclass
class Killed:
    """What was killed, and what came of it."""

    kills: int = 0
    acknowledged: int = 0
    served_s: list[float] = field(default_factory=list)
    faults: list[str] = field(default_factory=list)


class Product:
    """`./nubrak start` on a folder of its own, again and again."""

    def __init__(self, data: Path) -> None:
        self.data = data
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self.port = int(free.getsockname()[1])
        self.address = f"http://127.0.0.1:{self.port}"
        self.process: subprocess.Popen[bytes] | None = None
        self.printed = data.parent / f"{data.name}.printed"

    def start(self) -> None:
        """Start it, unless it runs."""
        if self.process is not None and self.process.poll() is None:
            return
        env = {name: value for name, value in os.environ.items() if not name.startswith("NUBRAK_")}
        words = [str(ROOT / "nubrak"), "start", "--empty", "--data", str(self.data), "--port", str(self.port)]
        with self.printed.open("ab") as printed:
            self.process = subprocess.Popen(
                words,
                stdout=printed,
                stderr=printed,
                stdin=subprocess.DEVNULL,
                env=env,
                start_new_session=True,
            )

    def client(self) -> httpx.Client:
        """With the key, as a browser has it."""
        key = self.data / "key"
        headers = {_HEADER: key.read_text().strip()} if key.exists() else {}
        return httpx.Client(base_url=self.address, timeout=10, headers=headers)

    def served_after_s(self, most_s: float = 60.0) -> float | None:
        """How long it takes from now until it answers twice in a row; None where it does not."""
        begin, good = time.monotonic(), 0
        while time.monotonic() - begin < most_s:
            try:
                good = (
                    good + 1 if httpx.get(f"{self.address}/api/sessions", timeout=2).status_code == 200 else 0
                )
            except httpx.HTTPError:
                good = 0
            if good == 2:
                return time.monotonic() - begin
            if self.process is not None and self.process.poll() is not None:
                self.start()
            time.sleep(0.05)
        return None

    def pids(self, victim: str) -> list[int]:
        """The processes that a victim's name stands for."""
        launcher = [self.process.pid] if self.process and self.process.poll() is None else []
        ours = _children(launcher)
        postmaster = _postmaster(self.data)
        serving = [pid for pid in ours if "serve" in _words(pid)]
        working = [pid for pid in ours if "worker" in _words(pid)]
        if victim == "launcher":
            return launcher
        if victim == "server":
            return serving
        if victim == "worker":
            return working[:1]
        if victim == "database":
            return postmaster
        if victim == "a connection":
            return _children(postmaster)[-1:]
        return [*launcher, *ours, *_children(postmaster), *postmaster]

    def stop(self) -> None:
        """Take it down for good."""
        for pid in self.pids("everything"):
            with suppress(ProcessLookupError):
                os.kill(pid, signal.SIGTERM if pid == getattr(self.process, "pid", 0) else signal.SIGKILL)
        with suppress(Exception):
            assert self.process is not None
            self.process.wait(10)


def _words(pid: int) -> list[str]:
    try:
        return Path(f"/proc/{pid}/cmdline").read_bytes().decode(errors="replace").split("\0")
    except OSError:
        return []


def _children(parents: list[int]) -> list[int]:
    """All processes under these, theirs too."""
    by_parent: dict[int, list[int]] = {}
    for stat in Path("/proc").glob("[0-9]*/stat"):
        with suppress(OSError, IndexError, ValueError):
            by_parent.setdefault(int(stat.read_text().rpartition(")")[2].split()[1]), []).append(
                int(stat.parent.name)
            )
    out, left = [], list(parents)
    while left:
        found = by_parent.get(left.pop(), [])
        out += found
        left += found
    return sorted(out)


def _postmaster(data: Path) -> list[int]:
    out = []
    for cmdline in Path("/proc").glob("[0-9]*/cmdline"):
        with suppress(OSError):
            words = cmdline.read_bytes().split(b"\0")
            if words[0].endswith(b"/postgres") and str(data).encode() in b" ".join(words):
                out.append(int(cmdline.parent.name))
    return out


class Somebody(threading.Thread):
    """Who edits and uploads all the time, and remembers what was acknowledged."""

    def __init__(self, product: Product) -> None:
        super().__init__(daemon=True)
        self.product, self.over = product, threading.Event()
        self.session: str | None = None
        self.named, self.uploaded, self.acknowledged = -1, 0, 0
        out = io.BytesIO()
        soundfile.write(
            out, np.random.default_rng(1).uniform(-0.3, 0.3, 8000).astype("f4"), 8000, format="WAV"
        )
        self.sound = out.getvalue()

    def run(self) -> None:
        count = 0
        while not self.over.is_set():
            with suppress(httpx.HTTPError, ValueError, KeyError), self.product.client() as client:
                if self.session is None:
                    self.session = client.post("/api/sessions", json={"name": "-1"}).json()["id"]
                count += 1
                if count % 5 == 0:
                    # Other bytes each time, so that each is stored.
                    sound = self.sound[:-4] + count.to_bytes(4, "little")
                    answer = client.post(
                        f"/api/sessions/{self.session}/sources", params={"name": "a.wav"}, content=sound
                    )
                    if answer.status_code == 201:
                        self.uploaded += 1
                        self.acknowledged += 1
                    continue
                revision = client.get(f"/api/sessions/{self.session}").json()["revision"]
                action = {"kind": "rename", "name": str(count)}
                answer = client.post(
                    f"/api/sessions/{self.session}/edits", json={"revision": revision, "action": action}
                )
                if answer.status_code == 200:
                    self.named = count
                    self.acknowledged += 1
            self.over.wait(0.03)

    def missing(self) -> str:
        """What was acknowledged and is not there; empty where all is."""
        if self.session is None:
            return ""
        # Before it is asked: more is acknowledged meanwhile.
        named, uploaded = self.named, self.uploaded
        with self.product.client() as client:
            answer = client.get(f"/api/sessions/{self.session}")
        if answer.status_code != 200:
            return f"the session: {answer.status_code}"
        document = answer.json()["document"]
        if int(document["name"]) < named:
            return f"the edit {named}: it is {document['name']}"
        if len(document["sources"]) < uploaded:
            return f"uploads: {len(document['sources'])} of {uploaded}"
        return ""


def killed(seconds: float, seed: int = 1, most: int = 100) -> Killed:
    """Kill until the time is up or so many were killed."""
    out, chance, until_s = Killed(), random.Random(seed), time.monotonic() + seconds
    folder = Path(tempfile.mkdtemp(prefix="nubrak-endurance-"))
    folder.chmod(0o755)
    number = 0
    try:
        while time.monotonic() < until_s and out.kills < most:
            number += 1
            product = Product(folder / f"data{number}")
            _first_start(product, out, chance)
            somebody = Somebody(product)
            somebody.start()
            for _ in range(12):
                if time.monotonic() > until_s or out.kills >= most:
                    break
                _one(product, somebody, out, chance)
            somebody.over.set()
            somebody.join(30)
            out.acknowledged += somebody.acknowledged
            product.stop()
            shutil.rmtree(product.data, ignore_errors=True)
    finally:
        shutil.rmtree(folder, ignore_errors=True)
    return out


def _first_start(product: Product, out: Killed, chance: random.Random) -> None:
    """A new folder whose first start is cut off, once or twice."""
    for _ in range(chance.choice([1, 2])):
        product.start()
        wait_s = chance.uniform(0.2, 9.0)
        time.sleep(wait_s)
        _kill(product, chance.choice(["launcher", "everything"]), out)
        _serves(product, out, f"a first start cut off after {wait_s:.1f} s")


def _one(product: Product, somebody: Somebody, out: Killed, chance: random.Random) -> None:
    time.sleep(chance.choice([chance.uniform(0.0, 0.5), chance.uniform(0.5, 4.0)]))
    victim = chance.choice(_VICTIMS)
    _kill(product, victim, out)
    if _serves(product, out, f"{victim} killed"):
        time.sleep(0.2)
        with suppress(httpx.HTTPError):
            if missing := somebody.missing():
                out.faults.append(f"{victim} killed: {missing} is lost")


def _kill(product: Product, victim: str, out: Killed) -> None:
    for pid in product.pids(victim):
        with suppress(ProcessLookupError):
            os.kill(pid, signal.SIGKILL)
            out.kills += 1
    if victim in ("launcher", "everything") and product.process is not None:
        product.process.wait(10)


def _serves(product: Product, out: Killed, after: str) -> bool:
    product.start()
    took_s = product.served_after_s()
    if took_s is None:
        said = re.sub(r"\s+", " ", product.printed.read_text(errors="replace")[-400:])
        out.faults.append(f"{after}: it does not serve within 60 s; it says: {said}")
        product.stop()
        return False
    out.served_s.append(took_s)
    if took_s > WITHIN_S:
        out.faults.append(f"{after}: it took {took_s:.1f} s to serve")
    return True
