"""Templates: the sounds a source repeats, gathered from its clearest strokes."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from scipy.fft import rfft

from nubrak.core.find.alignment import attack_of_template
from nubrak.core.find.matching import BODY_MS, LEAD_MS, TemplateMatches, Templates, energies, match_templates
from nubrak.core.signal import ORDER, correlation_of_spectra, windows_at

MOST = 8  # sounds of one source: articulations and the other pieces it hears
_SIMILAR = 0.85  # two strokes of one drum are at least so like each other in their first milliseconds
_SIMILAR_ENOUGH = 0.6  # to have a say in where its attack lies
_LOOKED_AT = 100  # clear strokes, over each other pair by pair: time goes with their square
_CLEAN_DB = (-28.0, -20.0, -14.0)  # how far under a stroke what rang before may stand, the cleanest first
_SPAN_DB = 32.0  # and how far under the loudest the stroke: softer ones are mostly spill


def templates_of(
    mono: NDArray[np.float32],
    attacks: NDArray[np.int64],
    level_db: NDArray[np.float64],
    before_db: NDArray[np.float64],
    rate_hz: int,
    timed_in: NDArray[np.float32] | None = None,
) -> tuple[Templates, TemplateMatches]:
    """The sounds that a source repeats, and its candidates at ``attacks`` (n,) of ``mono`` (frames,) matched
    with them.

    ``level_db`` (n,) is their level, ``before_db`` (n,) how far under it stands what rang before. Where their
    attacks lie is read off ``timed_in`` (frames,), the signal as it was recorded. Without a clear stroke
    there are no sounds.
    """
    sounds = Templates(_templates(mono, attacks, level_db, before_db, rate_hz), np.zeros(MOST, np.int64))
    likeness = match_templates(mono, attacks, sounds, rate_hz)
    if not len(sounds.heads):
        return sounds, likeness
    late = np.zeros(len(sounds.heads), np.int64)
    best = likeness.similarity.argmax(axis=1)
    for column in range(len(late)):
        theirs = likeness.similarity[:, column] * (best == column)
        rows = np.nonzero(theirs > max(_SIMILAR_ENOUGH, 0.8 * float(theirs.max())))[0]
        if len(rows) >= 3:
            aligned = np.round(likeness.attack_s[rows, column] * rate_hz).astype(np.int64)
            late[column] = attack_of_template(
                mono if timed_in is None else timed_in,
                attacks[rows],
                aligned,
                likeness.similarity[rows, column],
                rate_hz,
            )
    late_s = late / rate_hz
    return Templates(sounds.heads, late), replace(
        likeness, attack_s=likeness.attack_s + late_s, attack_under_s=likeness.attack_under_s + late_s
    )


def _templates(
    mono: NDArray[np.float32],
    attacks: NDArray[np.int64],
    level_db: NDArray[np.float64],
    before_db: NDArray[np.float64],
    rate_hz: int,
) -> NDArray[np.float64]:
    """The sounds that the clearest strokes repeat, (k, columns), each with its attack ``LEAD_MS`` after its
    ``ORDER`` first samples.
    """
    rows = _clearest(level_db, before_db)
    lead, body, around = (round(ms * rate_hz / 1000) for ms in (LEAD_MS, BODY_MS, 3.0))
    if not len(rows):
        return np.zeros((0, ORDER + lead + body))
    windows = windows_at(mono, attacks[rows] - around, around + 2 * lead + body).astype(np.float64)
    heads = windows[:, around - lead // 2 : around + body - lead]
    similarity, places = _each_over_each(windows, heads)
    shift = places - (around - lead // 2)
    left = np.ones(len(rows), bool)
    found: list[NDArray[np.float64]] = []
    while left.any() and len(found) < MOST:
        crowd = np.where(left[:, None] & left[None], np.clip(similarity - 0.6, 0, 1), 0).sum(axis=1)
        centre = int(np.argmax(np.where(left, crowd, -1.0)))
        members = np.nonzero(left & (similarity[centre] > _SIMILAR))[0]
        left[members] = False
        left[centre] = False
        if not len(members):
            continue
        # The cleanest third says where the attack is; all of them together give the sound.
        cleanest = members[np.argsort(before_db[rows[members]])[: max(3, len(members) // 3)]]
        attack = round(float(np.median(-shift[centre, cleanest])))
        begins = attacks[rows[members]] + shift[centre, members] + attack - lead - ORDER
        sounds = windows_at(mono, begins, ORDER + lead + body).astype(np.float64)
        found.append((sounds / np.maximum(np.abs(sounds).max(axis=1, keepdims=True), 1e-12)).mean(axis=0))
    return np.array(found).reshape(-1, ORDER + lead + body)


def _clearest(level_db: NDArray[np.float64], before_db: NDArray[np.float64]) -> NDArray[np.int64]:
    """Candidates that stand clear of what rang before and near the loudest, loudest first, (m,)."""
    if not len(level_db):
        return np.zeros(0, np.int64)
    loudest = float(np.percentile(level_db, 97)) if len(level_db) > 30 else float(level_db.max())
    rows = np.zeros(0, np.int64)
    for clean_db in _CLEAN_DB:
        rows = np.nonzero((before_db < clean_db) & (level_db > loudest - _SPAN_DB))[0]
        if len(rows) >= 4:
            break
    rows = rows[np.argsort(-level_db[rows])]
    return (
        rows if len(rows) <= _LOOKED_AT else rows[np.linspace(0, len(rows) - 1, _LOOKED_AT).astype(np.int64)]
    )


def _each_over_each(
    windows: NDArray[np.float64], heads: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """Largest normalised correlation of every head within every window, (m, m), and the column at which it
    is.
    """
    size = 1 << (windows.shape[1] - 1).bit_length()
    lags = windows.shape[1] - heads.shape[1] + 1
    # Single precision serves: likeness is read to two digits, and every row is brought to one level.
    windows, heads = (
        rows / np.maximum(np.abs(rows).max(axis=1, keepdims=True), 1e-12) for rows in (windows, heads)
    )
    spectra, templates = rfft(windows.astype(np.float32), size), np.conj(rfft(heads.astype(np.float32), size))
    per_energy = 1.0 / np.sqrt(energies(windows, heads.shape[1], lags) + np.float32(1e-9))
    similarity, places = np.empty((len(heads), len(windows))), np.empty((len(heads), len(windows)), np.int64)
    at = np.arange(len(windows))
    for row, head in enumerate(heads):
        fit = correlation_of_spectra(spectra, templates[row], size, lags) * per_energy
        places[row] = fit.argmax(axis=1)
        similarity[row] = fit[at, places[row]] / np.sqrt(float(head @ head) + 1e-9)
    return similarity, places
