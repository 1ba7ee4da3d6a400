"""`./nubrak benchmark fuzz`: every reader with inputs that get past their headers and are odd behind them."""

from benchmarks.fuzz.run import run, tried

__all__ = ["run", "tried"]
