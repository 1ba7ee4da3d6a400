"""Own sounds: which of the sounds that a microphone repeats are the part's own, and how like them each
candidate is.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from nubrak.core.spill import PartOnsets

_MEMBER_SIMILARITY = 0.7  # of strokes of one sound, as they are found in one source (see find/templates)
_SOUNDS_OWN = 0.6  # from here on a candidate sounds like a stroke, as in find/search
_ALIGNED_SIMILARITY = 0.6  # less alike than that, and its own attack says better where it began


def own_sounds(here: PartOnsets, own: NDArray[np.float64]) -> tuple[NDArray[np.bool_], NDArray[np.float64]]:
    """Which of the sounds that a microphone repeats are the part's own, (k,), and which share of each is,
    (k,).

    A sound is the part's own where most of the candidates that are most like it are.
    """
    similarity = here.candidates.similarity
    best = similarity.argmax(axis=1)
    member = similarity[np.arange(len(own)), best] > _MEMBER_SIMILARITY
    counts = np.bincount(best[member], minlength=similarity.shape[1])
    shares = np.bincount(best[member], own[member], minlength=similarity.shape[1]) / np.maximum(counts, 1)
    return (shares >= 0.5) & (counts > 0), shares


def sounds_own(here: PartOnsets, own: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Candidates (n,) that are strokes of the part's own by what is known, or sound like them."""
    similarity = here.candidates.similarity
    out = own > 0.5
    if similarity.shape[1] and len(own):
        mine = own_sounds(here, own)[0]
        likest = np.where(mine, similarity, 0.0).max(axis=1)
        # What sounds more like another of the microphone's sounds is that one.
        out |= (likest > _SOUNDS_OWN) & (likest >= np.where(mine, 0.0, similarity).max(axis=1))
    return out


def against_own_sounds(
    here: PartOnsets, own: NDArray[np.float64], out: dict[str, NDArray[np.float64]]
) -> NDArray[np.float64]:
    """How alike each candidate is to the sounds that are this part's own and to the others its microphone
    repeats.

    ``own`` (n,) is how likely each is a stroke of the part's own; ``out`` takes the columns, (n,) each, by
    their names in ``FEATURES``. Returns where each one's own sound begins, (n,) in s.
    """
    similarity, aligned_s, time_s = (
        here.candidates.similarity,
        here.candidates.aligned_s,
        here.candidates.time_s,
    )
    attack_s = time_s.copy()
    out["off_own_ms"][:] = 8.0
    if not similarity.shape[1] or not len(own):
        return attack_s
    rows, best = np.arange(len(own)), similarity.argmax(axis=1)
    mine, shares = own_sounds(here, own)
    out["group_share"] = shares[best]
    out["under_own_db"][:] = -40.0
    if mine.any():
        columns = np.nonzero(mine)[0]
        likest = columns[similarity[:, columns].argmax(axis=1)]
        out["similarity_own"] = similarity[rows, likest].astype(np.float64)
        aligned = aligned_s[rows, likest]
        # Where another sound lies over it, what is left without that one speaks.
        covered = ~mine[best]
        under = columns[here.candidates.similarity_under[:, columns].argmax(axis=1)]
        out["under_similarity_own"] = np.where(covered, here.candidates.similarity_under[rows, under], 0.0)
        out["under_own_db"] = np.where(covered, np.clip(here.candidates.under_db[rows, under], -40, 0), -40.0)
        aligned = np.where(
            out["under_similarity_own"] > out["similarity_own"],
            here.candidates.aligned_under_s[rows, under],
            aligned,
        )
        sure = np.maximum(out["similarity_own"], out["under_similarity_own"])
        out["off_own_ms"] = np.clip(1000 * np.abs(aligned - time_s), 0, 8)
        attack_s = np.where(
            (sure > _ALIGNED_SIMILARITY) & (np.abs(aligned - time_s) < 0.010), aligned, time_s
        )
    if not mine.all():
        out["similarity_other"] = similarity[:, ~mine].max(axis=1).astype(np.float64)
    out["similarity_lead"] = out["similarity_own"] - out["similarity_other"]
    return attack_s
