"""Candidates: everything that may have been struck in one source, with its measured features; joined over
clips, kept as bytes.
"""

from __future__ import annotations

from dataclasses import dataclass, field, fields, replace
from io import BytesIO
from typing import Any

import numpy as np
from numpy.typing import NDArray

from nubrak.core.find.band_envelope import joined_envelope, no_band_envelope
from nubrak.core.find.bands import BAND_EDGES_HZ

VERSION = 19  # a new number makes everything derived from candidates anew


@dataclass(frozen=True)
class Candidates:
    """Everything that may have been struck in one source, one row each, in order of time.

    ``time_s`` (n,) the attack; ``rise_db`` (n,) how far the level jumps above what rang just before;
    ``peak_db`` (n,) the largest sample of the stroke in dBFS; ``attack_power`` (n, bands) mean square per
    third octave in the attack window; ``before_power`` (n, bands) the same for what rang before, decayed to
    where the stroke is; ``similarity`` (n, k) how well each matches each sound the source repeats, 0 to 1,
    and ``aligned_s`` (n, k) where its attack then is; ``similarity_under``, ``aligned_under_s`` and
    ``under_db`` (n, k) the same for what is left without the sound it is most like
    (``matching.TemplateMatches``). ``band_envelope`` (steps, regions) is how the level goes on between them
    (``band_envelope.band_envelope_of``). ``whole_power`` (n, bands) is the ``attack_power`` of the signal as
    it was recorded, where what spilt into it was taken off before it was measured; (0, 0) where nothing was.
    ``sounding`` (n, columns) is what sorting keeps of each, (n, 0)
    where nothing was to be sorted; find does not read it.
    """

    time_s: NDArray[np.float64]
    rise_db: NDArray[np.float64]
    peak_db: NDArray[np.float64]
    attack_power: NDArray[np.float32]
    before_power: NDArray[np.float32]
    similarity: NDArray[np.float32]
    aligned_s: NDArray[np.float64]
    similarity_under: NDArray[np.float32]
    aligned_under_s: NDArray[np.float64]
    under_db: NDArray[np.float32]
    band_envelope: NDArray[np.float16] = field(default_factory=no_band_envelope)
    sounding: NDArray[np.float16] = field(default_factory=lambda: np.zeros((0, 0), np.float16))
    whole_power: NDArray[np.float32] = field(default_factory=lambda: no_whole_power())

    def __len__(self) -> int:
        return len(self.time_s)


def no_whole_power() -> NDArray[np.float32]:
    """What stands for a signal that nothing was taken off, (0, 0)."""
    return np.zeros((0, 0), np.float32)


def no_candidates() -> Candidates:
    """What silence gives."""
    power, none = np.zeros((0, len(BAND_EDGES_HZ) - 1), np.float32), np.zeros((0, 0), np.float32)
    return Candidates(
        np.zeros(0),
        np.zeros(0),
        np.zeros(0),
        power,
        power,
        none,
        none.astype(np.float64),
        none,
        none.astype(np.float64),
        none,
    )


def join(parts: list[Candidates], starts_s: list[float]) -> Candidates:
    """Candidates of several clips, each moved to its start, as one list in order of time."""
    if not parts:
        return no_candidates()
    if len(parts) == 1 and not starts_s[0]:
        return parts[0]
    times = np.concatenate([part.time_s + start for part, start in zip(parts, starts_s, strict=True)])
    order = np.argsort(times, kind="stable")
    moved = [
        replace(part, aligned_s=part.aligned_s + start, aligned_under_s=part.aligned_under_s + start)
        for part, start in zip(parts, starts_s, strict=True)
    ]
    rest = {
        name: np.concatenate([getattr(part, name) for part in moved])[order]
        for name in ("rise_db", "peak_db", "attack_power", "before_power")
    }
    whole = all_whole_power([(part, slice(None)) for part in parts if len(part)], order)
    # Each clip has sounds of its own, so each keeps its own columns.
    rest |= {name: side_by_side([getattr(part, name) for part in moved])[order] for name in PER_SOUND}
    return Candidates(
        time_s=times[order],
        **rest,
        band_envelope=joined_envelope([part.band_envelope for part in parts], starts_s),
        sounding=all_sounding([(part.sounding, slice(None)) for part in parts if len(part)], order),
        whole_power=whole,
    )


def whole_power_of(candidates: Candidates) -> NDArray[np.float32]:
    """The power of each attack in the signal as it was recorded, (n, bands)."""
    whole = candidates.whole_power
    return whole if whole.shape == candidates.attack_power.shape else candidates.attack_power


def all_whole_power(parts: list[tuple[Candidates, Any]], order: NDArray[np.int64]) -> NDArray[np.float32]:
    """``whole_power`` of some rows of several, in this ``order`` (n,) of them all; (0, 0) where nothing was
    taken off any.
    """
    if not any(len(part.whole_power) for part, _ in parts):
        return no_whole_power()
    return np.concatenate([whole_power_of(part)[rows] for part, rows in parts])[order]


def all_sounding(
    parts: list[tuple[NDArray[np.float16], Any]], order: NDArray[np.int64]
) -> NDArray[np.float16]:
    """What sorting keeps of some rows of several, in this ``order`` (n,) of them all, (n, columns); nothing
    where one of them has nothing kept.
    """
    if not parts or 0 in {kept.shape[1] for kept, _ in parts}:
        return np.zeros((0, 0), np.float16)
    return np.concatenate([kept[rows] for kept, rows in parts])[order]


PER_SOUND = ("similarity", "aligned_s", "similarity_under", "aligned_under_s", "under_db")


def side_by_side(blocks: list[NDArray[np.floating]]) -> NDArray[np.floating]:
    """Blocks (n_i, k_i) on the diagonal of one table, zero elsewhere."""
    out = np.zeros(
        (sum(len(block) for block in blocks), sum(block.shape[1] for block in blocks)), blocks[0].dtype
    )
    row = column = 0
    for block in blocks:
        out[row : row + len(block), column : column + block.shape[1]] = block
        row, column = row + len(block), column + block.shape[1]
    return out


def to_bytes(candidates: Candidates) -> bytes:
    """Candidates as the bytes of an uncompressed npz file."""
    buffer = BytesIO()
    np.savez(buffer, **{f.name: getattr(candidates, f.name) for f in fields(Candidates)})
    return buffer.getvalue()


def from_bytes(data: bytes) -> Candidates:
    """The reverse of ``to_bytes``."""
    with np.load(BytesIO(data), allow_pickle=False) as stored:
        return Candidates(**{f.name: stored[f.name] for f in fields(Candidates)})
