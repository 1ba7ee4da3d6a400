"""Find: where something may have been struck, at full sensitivity, once per source.

Energies over 1 ms are compared with the loudest that rang in the 22 ms before; the comparison is made on the
plain signal and on two steepened ones, so that a soft bright stroke shows over a loud dark ringing. Every
place that rises is kept with its features; which of them count is decided later, without analysing again.
"""

from __future__ import annotations

from dataclasses import fields, replace

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import maximum_filter1d

from nubrak.core.find.attack import not_before_the_rise, refine_attacks
from nubrak.core.find.band_envelope import band_envelope_of
from nubrak.core.find.bands import attack_spectra
from nubrak.core.find.candidates import Candidates, no_candidates, no_whole_power
from nubrak.core.find.detector import APART_FRAMES, FRAME_S, begins_on_stroke, peaks_of, rises_of, steepest
from nubrak.core.find.matching import TemplateMatches, Templates, match_templates
from nubrak.core.find.templates import templates_of
from nubrak.core.signal import FLOOR_DB, db_to_power, distance_to_nearest, nearest_of, power_ratio_to_db

LEAST_RISE_DB = 2.0  # less is hardly told from the wandering of noise from millisecond to millisecond
CLOSE_RISE_DB = 1.5  # a mix hides soft strokes under everything else that sounds
_SEAM_S = 0.06  # of the end, as what rang before the beginning: more than anything is compared with
_EARLY_S = 0.012  # how far into the end the attack of the stroke it begins with may be sought: a kick’s rise
# A candidate so near the beginning is doubted where its bright half lies so far under that of the others.
_BEGINNING_S, _DULLER_DB, _OTHERS = 0.005, 6.0, 3
_SURE_SIMILARITY = 0.6  # from here on a template times a stroke better than the stroke itself
# A stroke that stands clear is not led so far away by a template that is hardly like it.
_CLEAR_RISE_DB, _FAR_S, _SURE_FAR_SIMILARITY = 20.0, 0.003, 0.7
_SAME_S = 0.002  # nearer than this, two candidates are one stroke found twice
_HARDLY_LESS_DB = 2.0  # what may be taken off a stroke that still counts as heard by itself
# A template may lead this far away, if there it is like it by so much more.
_STEP_AWAY_S, _BETTER_SIMILARITY = 0.004, 0.02
# A soft stroke under another: so like its template, so loud against the other, so far from it.
_UNDER_SIMILARITY, _UNDER_DB, _UNDER_APART_S = 0.5, -20.0, 0.004


def find_candidates(
    mono: NDArray[np.float32], rate_hz: int, closely: bool = False, rest: NDArray[np.float32] | None = None
) -> Candidates:
    """All candidates of a signal ``mono`` (frames,), full scale 1; with ``closely`` also places that hardly
    rise. ``rest`` (frames,) is the same signal without what is known to have spilt into it: what rises in
    either is a candidate, and is measured in the rest.

    Nothing is invented at the edges: what comes before the first sample counts as silence only if the signal
    starts with a stroke, that is if its first milliseconds are not simply the level that goes on. Looked at
    closely, a signal is one that may repeat: what comes before its first sample is its end, so that the
    stroke it begins with is found over what still rings.
    """
    if len(mono) < rate_hz // 200 or not np.any(mono):
        return no_candidates()
    if closely and len(mono) > round(2 * _SEAM_S * rate_hz):
        # Whole frames, so that the rest is looked at through the same ones as without.
        before = round(_SEAM_S / FRAME_S) * max(1, round(FRAME_S * rate_hz))
        found = _candidates_of(np.concatenate([mono[-before:], mono]), rate_hz, CLOSE_RISE_DB)
        found = _from_here(found, before / rate_hz)
        return replace(found, band_envelope=band_envelope_of(mono, rate_hz))
    return _candidates_of(mono, rate_hz, CLOSE_RISE_DB if closely else LEAST_RISE_DB, rest)


def rising_attacks(mono: NDArray[np.float32], rate_hz: int) -> NDArray[np.int64]:
    """The attacks of a signal (frames,) that is one sound, in samples, (n,): as ``find_candidates`` times
    them, without comparing them with each other.
    """
    if len(mono) < rate_hz // 200 or not np.any(mono):
        return np.zeros(0, np.int64)
    return _rising(mono, rate_hz, LEAST_RISE_DB)[2]


