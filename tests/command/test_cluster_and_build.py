"""The private cluster, ports, and when things are built anew."""

from __future__ import annotations

import os
import re
import shutil
import signal
import socket
import subprocess
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest

from nubrak.command import interface
from nubrak.command.cluster import Cluster
from nubrak.command.debian import CannotInstall
from nubrak.command.places import INTERFACE, ROOT
from nubrak.command.start import _choose_port


def test_a_cluster_is_made_once_keeps_its_data_and_listens_on_loopback_only() -> None:
    folder = Path(tempfile.mkdtemp(prefix="nubrak-cluster-"))
    folder.chmod(0o755)
    cluster = Cluster(folder / "postgres")
    try:
        url = cluster.start()
        assert cluster.start() == url
        with psycopg.connect(url, autocommit=True) as connection:
            connection.execute("CREATE TABLE kept (word text)")
            connection.execute("INSERT INTO kept VALUES ('yes')")
            assert connection.execute("SHOW listen_addresses").fetchone() == ("127.0.0.1",)
            assert connection.execute("SHOW password_encryption").fetchone() == ("scram-sha-256",)
        with pytest.raises(psycopg.OperationalError):
            psycopg.connect(re.sub(r":[^:@/]+@", ":wrong@", url))
        cluster.stop()
        with psycopg.connect(Cluster(folder / "postgres").start()) as connection:
            assert connection.execute("SELECT word FROM kept").fetchone() == ("yes",)
        assert (folder / "postgres.password").stat().st_mode & 0o077 == 0
    finally:
        cluster.stop()


@pytest.fixture
def cluster() -> Iterator[Cluster]:
    folder = Path(tempfile.mkdtemp(prefix="nubrak-cluster-"))
    folder.chmod(0o755)
    made = Cluster(folder / "postgres")
    yield made
    made.stop()
    shutil.rmtree(folder, ignore_errors=True)


def test_a_creation_that_was_cut_off_is_begun_anew(cluster: Cluster) -> None:
    # What initdb writes first, and half of the rest.
    cluster.folder.mkdir(mode=0o700)
    (cluster.folder / "PG_VERSION").write_text("15\n")
    (cluster.folder / "base").mkdir()
    with psycopg.connect(cluster.start()) as connection:
        assert connection.execute("SELECT 1").fetchone() == (1,)
    assert Cluster(cluster.folder).start()


def test_a_killed_server_is_known_to_be_gone_and_comes_back_at_its_port(cluster: Cluster) -> None:
    url = cluster.start()
    with psycopg.connect(url, autocommit=True) as connection:
        connection.execute("CREATE TABLE kept (word text)")
    pid_file = cluster.folder / "postmaster.pid"
    pid, _, rest = pid_file.read_text().partition("\n")
    assert cluster.running
    os.kill(int(pid), signal.SIGKILL)
    until = time.monotonic() + 20
    while cluster.running and time.monotonic() < until:
        time.sleep(0.05)
    assert not cluster.running
    # By now another process may have its number: this one.
    pid_file.write_text(f"{os.getpid()}\n{rest}")
    assert not cluster.running
    while not cluster.start_again():
        assert time.monotonic() < until, "it did not come back"
        time.sleep(0.2)
    with psycopg.connect(url) as connection:
        assert connection.execute("SELECT count(*) FROM kept").fetchone() == (0,)


def test_a_taken_port_is_said_when_asked_for_and_walked_around_when_not() -> None:
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        with pytest.raises(CannotInstall, match=f"Port {port} is taken"):
            _choose_port(port)
    assert _choose_port(None) > 0


def test_node_is_recognised_by_its_version(tmp_path: Path) -> None:
    fake = tmp_path / "node"
    for said, wanted in (("v18.19.0", (18, 19)), ("v20.19.2", (20, 19)), ("nonsense", (0, 0))):
        fake.write_text(f"#!/bin/sh\necho {said}\n")
        fake.chmod(0o755)
        assert interface._node_version(str(fake)) == wanted
    assert interface._node_version(str(tmp_path / "none")) == (0, 0)


def test_no_address_of_a_package_registry_and_no_path_of_a_machine_is_committed() -> None:
    files = subprocess.run(
        ["git", "ls-files"], cwd=ROOT, capture_output=True, text=True, check=True
    ).stdout.split("\n")
    for name in filter(None, files):
        path = ROOT / name
        if path.suffix in (".png", ".woff2", ".npz") or not path.is_file():
            continue
        text = path.read_text(encoding="utf-8")
        assert not re.search(r"https?://[^ \"]*(registry|py" r"pi|npm" r"js|python" r"hosted)", text), name
    assert '"resolved"' not in (INTERFACE / "package-lock.json").read_text()


def test_every_python_package_is_pinned_with_a_hash() -> None:
    for lock in (ROOT / "requirements").glob("*.lock"):
        names = re.findall(r"^([a-z0-9_.\[\]-]+)==\S+ \\$", lock.read_text(), re.MULTILINE)
        assert names and len(names) == len(re.findall(r"^[a-z]", lock.read_text(), re.MULTILINE)), lock.name
