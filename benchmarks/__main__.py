"""`./nubrak benchmark`: speed and accuracy, side by side with general-purpose libraries."""

from __future__ import annotations

import sys
from pathlib import Path

from benchmarks import accuracy, hands, left_out, proof, shaping, single, speed
from benchmarks.sorting import proof as sorting_proof

if __name__ == "__main__":
    wanted = sys.argv[1:] or ["speed", "accuracy"]
    if "speed" in wanted:
        speed.run()
    if "shape" in wanted or not sys.argv[1:]:
        shaping.run()
    if "accuracy" in wanted and "--proof" in wanted:
        folder = Path(wanted[wanted.index("--proof") + 1])
        proof.score(folder)
        sorting_proof.score(folder)
    elif "accuracy" in wanted:
        single.run()
        hands.run()
        accuracy.run()
    if "left-out" in wanted:
        left_out.run()
    if "loops" in wanted:
        if "--proof" in wanted:
            sorting_proof.score(Path(wanted[wanted.index("--proof") + 1]))
        else:
            from benchmarks.sorting import folds

            folds.run()
    if "apart" in wanted:
        from benchmarks import apart

        apart.run()
    if "cleaning" in wanted:
        from benchmarks import cleaning

        cleaning.run()
    if "live" in wanted:
        from benchmarks import live

        live.run()
    if "guesses" in wanted:
        from benchmarks import guesses

        guesses.run()
    if "drums" in wanted:
        from benchmarks import drums

        drums.run()
    if "tempo" in wanted:
        from benchmarks import tempo

        tempo.run()
    if "copies" in wanted:
        from benchmarks import copies

        copies.run()
    if "lock" in wanted:
        from benchmarks import lock

        lock.run()
    if "edges" in wanted:
        from benchmarks import edges

        edges.run()
    if "mixing" in wanted:
        from benchmarks import mixing

        mixing.run()
    if "kits" in wanted:
        from benchmarks import recorded_kits

        recorded_kits.run(accuracy.KITS)
    if "fuzz" in wanted:
        from benchmarks import fuzz

        fuzz.run()
    if "endurance" in wanted:
        from benchmarks import endurance

        endurance.run(float(wanted[wanted.index("--share") + 1]) if "--share" in wanted else 1.0)
    if "browser" in wanted or not sys.argv[1:]:
        from benchmarks import browser

        browser.run()