def _from_here(found: Candidates, begin_s: float) -> Candidates:
    """The candidates from a place on, as if it were the beginning; a stroke that begins just before it begins
    with it.
    """
    rows = np.nonzero(found.time_s >= begin_s - _EARLY_S)[0]
    while len(rows) > 1 and found.time_s[rows[1]] < begin_s + _EARLY_S:
        rows = rows[1:]
    columns = {
        f.name: getattr(found, f.name)[rows]
        for f in fields(Candidates)
        if f.name not in ("band_envelope", "sounding", "whole_power")
    }
    for name in ("time_s", "aligned_s", "aligned_under_s"):
        columns[name] = np.maximum(columns[name] - begin_s, 0.0)
    return Candidates(**columns, band_envelope=found.band_envelope)


def _candidates_of(
    mono: NDArray[np.float32], rate_hz: int, least_rise_db: float, rest: NDArray[np.float32] | None = None
) -> Candidates:
    frame = max(1, round(FRAME_S * rate_hz))
    plain, rises, attacks, coarse, rise = _rising(mono, rate_hz, least_rise_db)
    whole = mono
    if rest is not None:
        of_whole, whole_db = (attacks, coarse), plain
        plain, rises, attacks, coarse, rise = _rising(rest, rate_hz, least_rise_db)
        attacks = _timed_by_the_whole(attacks, of_whole[0], plain, whole_db, frame)
        attacks, coarse, rise = _with_those_of_the_whole(attacks, coarse, rise, of_whole, rises, frame)
        mono = rest
    if not len(attacks):
        return no_candidates()
    sounds, likeness = templates_of(mono, attacks, *_loudness(plain, attacks // frame), rate_hz, whole)
    attacks, rise, likeness = _from_the_step(mono, attacks, coarse, rise, sounds, likeness, rate_hz)
    under = _lying_under(attacks, likeness, rate_hz)
    if len(under):
        attacks = np.concatenate([attacks, under])
        rise = np.concatenate([rise, rises[np.clip(under // frame, 0, len(rises) - 1)]])
        likeness = _both(likeness, match_templates(mono, under, sounds, rate_hz))
    # The sound a candidate is most like knows better than the candidate itself where it began.
    attacks, rise, likeness = _settled(mono, attacks, rise, likeness, rate_hz)
    attack_power, before_power, peak = attack_spectra(mono, attacks, rate_hz)
    found = Candidates(
        time_s=attacks / rate_hz,
        rise_db=rise,
        peak_db=np.maximum(20.0 * np.log10(np.maximum(peak, 1e-9)), FLOOR_DB),
        attack_power=attack_power,
        before_power=before_power,
        similarity=likeness.similarity,
        aligned_s=likeness.attack_s,
        similarity_under=likeness.similarity_under,
        aligned_under_s=likeness.attack_under_s,
        under_db=likeness.under_db,
        band_envelope=band_envelope_of(mono, rate_hz),
        whole_power=no_whole_power() if rest is None else attack_spectra(whole, attacks, rate_hz)[0],
    )
    return found if begins_on_stroke(mono, frame, surely=True) else _without_a_dull_beginning(found)


def _without_a_dull_beginning(found: Candidates) -> Candidates:
    """The candidates without one at the very beginning that lacks the attack of the others: there a file was
    cut in the middle of what rings.
    """
    others = np.nonzero((found.time_s > _BEGINNING_S) & (found.rise_db >= _CLEAR_RISE_DB))[0]
    at_once = np.nonzero(found.time_s <= _BEGINNING_S)[0]
    if len(others) < _OTHERS or not len(at_once):
        return found
    upper = found.attack_power[:, found.attack_power.shape[1] // 2 :].sum(axis=1)
    level_db = power_ratio_to_db(upper, 1e-12)
    dull = level_db[at_once] < float(np.median(level_db[others])) - _DULLER_DB
    keep = np.ones(len(found), bool)
    keep[at_once[dull]] = False
    columns = {
        f.name: column[keep] if f.name != "band_envelope" and len(column) == len(found) else column
        for f in fields(Candidates)
        if (column := getattr(found, f.name)) is not None
    }
    return replace(found, **columns)


def _rising(
    mono: NDArray[np.float32], rate_hz: int, least_rise_db: float
) -> tuple[
    NDArray[np.float64], NDArray[np.float64], NDArray[np.int64], NDArray[np.int64], NDArray[np.float64]
]:
    """Level and rise per frame of a signal; and of the places that rise the attacks, the places where their
    level steps up, both in samples, and their rise, (n,) each.
    """
    frame = max(1, round(FRAME_S * rate_hz))
    plain, rises = rises_of(mono, frame)
    places = peaks_of(rises, least_rise_db)
    if not len(places):
        return plain, rises, places, places, np.zeros(0)
    coarse = (steepest(plain, places) * frame).astype(np.int64)
    attacks = refine_attacks(mono, coarse, rate_hz)
    single = _apart(attacks, rises[places], round(APART_FRAMES * frame))
    return plain, rises, attacks[single], coarse[single], rises[places][single]


def _timed_by_the_whole(
    attacks: NDArray[np.int64],
    of_whole: NDArray[np.int64],
    plain: NDArray[np.float64],
    whole_db: NDArray[np.float64],
    frame: int,
) -> NDArray[np.int64]:
    """Attacks found in the rest, (n,) samples, at those ``of_whole`` (m,) where hardly anything was taken
    off: a filter that took spill off may have left a trace ahead of them.
    """
    if not len(attacks) or not len(of_whole):
        return attacks
    nearest = of_whole[nearest_of(attacks, of_whole)]
    kept_db, there_db = (_loudness(level, attacks // frame)[0] for level in (plain, whole_db))
    same = (np.abs(nearest - attacks) <= round(_UNDER_APART_S / FRAME_S) * frame) & (
        kept_db > there_db - _HARDLY_LESS_DB
    )
    return np.asarray(np.sort(np.where(same, nearest, attacks)))


def _with_those_of_the_whole(
    attacks: NDArray[np.int64],
    coarse: NDArray[np.int64],
    rise: NDArray[np.float64],
    of_whole: tuple[NDArray[np.int64], NDArray[np.int64]],
    rises: NDArray[np.float64],
    frame: int,
) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.float64]]:
    """The places that rise in the rest, and those that rise in the whole signal alone, each with its rise in
    the rest.
    """
    apart = round(_UNDER_APART_S / FRAME_S) * frame
    alone = (
        distance_to_nearest(of_whole[0], attacks) > apart if len(attacks) else np.ones(len(of_whole[0]), bool)
    )
    more = of_whole[0][alone]
    near = np.clip(more[:, None] // frame + np.arange(-1, 4), 0, len(rises) - 1)
    attacks, coarse = np.concatenate([attacks, more]), np.concatenate([coarse, of_whole[1][alone]])
    rise = np.concatenate([rise, rises[near].max(axis=1) if len(more) else np.zeros(0)])
    order = np.argsort(attacks, kind="stable")
    return attacks[order], coarse[order], rise[order]


def _lying_under(attacks: NDArray[np.int64], likeness: TemplateMatches, rate_hz: int) -> NDArray[np.int64]:
    """Places, (m,), where a sound of the source lies under another that began some milliseconds before, and
    nothing rises.
    """
    if not likeness.similarity.shape[1]:
        return np.zeros(0, np.int64)
    rows, best = np.arange(len(attacks)), likeness.similarity_under.argmax(axis=1)
    sure = (likeness.similarity_under[rows, best] > _UNDER_SIMILARITY) & (
        likeness.under_db[rows, best] > _UNDER_DB
    )
    places = np.sort(np.round(likeness.attack_under_s[rows, best][sure] * rate_hz).astype(np.int64))
    places = places[places > 0]
    apart = round(_UNDER_APART_S * rate_hz)
    places = places[distance_to_nearest(places, attacks) > apart]
    return places[np.concatenate([[True], np.diff(places) > apart])] if len(places) else places


def _both(first: TemplateMatches, second: TemplateMatches) -> TemplateMatches:
    return TemplateMatches(
        **{
            f.name: np.concatenate([getattr(first, f.name), getattr(second, f.name)])
            for f in fields(TemplateMatches)
        }
    )


def _apart(attacks: NDArray[np.int64], rise: NDArray[np.float64], apart: int) -> NDArray[np.int64]:
    """The rows of those that stand apart, in order of time, (m,)."""
    order = np.argsort(attacks, kind="stable")
    return order[_one_per_stroke(attacks[order], rise[order], apart)]


def _from_the_step(
    mono: NDArray[np.float32],
    attacks: NDArray[np.int64],
    coarse: NDArray[np.int64],
    rise: NDArray[np.float64],
    sounds: Templates,
    likeness: TemplateMatches,
    rate_hz: int,
) -> tuple[NDArray[np.int64], NDArray[np.float64], TemplateMatches]:
    """Candidates whose attack was sought far from where their level steps up, matched once more from there:
    the better match stands.

    A dark stroke over its own ringing shows no attack of its own, and one is then found somewhere in its
    body.
    """
    rows = np.nonzero(np.abs(attacks - coarse) > round(_STEP_AWAY_S * rate_hz))[0]
    if not len(rows) or not likeness.similarity.shape[1]:
        return attacks, rise, likeness
    again = match_templates(mono, coarse[rows], sounds, rate_hz)
    better = again.similarity.max(axis=1) > likeness.similarity[rows].max(axis=1) + _BETTER_SIMILARITY
    rows, taken = rows[better], np.nonzero(better)[0]
    attacks = attacks.copy()
    attacks[rows] = coarse[rows]
    columns = {f.name: getattr(likeness, f.name).copy() for f in fields(TemplateMatches)}
    for name, column in columns.items():
        column[rows] = getattr(again, name)[taken]
    order = np.argsort(attacks, kind="stable")
    return (
        attacks[order],
        rise[order],
        TemplateMatches(**{name: column[order] for name, column in columns.items()}),
    )


def _loudness(
    plain: NDArray[np.float64], frames: NDArray[np.int64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Level of each candidate in its first 20 frames, (n,), and how far under it the loudest of the 20 before
    stands, (n,).
    """
    power = db_to_power(plain)
    sums = np.concatenate([[0.0], np.cumsum(power)])
    last = len(power)
    after = (sums[np.minimum(frames + 20, last)] - sums[np.minimum(frames, last)]) / 20
    before = maximum_filter1d(plain, 20, origin=9)[np.clip(frames - 2, 0, last - 1)]
    level = power_ratio_to_db(after, 1e-12)
    return level, np.where(frames < 2, FLOOR_DB, before) - level


def _settled(
    mono: NDArray[np.float32],
    attacks: NDArray[np.int64],
    rise: NDArray[np.float64],
    likeness: TemplateMatches,
    rate_hz: int,
) -> tuple[NDArray[np.int64], NDArray[np.float64], TemplateMatches]:
    """Candidates moved to where the sound they are most like begins, in order, and of those that then
    coincide only one.
    """
    similarity, aligned_s = likeness.similarity, likeness.attack_s
    if similarity.shape[1]:
        best = similarity.argmax(axis=1)
        rows = np.arange(len(attacks))
        aligned = np.round(aligned_s[rows, best] * rate_hz).astype(np.int64)
        clear = (rise > _CLEAR_RISE_DB) & (np.abs(aligned - attacks) > round(_FAR_S * rate_hz))
        sure = similarity[rows, best] > np.where(clear, _SURE_FAR_SIMILARITY, _SURE_SIMILARITY)
        # A template of two strokes, one a little ahead, is like two at once as well.
        led = not_before_the_rise(mono, np.maximum(aligned, 0), attacks, rate_hz)
        attacks = np.where(sure, led, attacks)
    order = np.lexsort((-rise, attacks))
    keep = order[_one_per_stroke(attacks[order], rise[order], round(_SAME_S * rate_hz))]
    return (
        attacks[keep],
        rise[keep],
        TemplateMatches(**{f.name: getattr(likeness, f.name)[keep] for f in fields(TemplateMatches)}),
    )


def _one_per_stroke(attacks: NDArray[np.int64], rise: NDArray[np.float64], apart: int) -> NDArray[np.bool_]:
    """Of candidates whose attacks fall closer than ``apart`` samples, only the one that rises most."""
    keep = np.ones(len(attacks), bool)
    last = -1
    for index in range(len(attacks)):
        if last >= 0 and attacks[index] - attacks[last] < apart:
            weaker = last if rise[index] > rise[last] else index
            keep[weaker] = False
            if weaker == index:
                continue
        last = index
    return keep
