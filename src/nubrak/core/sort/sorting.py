"""Sorting: which sounds a source contains, and which of them are struck at each moment.

What is none of the known sounds is told apart by likeness alone: as sound A, B and so on, the most frequent
first.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.cluster.hierarchy import fcluster, linkage
from scipy.spatial.distance import squareform

from nubrak.core.find import Candidates
from nubrak.core.pieces import PIECES
from nubrak.core.sort.alike import unlike_db
from nubrak.core.sort.listening import Sounding, sounding_of
from nubrak.core.sort.sounds import KINDS, PIECES_TOLD, SOUNDS, piece_of, way_of

_THERE = 0.4  # from this probability on a piece is in the source; chosen on libraries that were left out
COUNTS_FROM = 0.35  # about half of the F that is reached on libraries that were left out, 0.73
# From this probability on a second piece of a kind is struck as well; below it is less likely than it seems.
_BOTH_FROM, _SELDOM_BOTH = 0.6, 0.58
# Pieces that are seldom taken for another's shadow; how sure, how often with one other, what then remains. As
# the above chosen on libraries that were left out.
_NO_SHADOWS = ("kick", "snare", "hi-hat")
_SHADOW_UNDER, _SHADOW_SHARE, _SHADOW_COUNTS, _FEWEST_SHADOWS = 0.6, 0.95, 0.3, 3
_ROWS = {piece: [k for k, sound in enumerate(SOUNDS) if piece_of(sound) == piece] for piece in PIECES_TOLD}
_OTHER = "else"
_APART_DB = 9.0  # other sounds that are further apart on average are two
_MOST_OTHERS, _MOST_COMPARED = 6, 400
_FEWEST = 2  # strokes of an other sound; a lone one goes with the nearest


@dataclass(frozen=True)
class Sorted:
    """Of each candidate (n,): ``probability`` (n, sounds) that one of ``sounds`` is struck there."""

    probability: NDArray[np.float64]
    sounding: Sounding
    sounds: tuple[str, ...] = SOUNDS

    def only(self, sounds: tuple[str, ...]) -> Sorted:
        """The same with no other sounds than these."""
        own = np.isin(self.sounds, sounds)
        return replace(self, probability=np.where(own, self.probability, 0.0))

    def without(self, sounds: tuple[str, ...]) -> Sorted:
        """The same without these sounds."""
        return self.only(tuple(sound for sound in self.sounds if sound not in sounds))

    def of_piece(self, piece: str) -> NDArray[np.float64]:
        """How likely a piece is struck, (n,), whichever way."""
        return np.asarray(1.0 - np.prod(1.0 - self.probability[:, self._rows(piece)], axis=1))

    def of_any(self) -> NDArray[np.float64]:
        """How likely anything is struck, (n,)."""
        return np.asarray(1.0 - np.prod(1.0 - self.probability, axis=1))

    def counts_as(self) -> NDArray[np.float64]:
        """How likely anything is struck, (n,), as it is decided by: from a half on, strokes count. A stroke
        that is missed is worth more than one that is told too much, as long as not all are right: F is
        greatest where what counts is half as likely as F itself (Lipton, Elkan and Narayanaswamy, "Optimal
        thresholding of classifiers to maximize F1 measure", 2014).
        """
        likely = self.of_any()
        return likely * (1.0 - COUNTS_FROM) / (likely * (1.0 - COUNTS_FROM) + (1.0 - likely) * COUNTS_FROM)

    def way_struck(self, piece: str) -> list[str | None]:
        """How a piece is struck at each candidate, (n,), by its likeliest articulation."""
        rows = self._rows(piece)
        ways = [way_of(self.sounds[k]) for k in rows]
        return [ways[k] for k in self.probability[:, rows].argmax(axis=1).tolist()]

    def _rows(self, piece: str) -> list[int]:
        return [k for k, sound in enumerate(self.sounds) if piece_of(sound) == piece]


@dataclass(frozen=True)
class ToldPiece:
    """One part that a source's moments hold: its piece, its sounds, and a name where the piece has none."""

    piece: str
    sounds: tuple[str, ...]
    named: str | None = None


def sort_moments(found: Candidates) -> Sorted | None:
    """The sounds of every candidate of a source; None where it was not listened to for this."""
    sounding = sounding_of(found)
    if sounding is None:
        return None
    return _others_apart(Sorted(likely(sounding.log_odds), sounding))


def likely(log_odds: NDArray[np.floating]) -> NDArray[np.float64]:
    """How likely each sound is struck at each moment of a source, (n, sounds), from what the network tells of
    each by itself.
    """
    return without_shadows(one_of_a_kind(1.0 / (1.0 + np.exp(-log_odds.astype(np.float64)))))


def one_of_a_kind(probability: NDArray[np.float64]) -> NDArray[np.float64]:
    """Probabilities (n, sounds) in which what may be one of several of a kind is the likeliest of them: a
    snare or a clap is a snare, as surely as it is either, and seldom both.
    """
    out = probability.copy()
    for kind in KINDS:
        rows = [_ROWS[piece] for piece in kind]
        each = _each(probability, kind)
        best, either = each.argmax(axis=1), 1.0 - np.prod(1.0 - each, axis=1)
        for k, of in enumerate(rows):
            scale = np.where(each[:, k] < _BOTH_FROM, _SELDOM_BOTH, 1.0)
            scale[best == k] = (either / np.maximum(each[:, k], 1e-12))[best == k]
            out[:, of] = np.minimum(out[:, of] * scale[:, None], 1.0)
    return out


def without_shadows(probability: NDArray[np.float64]) -> NDArray[np.float64]:
    """Probabilities (n, sounds) in which a piece that is never sure and only ever struck where one other is
    counts for little: most often it is that other, heard as two.
    """
    out, each = probability.copy(), _each(probability, PIECES_TOLD)
    counts = each > COUNTS_FROM
    sure = np.array(
        [column[of].mean() if of.any() else 0.0 for column, of in zip(each.T, counts.T, strict=True)]
    )
    together = (counts[:, :, None] & counts[:, None, :]).sum(axis=0)
    struck = np.diag(together)
    for k, piece in enumerate(PIECES_TOLD):
        if piece in _NO_SHADOWS or struck[k] < _FEWEST_SHADOWS or sure[k] >= _SHADOW_UNDER:
            continue
        over = (together[k] >= _SHADOW_SHARE * struck[k]) & (struck >= 0.8 * struck[k]) & (sure > sure[k])
        if over.any():
            out[:, _ROWS[piece]] *= _SHADOW_COUNTS
    return out


def _each(probability: NDArray[np.float64], pieces: tuple[str, ...]) -> NDArray[np.float64]:
    """How likely each piece is struck, whichever way, (n, pieces)."""
    return np.stack([1.0 - np.prod(1.0 - probability[:, _ROWS[one]], axis=1) for one in pieces], axis=1)


def pieces_in(sort: Sorted) -> list[ToldPiece]:
    """The pieces that a source contains, in the order of the sounds; what is none of them sound by sound."""
    out = []
    for piece in PIECES_TOLD:
        sounds = tuple(sound for sound in sort.sounds if piece_of(sound) == piece)
        if piece != _OTHER or len(sounds) == 1:
            if _is_in(sort.of_piece(piece)):
                out.append(ToldPiece(piece, sounds, "Sound A" if piece == _OTHER else None))
            continue
        for sound in sounds:
            if _is_in(sort.only((sound,)).of_any()):
                out.append(ToldPiece(piece, (sound,), f"Sound {sound.partition('/')[2].upper()}"))
    return out


def _is_in(probability: NDArray[np.float64]) -> bool:
    """Whether a piece that is struck with these probabilities (n,) is there at all."""
    return bool(probability.max(initial=0.0) > _THERE)


def _others_apart(sort: Sorted) -> Sorted:
    """What is none of the known sounds as sounds of their own, by likeness (average linkage: Sokal and
    Michener, 1958).
    """
    column = SOUNDS.index(_OTHER)
    rows = np.nonzero(sort.probability[:, column] > _THERE)[0][:_MOST_COMPARED]
    if len(rows) < 2 * _FEWEST:
        return sort
    away = unlike_db(sort.sounding, rows, rows, PIECES[_OTHER])
    tree = linkage(squareform((away + away.T) / 2, checks=False), "average")
    label = fcluster(tree, _APART_DB, "distance")
    names, counts = np.unique(label, return_counts=True)
    large = names[np.argsort(-counts, kind="stable")][
        : min(_MOST_OTHERS, max(int((counts >= _FEWEST).sum()), 1))
    ]
    if len(large) < 2:
        return sort
    every = np.arange(len(sort.probability))
    means = [
        unlike_db(sort.sounding, every, rows[label == name], PIECES[_OTHER]).mean(axis=1) for name in large
    ]
    nearest = np.argmin(means, axis=0)
    shares = np.stack(
        [np.where(nearest == k, sort.probability[:, column], 0.0) for k in range(len(large))], axis=1
    )
    return Sorted(
        np.concatenate([sort.probability[:, :column], shares], axis=1),
        sort.sounding,
        (*SOUNDS[:column], *(f"{_OTHER}/{'abcdef'[k]}" for k in range(len(large)))),
    )
