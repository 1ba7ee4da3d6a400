"""`./nubrak benchmark endurance`: what falls when processes are killed, when requests and files are not what
they should be, and when many ask at once. Bounded in time; prints kills, inputs, requests, faults and times.
"""

from __future__ import annotations

import shutil
import tempfile
from pathlib import Path

import httpx
import numpy as np

from benchmarks import fuzz
from benchmarks.endurance.kills import WITHIN_S, Product, killed
from benchmarks.endurance.load import loaded
from benchmarks.endurance.requests import in_rounds, known_of

KILLS, KILLING_S, REQUESTS_S, INPUTS_S = 100, 900.0, 300.0, 240.0


def run(share: float = 1.0) -> None:
    """All trials; ``share`` of their usual time."""
    faults: list[str] = []
    print(
        f"Endurance, at most {(KILLING_S + REQUESTS_S + INPUTS_S) * share / 60 + 2:.0f} minutes", flush=True
    )
    one = killed(KILLING_S * share, most=round(KILLS * share))
    faults += one.faults
    print(
        f"  kills       {one.kills:6}   acknowledged {one.acknowledged}, lost "
        f"{sum('is lost' in fault for fault in one.faults)}   serves again after "
        f"{np.median(one.served_s):.1f} s, worst {max(one.served_s):.1f} s (wanted {WITHIN_S:.0f})   "
        f"faults {len(one.faults)}",
        flush=True,
    )
    folder = Path(tempfile.mkdtemp(prefix="nubrak-endurance-"))
    folder.chmod(0o755)
    product = Product(folder / "data")
    try:
        product.start()
        product.served_after_s(120)
        load = loaded(product)
        print(
            f"  20 drags    {load.drags:6}   median {load.median_ms:.0f} ms (50), p99 {load.p99_ms:.0f} ms "
            f"(120)   uploads beside them {load.uploads}   refused {load.refused}   "
            f"1000 sessions listed in {load.list_ms:.0f} ms (50)",
            flush=True,
        )
        with product.client() as client:
            client.timeout = httpx.Timeout(60)
            schema = client.get("/api/openapi.json").json()
            asked = in_rounds(client, schema, lambda: known_of(client), REQUESTS_S * share)
        faults += asked.faults
        answers = ", ".join(f"{status}: {count}" for status, count in sorted(asked.answers.items()))
        print(
            f"  requests    {asked.requests:6}   {answers}   slowest {asked.slowest_s[0]:.1f} s "
            f"({asked.slowest_s[1]})   faults {len(asked.faults)}",
            flush=True,
        )
    finally:
        product.stop()
        shutil.rmtree(folder, ignore_errors=True)
    faults += fuzz.run(INPUTS_S * share)
    for fault in faults[:40]:
        print(f"    {fault}")
    print(f"  faults in all {len(faults)}")
