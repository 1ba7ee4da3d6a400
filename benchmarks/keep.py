"""Files of the benchmarks' cache: there whole or not at all, also when two processes make the same one."""

from __future__ import annotations

import tempfile
from io import BytesIO
from pathlib import Path

import numpy as np

CACHE = Path(__file__).parent / ".cache"
RATE_HZ = 44100  # of all sounds here


def keep(path: Path, data: bytes) -> None:
    """Write a file under another name and move it to its place."""
    path.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.NamedTemporaryFile(dir=path.parent, suffix=".part", delete=False) as draft:
        draft.write(data)
    Path(draft.name).replace(path)


def keep_array(path: Path, array: np.ndarray) -> None:
    """The same for an array."""
    buffer = BytesIO()
    np.save(buffer, array)
    keep(path, buffer.getvalue())
