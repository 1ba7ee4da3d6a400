"""`./nubrak benchmark`: speed and accuracy, side by side with general-purpose libraries."""

from __future__ import annotations

import sys

from benchmarks import accuracy, hands, shaping, single, speed

if __name__ == "__main__":
    wanted = sys.argv[1:] or ["speed", "accuracy"]
    if "speed" in wanted:
        speed.run()
    if "shape" in wanted or not sys.argv[1:]:
        shaping.run()
    if "accuracy" in wanted:
        single.run()
        hands.run()
        accuracy.run()
    if "loops" in wanted:
        from pathlib import Path

        from benchmarks.sorting import proof

        if "--proof" in wanted:
            proof.score(Path(wanted[wanted.index("--proof") + 1]))
        else:
            from benchmarks.sorting import folds

            folds.run()
    if "browser" in wanted or not sys.argv[1:]:
        from benchmarks import browser

        browser.run()
