"""Doubt: how likely a decision is wrong."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from nubrak.core.decide.states import State, among


def doubt_of(
    log_odds: NDArray[np.float64],
    over_line_db: NDArray[np.float64] | None,
    rise_over_db: NDArray[np.float64],
    state: NDArray[np.int8],
) -> NDArray[np.float64]:
    """How likely each decision is wrong: the probability of the other outcome.

    A threshold that a person set speaks too: near the line it may be wrong as far as the evidence speaks
    against it.

    All columns are (n,), a row for each candidate; ``log_odds`` are those of a stroke, ``over_line_db`` how
    far it stands over a line drawn by hand, or None, ``rise_over_db`` how far its rise is over what is
    asked. The answer is (n,), 0 to 1.
    """
    stroke = 1.0 / (1.0 + np.exp(-log_odds))
    if over_line_db is not None:
        stroke = stroke / (1.0 + np.exp(-np.clip(over_line_db, -40, 40) / 1.5))
    counts = state == State.HIT
    doubt = np.where(counts, 1.0 - stroke, stroke)
    doubt[among(state, (State.KEPT, State.DROPPED, State.OUTSIDE))] = 0.0
    gated = among(state, (State.HELD_OFF, State.NOT_ARMED))
    doubt[gated] *= 0.15
    soft = (state == State.SOFT_RISE) & (rise_over_db < 0)
    doubt[soft] *= np.exp(rise_over_db[soft] / 2.0)
    return np.asarray(np.clip(doubt, 0.0, 0.5 if over_line_db is None else 1.0))


def doubt_by_lines(
    over_db: NDArray[np.float64],
    rise_over_db: NDArray[np.float64],
    stands_out_db: NDArray[np.float64],
    state: NDArray[np.int8],
    gap_db: float,
) -> NDArray[np.float64]:
    """Doubt where threshold, rise and margin decide alone: 0.5 on the line, falling with the distance to the
    nearest line that would change it.

    All columns are (n,), in dB over the threshold, over the rise that is asked, and over the spill margin;
    ``gap_db`` is how far strokes and the rest stand apart. The answer is (n,), 0 to 0.5.
    """
    scale = 1.5 + 3.0 / (1.0 + max(gap_db, 0.0))
    lines = np.stack([over_db / scale, rise_over_db / 2.0, stands_out_db / 2.5])
    doubt = 0.5 * np.exp(-np.abs(lines.min(axis=0)))
    doubt[among(state, (State.KEPT, State.DROPPED, State.OUTSIDE))] = 0.0
    held = among(state, (State.HELD_OFF, State.NOT_ARMED))
    doubt[held] = np.minimum(doubt[held], 0.2)
    return np.asarray(doubt)
