"""Another login of the machine reads nothing; the own one, and who has the printed address, do."""

from __future__ import annotations

import os
import socket
import stat
import subprocess
import threading
import time
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest
import uvicorn
from fastapi.testclient import TestClient

from nubrak.web.application import make_application
from nubrak.web.keys import KEY_HEADER, kept_key, owner_of, page_word
from nubrak.work.settings import Settings

KEY = "a-key-of-this-test"
NOBODY = 65534


@pytest.fixture
def stranger(database_url: str, tmp_path: Path) -> Iterator[TestClient]:
    """A browser that the system knows nothing of."""
    page = tmp_path / "page"
    page.mkdir()
    (page / "index.html").write_text("<!doctype html><html><head><title>Nubrak</title></head></html>")
    settings = Settings(
        database_url=database_url,
        cache_folder=str(tmp_path / "cache"),
        interface_folder=str(page),
        key=KEY,
        port=8137,
    )
    with TestClient(
        make_application(settings), base_url="http://127.0.0.1:8137", follow_redirects=False
    ) as one:
        yield one


def test_without_the_key_there_is_a_sentence_and_nothing_else(stranger: TestClient) -> None:
    for path in ("/api/sessions", "/api/library", "/api/openapi.json"):
        answer = stranger.get(path)
        assert answer.status_code == 401 and answer.json().keys() == {"what", "kept", "todo"}
    assert "nubrak-page" not in stranger.get("/").text and stranger.get("/").status_code == 401
    assert stranger.get("/?key=guessed").status_code == 401
    assert stranger.get("/", headers={"cookie": "nubrak-8137=guessed; a=\x01"}).status_code == 401


def test_the_printed_address_lets_a_browser_in_for_good(stranger: TestClient) -> None:
    answer = stranger.get(f"/?key={KEY}")
    assert (answer.status_code, answer.headers["location"]) == (303, "/"), "the key stays in no history"
    kept = answer.headers["set-cookie"].lower()
    assert "httponly" in kept and "samesite=lax" in kept and "max-age" in kept
    assert stranger.get("/api/sessions").status_code == 200
    assert f'content="{page_word(KEY)}"' in stranger.get("/session/x/find").text


def test_what_starts_work_comes_from_the_page(stranger: TestClient) -> None:
    stranger.get(f"/?key={KEY}")
    by_a_browser = {"sec-fetch-site": "same-origin", "sec-fetch-mode": "cors"}
    assert stranger.post("/api/sessions", json={}, headers=by_a_browser).status_code == 403
    from_the_page = by_a_browser | {"x-nubrak-page": page_word(KEY)}
    assert stranger.post("/api/sessions", json={}, headers=from_the_page).status_code == 201
    assert KEY not in page_word(KEY)


def test_a_programme_may_carry_the_key_in_a_header(stranger: TestClient) -> None:
    assert stranger.post("/api/sessions", json={}, headers={KEY_HEADER: KEY}).status_code == 201


# As proc(5) shows it: local address, remote address, state, queues, timer, retransmits, uid.
TABLE = """  sl  local_address rem_address   st tx_queue rx_queue tr tm->when retrnsmt   uid  timeout inode
   0: 0100007F:1FC9 0100007F:C350 01 00000000:00000000 00:00000000 00000000     0        0 7 1
   1: 0100007F:C350 0100007F:1FC9 01 00000000:00000000 00:00000000 00000000  1000        0 8 1
   2: 0100007F:C351 0100007F:1FC9 04 00000000:00000000 03:00000000 00000000     0        0 0 1
   3: 0200007F:C352 0100007F:1FC9 01 00000000:00000000 00:00000000 00000000  1000        0 9 1
"""


def test_the_owner_of_a_connection_is_who_opened_it() -> None:
    assert owner_of(50000, 8137, TABLE) == 1000
    assert owner_of(50001, 8137, TABLE) is None, "a connection given up shows no owner but root"
    assert owner_of(50002, 8137, TABLE) is None
    assert owner_of(50000, 8138, TABLE) is None
    assert owner_of(50000, 8137, "") is None


def test_the_key_is_kept_where_only_its_owner_reads_it(tmp_path: Path) -> None:
    key = kept_key(tmp_path / "key")
    assert len(key) >= 24 and kept_key(tmp_path / "key") == key
    assert stat.S_IMODE((tmp_path / "key").stat().st_mode) == 0o600
    assert kept_key(tmp_path / "another") != key


@pytest.fixture
def served(database_url: str, tmp_path: Path) -> Iterator[int]:
    """A real server with a key; its port."""
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = int(free.getsockname()[1])
    settings = Settings(database_url=database_url, cache_folder=str(tmp_path / "cache"), key=KEY, port=port)
    server = uvicorn.Server(
        uvicorn.Config(make_application(settings), host="127.0.0.1", port=port, log_config=None)
    )
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    while not server.started:
        assert thread.is_alive()
        time.sleep(0.02)
    yield port
    server.should_exit = True
    thread.join(10)


_ASK = """
import sys, urllib.error, urllib.request
try:
    print(urllib.request.urlopen(sys.argv[1]).status)
except urllib.error.HTTPError as error:
    print(error.code)
"""


def test_the_own_login_needs_no_key_and_another_does(served: int) -> None:
    address = f"http://127.0.0.1:{served}/api/sessions"
    assert httpx.get(address).status_code == 200
    if os.geteuid() != 0:
        pytest.skip("only root can ask as somebody else")
    # The system's own Python: another login may not reach this one's folders.
    asked = ["/usr/bin/env", "-i", "python3", "-c", _ASK, address]
    done = subprocess.run(asked, capture_output=True, text=True, user=NOBODY, group=NOBODY, cwd="/")
    assert done.stdout.strip() == "401", done.stderr
