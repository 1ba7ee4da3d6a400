"""Which other stroke of the same drum can stand in for one that is weak, spoilt, missed or mis-hit.

All microphones are taken together, so what matters is not only the drum itself: the same other pieces
should be struck with it, it should be as hard, and ring at least as long before anything follows.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nubrak.core.samples.clearest import Clear

_WITH_S = 0.03  # struck within so long of it, something sounds with it
_AFTER_S = 0.03  # what follows sooner belongs to the stroke itself
_LONGEST_S = 1.2
_KEPT_BACK_S = 0.006  # before what follows: its attack is not touched
# What a difference is worth beside a dB of spill (common practice: what sounds with it first).
_COMPANY_DB, _PER_VELOCITY_DB, _SHORT_DB = 12.0, 0.35, 6.0
_OWN_FLOOR_DB = 20.0
Array = NDArray[np.float64]


@dataclass(frozen=True)
class Donor:
    """A stroke that can be taken: ``row`` among the drum's strokes, in order of time; ``length_s`` how much
    of it can be; ``missing`` and ``extra`` what sounds with it less or more than at the place to mend.
    """

    row: int
    time_s: float
    velocity: int
    length_s: float
    unfit_db: float
    missing: tuple[str, ...]
    extra: tuple[str, ...]
    clear: Clear

    @property
    def reason(self) -> str:
        """Why it stands where it does, in words."""
        said = [f"velocity {self.velocity}"]
        if self.missing:
            said.append(f"without the {' and '.join(self.missing)}")
        if self.extra:
            said.append(f"with {' and '.join(self.extra)} as well")
        if not self.missing and not self.extra:
            said.append("the same struck with it")
        said.append(f"{1000 * self.length_s:.0f} ms of it")
        return ", ".join([*said, *(["clipped"] if self.clear.clipped else [])])


def donors(
    found: Sequence[Clear],
    time_s: Array,
    velocity: NDArray[np.int64],
    others: Mapping[str, Array],
    at_s: float,
    wanted: int,
    most: int = 5,
) -> list[Donor]:
    """The strokes of a drum that fit best in place of the one at ``at_s``, the best first. The drum is
    struck at ``time_s`` (n,), in order, as hard as ``velocity`` (n,); ``found`` is what ``clearest`` says of
    that; ``wanted`` how hard the mended stroke shall be; ``others`` when each other piece is struck, (m,).
    """
    everything = np.sort(np.concatenate([time_s, *others.values()]))
    company = _company(others, at_s)
    room_s = _until_next(everything, at_s)
    out = []
    for clear in found:
        if abs(clear.time_s - at_s) < _WITH_S:
            continue
        row = int(np.argmin(np.abs(time_s - clear.time_s)))
        theirs = _company(others, clear.time_s)
        length_s = min(room_s, _until_next(everything, clear.time_s), _LONGEST_S) - _KEPT_BACK_S
        if length_s <= 0.02:
            continue
        unfit_db = (
            _COMPANY_DB * len(company ^ theirs)
            + _PER_VELOCITY_DB * abs(int(velocity[row]) - wanted)
            + _SHORT_DB * max(float(np.log2(min(room_s, _LONGEST_S) / length_s)), 0.0)
            + max(clear.under_db + _OWN_FLOOR_DB, 0.0)
            + 25.0 * clear.clipped
        )
        out.append(
            Donor(
                row,
                clear.time_s,
                int(velocity[row]),
                length_s,
                unfit_db,
                tuple(sorted(company - theirs)),
                tuple(sorted(theirs - company)),
                clear,
            )
        )
    return sorted(out, key=lambda one: one.unfit_db)[:most]


def _company(others: Mapping[str, Array], at_s: float) -> set[str]:
    return {name for name, times in others.items() if len(times) and np.abs(times - at_s).min() <= _WITH_S}


def _until_next(everything: Array, at_s: float) -> float:
    later = everything[everything > at_s + _AFTER_S]
    return float(later[0]) - at_s if len(later) else _LONGEST_S
