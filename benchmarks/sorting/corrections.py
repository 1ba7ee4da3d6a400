"""How many labels a person corrects by hand where one correction teaches the rest: simulated, the worst
doubt first, the truth given, and every offer taken.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from benchmarks.sorting.heard import Heard
from nubrak.core.pieces import PIECES
from nubrak.core.sort import PIECES_TOLD, SOUNDS, Sounding, followers, piece_of

_OF_PIECE = [[k for k, sound in enumerate(SOUNDS) if piece_of(sound) == piece] for piece in PIECES_TOLD]


def by_piece(table: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Sounds (n, sounds) as pieces, (n, pieces)."""
    return np.stack([table[:, rows].any(axis=1) for rows in _OF_PIECE], axis=1)


def corrected(one: Heard, probability: NDArray[np.float64], sounding: Sounding) -> tuple[int, int]:
    """Corrections by hand until all labels of a loop are right, and how many labels there are.

    A stroke with a wrong piece and another missing is given over, and what sounds like it follows; a stroke
    that is only wrong is dropped, one that is only missing is added, each by itself.
    """
    odds = np.stack([1.0 - np.prod(1.0 - probability[:, rows], axis=1) for rows in _OF_PIECE], axis=1)
    told, unheard = odds > 0.5, by_piece(~np.isnan(one.level_db) & one.buried)
    true = by_piece(~np.isnan(one.level_db) & ~one.buried)
    told &= ~unheard
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
        if len(false) and len(missing):
            source = piece if told[row, piece] else int(false[0])
            target = int(missing[0]) if told[row, piece] else piece
            strokes = np.nonzero(told[:, source] & ~by_hand[:, source])[0]
            follow = followers(
                sounding,
                np.array([row]),
                np.nonzero(told[:, source] & by_hand[:, source])[0],
                strokes[strokes != row],
                PIECES[PIECES_TOLD[source]],
            )
            moved = np.append(follow, row)
            told[moved, source], told[moved, target] = False, True
            by_hand[row, [source, target]] = True
        else:
            told[row, piece] = true[row, piece]
            by_hand[row, piece] = True
    return count, int(true.sum())
