"""Where the project lies."""

from __future__ import annotations

from pathlib import Path

ROOT = Path(__file__).resolve().parents[3]  # the project: this file lies four folders into it
INTERFACE = ROOT / "ui"
