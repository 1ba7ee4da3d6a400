"""What is kept in memory: bounded by bytes, the oldest go first, and made once."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor

from nubrak.web.kept import Kept


def test_it_keeps_what_fits_and_lets_the_oldest_go() -> None:
    kept: Kept[bytes] = Kept(100, len)
    for key in "abc":
        kept.get(key, lambda: bytes(40))
    assert len(kept) == 2
    kept.get("b", lambda: b"")
    kept.get("d", lambda: bytes(40))  # b was asked for last, so c goes
    made: list[str] = []
    kept.get("b", lambda: made.append("b") or b"")
    kept.get("c", lambda: made.append("c") or b"")
    assert made == ["c"]
    assert len(kept.get("large", lambda: bytes(1000))) == 1000 and len(kept) == 1, (
        "what is larger than all is handed on all the same"
    )


def test_threads_that_ask_at_once_get_the_same_thing() -> None:
    kept: Kept[list[int]] = Kept(1000, lambda _: 1)
    with ThreadPoolExecutor(8) as pool:
        got = list(pool.map(lambda _: kept.get("x", list), range(50)))
    assert all(one is got[0] for one in got)
