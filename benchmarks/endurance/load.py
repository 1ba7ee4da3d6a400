"""Many at once: a long list of sessions, and twenty people who drag a threshold on eight microphones while
two more upload.
"""

from __future__ import annotations

import io
import threading
import time
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import httpx
import numpy as np
import soundfile
from sqlalchemy import insert

from benchmarks.endurance.kills import Product
from nubrak.core.session import Document
from nubrak.store.database import open_engine
from nubrak.store.tables import SessionRow

RATE_HZ = 44100
_CLIENTS, _UPLOADS, _MICROPHONES, _LENGTH_S = 20, 2, 8, 120.0
_SESSIONS = 1000


@dataclass
class Load:
    """What was measured, in ms, and what was answered with anything but success."""

    list_ms: float
    median_ms: float
    p99_ms: float
    drags: int
    uploads: int
    refused: int


def microphone(seed: int, length_s: float = _LENGTH_S) -> bytes:
    """A microphone of strokes and a little noise, as WAV."""
    rng = np.random.default_rng(seed)
    audio = 1e-4 * rng.standard_normal(round(length_s * RATE_HZ))
    t = np.arange(round(0.25 * RATE_HZ)) / RATE_HZ
    for begin_s in np.arange(0.3, length_s - 0.5, 0.25) + rng.uniform(0, 0.02):
        begin = round(begin_s * RATE_HZ)
        hz, level = 60 * (1 + seed), 10 ** rng.uniform(-1.2, -0.1)
        stroke = level * np.exp(-t / 0.05) * (np.cos(2 * np.pi * hz * t) + 0.3 * rng.standard_normal(len(t)))
        audio[begin : begin + len(t)] += 0.5 * stroke
    out = io.BytesIO()
    soundfile.write(out, audio.astype(np.float32), RATE_HZ, subtype="PCM_16", format="WAV")
    return out.getvalue()


def loaded(product: Product, seconds: float = 15.0) -> Load:
    """Measure a product that runs."""
    names = ("kick", "snare", "hi-hat", "rack tom", "floor tom", "ride", "crash", "overheads")
    with product.client() as client:
        client.timeout = httpx.Timeout(120)
        session = client.post("/api/sessions", json={"name": "Load"}).json()["id"]
        for number, name in enumerate(names[:_MICROPHONES]):
            sound = microphone(number)
            client.post(f"/api/sessions/{session}/sources", params={"name": f"{name}.wav"}, content=sound)
        while not _analysed(client.get(f"/api/sessions/{session}/overview").json()):
            time.sleep(0.5)
        parts = list(client.get(f"/api/sessions/{session}").json()["document"]["parts"])
    _many_sessions(product)
    list_ms = _list_ms(product)
    over = threading.Event()
    took: list[float] = []
    counts = {"uploads": 0, "refused": 0}
    others = [microphone(90 + number, 30.0) for number in range(_UPLOADS)]
    people = [
        threading.Thread(
            target=_drags, args=(product, session, parts, number, over, took, counts), daemon=True
        )
        for number in range(_CLIENTS)
    ] + [
        threading.Thread(target=_uploads, args=(product, sound, over, counts), daemon=True)
        for sound in others
    ]
    for person in people:
        person.start()
    time.sleep(seconds)
    over.set()
    for person in people:
        person.join(30)
    spent = np.array(took) * 1000
    return Load(
        list_ms,
        float(np.median(spent)),
        float(np.percentile(spent, 99)),
        len(spent),
        counts["uploads"],
        counts["refused"],
    )


def _analysed(overview: dict[str, Any]) -> bool:
    return all(part["progress"] >= 1.0 for part in overview["parts"])


def _many_sessions(product: Product) -> None:
    """A thousand sessions in the list, put there at once."""
    engine = open_engine((product.data / "database-url").read_text().strip())
    document = Document(name="One of many", about="of the list").model_dump(mode="json")
    rows = [
        {"id": f"many{number}", "name": f"One of many {number}", "revision": 0, "document": document}
        | {"about": "of the list", "sources": 1, "length_s": 60.0}
        for number in range(_SESSIONS)
    ]
    with engine.begin() as connection:
        connection.execute(insert(SessionRow), rows)
    engine.dispose()


def _list_ms(product: Product) -> float:
    spent = []
    with product.client() as client:
        for _ in range(9):
            begin = time.perf_counter()
            client.get("/api/sessions").raise_for_status()
            spent.append(time.perf_counter() - begin)
    return 1000 * float(np.median(spent))


def _drags(
    product: Product,
    session: str,
    parts: list[str],
    number: int,
    over: threading.Event,
    took: list[float],
    counts: dict[str, int],
) -> None:
    rng = np.random.default_rng(number)
    part = parts[number % len(parts)]
    with product.client() as client:
        while not over.is_set():
            find = {"find": {"threshold_db": float(-rng.uniform(5, 55))}}
            begin = time.perf_counter()
            with suppress(httpx.HTTPError):
                answer = client.post(f"/api/sessions/{session}/parts/{part}/decisions", json=find)
                took.append(time.perf_counter() - begin)
                counts["refused"] += answer.status_code != 200
            # A hand sends the next place when the last one is drawn, a frame later at the soonest.
            over.wait(1 / 60)


def _uploads(product: Product, sound: bytes, over: threading.Event, counts: dict[str, int]) -> None:
    count = 0
    with product.client() as client:
        client.timeout = httpx.Timeout(60)
        session = client.post("/api/sessions", json={"name": "Uploads"}).json()["id"]
        while not over.is_set():
            count += 1
            other = sound[:-4] + count.to_bytes(4, "little")
            with suppress(httpx.HTTPError):
                address, named = f"/api/sessions/{session}/sources", {"name": f"{count}.wav"}
                counts["uploads"] += client.post(address, params=named, content=other).status_code == 201
            over.wait(0.2)


def measured(folder: Path) -> Load:
    """The same on a product of its own in a new folder."""
    product = Product(folder)
    product.start()
    if product.served_after_s(120) is None:
        raise RuntimeError(product.printed.read_text()[-2000:])
    try:
        return loaded(product)
    finally:
        product.stop()
