"""Starting: one run a data folder, a second is told where the first is."""

from __future__ import annotations

import fcntl
from pathlib import Path

import pytest

from nubrak.command import start
from nubrak.command.cluster import Cluster
from nubrak.command.debian import CannotInstall


@pytest.mark.parametrize(
    ("first", "said"), [("http://127.0.0.1:8123", "http://127.0.0.1:8123"), ("", "it is just starting")]
)
def test_a_second_start_on_a_folder_that_is_in_use_says_so_and_touches_nothing(
    tmp_path: Path, capfd: pytest.CaptureFixture[str], first: str, said: str
) -> None:
    with (tmp_path / "running").open("a+") as running:
        fcntl.flock(running, fcntl.LOCK_EX)
        running.write(first)
        running.flush()
        assert start.run_start(None, tmp_path, empty=True) == 1
        out, err = capfd.readouterr()
        assert f"Nubrak is running already: {said}" in out + err
        assert [file.name for file in tmp_path.iterdir()] == ["running"]
        running.seek(0)
        assert running.read() == first


def test_what_nobody_thought_of_ends_in_a_sentence_and_leaves_no_database_behind(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capfd: pytest.CaptureFixture[str]
) -> None:
    stopped: list[bool] = []

    def fails(_: Cluster) -> str:
        raise ConnectionError("the server closed the connection unexpectedly")

    monkeypatch.setattr(start.interface, "build", lambda: tmp_path)
    monkeypatch.setattr(Cluster, "start", fails)
    monkeypatch.setattr(Cluster, "stop", lambda _: stopped.append(True))
    assert start.run_start(None, tmp_path, empty=True) == 1
    said = "".join(capfd.readouterr())
    assert "could not go on: the server closed the connection" in said and "Traceback" not in said
    assert stopped == [True]
    assert "ConnectionError" in (tmp_path / "logs" / "start.log").read_text()


def test_while_it_starts_it_does_not_say_where_an_earlier_run_was(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capfd: pytest.CaptureFixture[str]
) -> None:
    (tmp_path / "running").write_text("http://127.0.0.1:1")
    second: list[int] = []

    def another_starts(_: Cluster) -> str:
        second.append(start.run_start(None, tmp_path, empty=True))
        raise CannotInstall("There is no PostgreSQL here.")

    monkeypatch.setattr(start.interface, "build", lambda: tmp_path)
    monkeypatch.setattr(Cluster, "start", another_starts)
    assert start.run_start(None, tmp_path, empty=True) == 1 and second == [1]
    said = "".join(capfd.readouterr())
    assert "it is just starting" in said and "There is no PostgreSQL here." in said
    assert "http://127.0.0.1:1" not in said
