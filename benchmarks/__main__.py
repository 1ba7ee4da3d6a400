"""`./nubrak benchmark`: speed and accuracy, side by side with general-purpose libraries."""

from __future__ import annotations

import sys

from benchmarks import accuracy, speed

if __name__ == "__main__":
    wanted = sys.argv[1:] or ["speed", "accuracy"]
    if "speed" in wanted:
        speed.run()
    if "accuracy" in wanted:
        accuracy.run()
    if "browser" in wanted or not sys.argv[1:]:
        from benchmarks import browser

        browser.run()
