"""How many labels a person corrects by hand where one correction teaches the rest: simulated, the worst
doubt first, the truth given. Of the reaches in which what follows is offered that one is taken which puts
the most right, as whoever hears them would, and none where none puts more right than wrong.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from benchmarks.sorting.heard import Heard
from nubrak.core.pieces import PIECES
from nubrak.core.sort import PIECES_TOLD, REACHES_DB, SOUNDS, Sounding, followers, piece_of
from nubrak.core.sort.sorting import COUNTS_FROM

_OF_PIECE = [[k for k, sound in enumerate(SOUNDS) if piece_of(sound) == piece] for piece in PIECES_TOLD]


def by_piece(table: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Sounds (n, sounds) as pieces, (n, pieces)."""
    return np.stack([table[:, rows].any(axis=1) for rows in _OF_PIECE], axis=1)


def corrected(one: Heard, probability: NDArray[np.float64], sounding: Sounding) -> tuple[int, int]:
    """Corrections by hand until all labels of a loop are right, and how many labels there are.

    A stroke with a wrong piece and another missing is given over, one that is only wrong is dropped, one that
    is only missing is said to be struck there as well; what sounds like it is offered to follow.
    """
    odds = np.stack([1.0 - np.prod(1.0 - probability[:, rows], axis=1) for rows in _OF_PIECE], axis=1)
    unheard = by_piece(~np.isnan(one.level_db) & one.buried)
    true = by_piece(~np.isnan(one.level_db) & ~one.buried)
    told = (odds > COUNTS_FROM) & ~unheard
    by_hand, count = np.zeros(told.shape, bool), 0
    doubt = np.where(told, 1.0 - odds, odds)
    while np.any(told != true):
        rows, pieces = np.nonzero((told != true) & ~by_hand)
        if not len(rows):
            break
        worst = int(np.argmax(doubt[rows, pieces]))
        row, piece = int(rows[worst]), int(pieces[worst])
        count += 1
        false, missing = np.nonzero(told[row] & ~true[row])[0], np.nonzero(~told[row] & true[row])[0]
        source = piece if told[row, piece] else int(false[0]) if len(false) else None
        target = piece if not told[row, piece] else int(missing[0]) if len(missing) else None
        follow, reach = _follow(sounding, told, by_hand, row, source, target)
        right = np.ones(len(follow), bool)
        for changed, now in ((source, False), (target, True)):
            if changed is not None:
                right &= (true[follow, changed] == now) | unheard[follow, changed]
                told[row, changed], by_hand[row, changed] = now, True
        gained = [np.where(right, 1, -1)[reach <= widest].sum() for widest in range(len(REACHES_DB))]
        if max(gained) > 0:
            follow = follow[reach <= int(np.argmax(gained))]
            for changed, now in ((source, False), (target, True)):
                if changed is not None:
                    told[follow, changed] = now
            told &= ~unheard
    return count, int(true.sum())


def _follow(
    sounding: Sounding,
    told: NDArray[np.bool_],
    by_hand: NDArray[np.bool_],
    row: int,
    source: int | None,
    target: int | None,
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """What could follow a stroke out of a piece, or moments that lack one, and from which reach on."""
    if source is not None:
        among, piece = told[:, source], source
    else:
        assert target is not None
        among, piece = ~told[:, target], target
    candidates = among & ~by_hand[:, piece]
    candidates[row] = False
    left = np.nonzero(among & by_hand[:, piece])[0]
    return followers(sounding, np.array([row]), left, np.nonzero(candidates)[0], PIECES[PIECES_TOLD[piece]])
