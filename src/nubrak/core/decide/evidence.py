"""Evidence: what speaks for and against each candidate of a part being a stroke on its own piece, as numbers.

All of it is physical and relative, decibels and milliseconds against what the session itself shows, so that
neither the gain of a microphone nor the make of a drum matters: how far it stands over the spill that others
must have put there, whether it comes at the moment their spill is due, how it stands to the part's usual
strokes in level and sound, what rang before, what comes after.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nubrak.core.find import rise_in_band
from nubrak.core.signal import db_to_power, power_to_db, strongest_within
from nubrak.core.spill import (
    NEVER_DB,
    Leak,
    PartOnsets,
    echo_share,
    over_past,
    over_ringing,
    predict,
    usual_db,
)

FEATURES = (
    "over_spill_db",
    "over_any_spill_db",
    "over_spill_own_bands_db",
    "under_usual_db",
    "rise_band_db",
    "rise_db",
    "off_spill_ms",
    "leaker_under_usual_db",
    "leaker_probability",
    "lead_ms",
    "lead_over_leaker_ms",
    "unlike_own_db",
    "unlike_spill_db",
    "own_share_db",
    "own_part_under_usual_db",
    "unheard_elsewhere_db",
    "since_last_ms",
    "last_over_db",
    "till_next_ms",
    "next_over_db",
    "since_louder_ms",
    "louder_over_db",
    "crest_db",
    "heard_by",
    "kick",
    "drum",
    "cymbal",
    "overall",
    "bright_over_db",
    "session_parts",
    "rise_low_db",
    "rise_mid_db",
    "rise_high_db",
    "similarity_own",
    "similarity_other",
    "group_share",
    "off_own_ms",
    "similarity_lead",
    "under_similarity_own",
    "under_own_db",
    "over_spill_low_db",
    "over_spill_mid_db",
    "over_spill_high_db",
    "click_db",
    "body_db",
    "over_window_db",
    "over_ringing_low_db",
    "over_ringing_mid_db",
    "over_ringing_high_db",
    "over_past_low_db",
    "over_past_mid_db",
    "over_past_high_db",
    "over_ringing_db",
    "over_past_db",
    "echo_share",
)
# In which direction a feature can only speak: louder, steeper, more alike speak for a stroke.
FOR = (
    "over_spill_db",
    "over_any_spill_db",
    "over_spill_own_bands_db",
    "under_usual_db",
    "rise_band_db",
    "similarity_own",
    "group_share",
    "under_similarity_own",
    "over_spill_low_db",
    "over_spill_mid_db",
    "over_spill_high_db",
    "over_window_db",
    "over_ringing_low_db",
    "over_ringing_mid_db",
    "over_ringing_high_db",
    "over_past_low_db",
    "over_past_mid_db",
    "over_past_high_db",
    "over_ringing_db",
    "over_past_db",
)
AGAINST = ("louder_over_db", "similarity_other", "echo_share")
_OWN_BANDS = 6  # third octaves, two octaves: about as wide as what tells a piece from others
# At which a template of another is taken off: from all of it plus 6 dB down to where it is masked.
_GAINS = db_to_power(np.arange(-24.0, 9.0, 3.0))
_MOST_STROKES = 60  # the loudest tell how a part sounds; more make it no surer and cost time
_REGIONS = {"low": (0, 10), "mid": (10, 19), "high": (19, 29)}  # third octaves, parted at 250 Hz and 2 kHz
_MEMBER_SIMILARITY = 0.7  # of strokes of one sound, as they are found in one source (see find/templates)
_SOUNDS_OWN = 0.6  # from here on a candidate sounds like a stroke, as in find/search
_ALIGNED_SIMILARITY = 0.6  # less alike than that, and its own attack says better where it began


@dataclass(frozen=True)
class Evidence:
    """Everything about the candidates of a part, n rows in order of time, that does not change while settings
    move.

    ``time_s`` (n,) where each was found; ``attack_s`` (n,) where a stroke of the part's own sound would begin
    there; ``level_db``, ``rise_db`` and ``before_db`` (n,) its level, its rise and what rang before, in the
    part's band; ``spill_db`` (n,) what others put there, ``spill_from`` (n,) an index into ``names``, the
    keys of the parts that leak, or -1, and ``spill_at_s`` (n,) when that one was struck; ``features`` (n,
    len(FEATURES)); ``strength_db`` (n,) how hard each was struck, where that is measured elsewhere.
    """

    time_s: NDArray[np.float64]

    attack_s: NDArray[np.float64]
    level_db: NDArray[np.float64]
    rise_db: NDArray[np.float64]
    before_db: NDArray[np.float64]
    spill_db: NDArray[np.float64]
    spill_from: NDArray[np.int64]
    spill_at_s: NDArray[np.float64]
    features: NDArray[np.float32]
    names: tuple[str, ...]
    strength_db: NDArray[np.float64] | None = None


def template(here: PartOnsets, own: NDArray[np.float64], usual: float) -> NDArray[np.float64]:
    """The colour of a part's own strokes: the median power per band, (bands,), of the surest ones, all
    brought to one level.
    """
    rows = np.nonzero((own > 0.5) & (here.level_db > usual - 15.0))[0]
    if len(rows) < 2:
        rows = np.argsort(here.level_db)[::-1][:2]
    if not len(rows):
        return np.full(here.onset_power.shape[1], 1.0 / here.onset_power.shape[1])
    rows = rows[np.argsort(here.level_db[rows])[::-1][:_MOST_STROKES]]
    shape = here.onset_power[rows] / np.maximum(here.onset_power[rows].sum(axis=1, keepdims=True), 1e-20)
    colour = np.maximum(np.median(shape, axis=0).astype(np.float64), 1e-6)
    return np.asarray(colour / colour.sum())


def evidence_of(
    key: str,
    heard: dict[str, PartOnsets],
    leaks: dict[tuple[str, str], Leak],
    own: dict[str, NDArray[np.float64]],
    only: frozenset[str] | None = None,
) -> Evidence:
    """The evidence for every candidate of one part.

    ``own`` holds per part how likely each of its candidates is a stroke of its own, (n,), as far as is
    known.
    ``only`` names the parts that are believed to leak into this one; None: whichever do.
    """
    here = heard[key]
    count = len(here.level_db)
    usual = {k: usual_db(h, own[k] > 0.5) for k, h in heard.items()}
    out = {name: np.zeros(count) for name in FEATURES}
    sure = predict(key, heard, leaks, own, only)
    every = predict(key, heard, leaks, None, only)
    known = every.source >= 0
    spill_db, any_db = (
        np.where(p.source >= 0, power_to_db(p.power[:, here.inside].sum(axis=1, dtype=np.float64)), NEVER_DB)
        for p in (sure, every)
    )
    out["over_spill_db"] = np.clip(here.level_db - spill_db, -25, 40)
    out["over_any_spill_db"] = np.clip(here.level_db - any_db, -25, 40)
    colour = template(here, own[key], usual[key])
    own_bands = np.argsort(np.where(here.inside, colour, 0))[::-1][:_OWN_BANDS]
    own_onset_power, own_spill = (
        power_to_db(p[:, own_bands].sum(axis=1, dtype=np.float64)) for p in (here.onset_power, sure.power)
    )
    out["over_spill_own_bands_db"] = np.where(
        sure.source >= 0, np.clip(own_onset_power - own_spill, -25, 40), 40
    )
    in_window = power_to_db((sure.power + sure.later)[:, own_bands].sum(axis=1, dtype=np.float64))
    out["over_window_db"] = np.clip(own_onset_power - np.maximum(in_window, -110.0), -25, 40)
    out["under_usual_db"] = np.clip(here.level_db - usual[key], -60, 12)
    rise = rise_in_band(here.candidates, here.inside)
    out["rise_band_db"], out["rise_db"] = np.clip(rise, -10, 50), np.clip(here.candidates.rise_db, 0, 60)
    out["off_spill_ms"] = np.where(known, np.clip(1000 * np.abs(every.off_s), 0, 5), 5)
    _elsewhere(key, heard, leaks, own, usual, every.source, every.names, out)
    out["unlike_own_db"], out["unlike_spill_db"], share = _colours(here, colour, sure.power, sure.source >= 0)
    out["own_share_db"] = np.clip(share, -30, 0)
    out["own_part_under_usual_db"] = np.clip(here.level_db + share - usual[key], -60, 12)
    _neighbours(here, out)
    _bands(here, own[key] > 0.5, sure.power + sure.later, out)
    _going_on(here, own[key], out)
    attack_s = _sounds(here, own[key], out)
    for kind in ("kick", "drum", "cymbal", "overall"):
        out[kind][:] = float(here.kind == kind)
    out["session_parts"][:] = float(min(sum(len(one.level_db) > 0 for one in heard.values()), 8))
    features = np.stack([out[name] for name in FEATURES], axis=1).astype(np.float32)
    before_db = power_to_db(here.candidates.before_power[:, here.inside].sum(axis=1, dtype=np.float64))
    # Strokes that are sure say what is spilt; where none is, whatever was heard there.
    said = [
        np.where(sure.source >= 0, of_sure, of_any)
        for of_sure, of_any in ((spill_db, any_db), (sure.source, every.source), (sure.at_s, every.at_s))
    ]
    return Evidence(
        here.candidates.time_s,
        attack_s,
        here.level_db,
        rise,
        before_db,
        said[0],
        said[1],
        said[2],
        features,
        every.names,
        here.strength_db,
    )


def _elsewhere(
    key: str,
    heard: dict[str, PartOnsets],
    leaks: dict[tuple[str, str], Leak],
    own: dict[str, NDArray[np.float64]],
    usual: dict[str, float],
    source: NDArray[np.int64],
    names: tuple[str, ...],
    out: dict[str, NDArray[np.float64]],
) -> None:
    """What the other microphones heard around each candidate: who leads, how loud the leaker was, and whether
    it is heard at all.
    """
    here, count = heard[key], len(source)
    time_s = here.candidates.time_s
    leaker, leaker_probability = np.full(count, -60.0), np.zeros(count)
    lead_leaker, lead = np.full(count, 14.0), np.full(count, 14.0)
    heard_by, unheard = np.zeros(count), np.full(count, 10.0)
    others = [k for k in heard if k != key and not heard[k].sources & here.sources and len(heard[k].level_db)]
    for other in others:
        there = heard[other]
        their_s = there.candidates.time_s
        j = strongest_within(time_s + 0.001, their_s, there.level_db, 0.013)
        rows = np.nonzero(j >= 0)[0]
        heard_by[rows] += 1
        if there.kind != "overall":
            near_as_loud = rows[
                there.level_db[j[rows]] - usual[other] > here.level_db[rows] - usual[key] - 20
            ]
            lead[near_as_loud] = np.minimum(
                lead[near_as_loud], 1000 * (their_s[j[near_as_loud]] - time_s[near_as_loud])
            )
        if other in names:
            mine = rows[source[rows] == names.index(other)]
            leaker[mine] = np.maximum(there.level_db[j[mine]] - usual[other], -60)
            leaker_probability[mine] = own[other][j[mine]]
            lead_leaker[mine] = 1000 * (their_s[j[mine]] - time_s[mine])
        back = leaks.get((key, other))
        if back is not None:
            # Where this stroke must be heard: is it?
            expected = power_to_db(
                (here.onset_power[:, there.inside] * back.colour[there.inside].astype(np.float32)).sum(
                    axis=1, dtype=np.float64
                )
            )
            k = strongest_within(time_s + back.delay_s, their_s, there.level_db, 0.004)
            floor = float(np.percentile(there.level_db, 10)) if len(there.level_db) else -80.0
            observed = np.where(
                k >= 0, there.level_db[np.maximum(k, 0)] if len(there.level_db) else floor, floor - 3.0
            )
            unheard = np.minimum(unheard, np.where(expected > floor + 3.0, observed - expected, 10.0))
    out["leaker_under_usual_db"], out["leaker_probability"] = np.clip(leaker, -60, 12), leaker_probability
    out["lead_over_leaker_ms"], out["lead_ms"] = np.clip(lead_leaker, -14, 14), np.clip(lead, -14, 14)
    out["heard_by"] = heard_by / max(len(others), 1)
    out["unheard_elsewhere_db"] = np.clip(unheard, -30, 10)


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


def _sounds(
    here: PartOnsets, own: NDArray[np.float64], out: dict[str, NDArray[np.float64]]
) -> NDArray[np.float64]:
    """How alike each candidate is to the sounds that are this part's own and to the others its microphone
    repeats.

    Returns where each one's own sound begins, (n,) in s.
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


def _colours(
    here: PartOnsets, colour: NDArray[np.float64], power: NDArray[np.float32], known: NDArray[np.bool_]
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """How unlike each candidate is to the part's own strokes and to the spill due, in dB over the bands that
    carry it, and how much of its level is own, in dB, by the mixture of both that fits best.
    """
    onset_db = power_to_db(here.onset_power)
    loudest = onset_db.max(axis=1, keepdims=True)
    matters = np.clip(1.0 - (loudest - onset_db) / 36.0, 0.02, 1.0) * np.where(here.inside, 1.0, 0.4)
    matters /= matters.sum(axis=1, keepdims=True)

    def unlike(model: NDArray[np.float64]) -> NDArray[np.float64]:
        difference = onset_db - power_to_db(model)
        shift = np.einsum("ij,ij->i", matters, difference)
        return np.einsum("ij,ij->i", matters, np.abs(difference - shift[:, None]))

    own = unlike(np.broadcast_to(colour, here.onset_power.shape))
    spill = np.where(known, unlike(power.astype(np.float64) + 1e-14), 30.0)
    level = here.onset_power[:, here.inside].sum(axis=1, dtype=np.float64)
    inside_share = max(float(colour[here.inside].sum()), 1e-6)
    best, best_gain = np.full(len(onset_db), np.inf), np.zeros(len(onset_db))
    matters32, net32 = matters.astype(np.float32), onset_db.astype(np.float32)
    own_model = (level[:, None] * (colour / inside_share)).astype(np.float32) * 2
    spill_model = power * np.float32(2) + np.float32(1e-12)
    for gain in np.concatenate([[0.0], _GAINS]):
        misfit = np.einsum(
            "ij,ij->i", matters32, np.abs(net32 - 10 * np.log10(spill_model + np.float32(gain) * own_model))
        )
        better = misfit < best - 1e-6
        best[better], best_gain[better] = misfit[better], gain
    return np.clip(own, 0, 30), np.clip(spill, 0, 30), 10.0 * np.log10(np.clip(best_gain, 1e-3, 1.0))


def _bands(
    here: PartOnsets, own: NDArray[np.bool_], spill: NDArray[np.float32], out: dict[str, NDArray[np.float64]]
) -> None:
    """Low, middle and high: how each rises, how far it stands over the spill there, and whether click and
    body are there as in the part's own strokes.
    """
    candidates = here.candidates
    out["crest_db"] = np.clip(
        candidates.peak_db - power_to_db(here.onset_power.sum(axis=1, dtype=np.float64)), -5, 30
    )
    level = {}
    for name, (first, last) in _REGIONS.items():
        after, rang, onset_power, spilt = (
            power_to_db(p[:, first:last].sum(axis=1, dtype=np.float64))
            for p in (candidates.attack_power, candidates.before_power, here.onset_power, spill)
        )
        out[f"rise_{name}_db"] = np.clip(after - rang, -10, 40)
        out[f"over_spill_{name}_db"] = np.clip(onset_power - spilt, -25, 40)
        level[name] = onset_power
    out["bright_over_db"] = np.clip(
        level["high"] - power_to_db(here.onset_power[:, : _REGIONS["high"][0]].sum(axis=1, dtype=np.float64)),
        -50,
        30,
    )
    click, body = level["high"] - level["low"], level["mid"] - level["low"]
    for name, value in (("click_db", click), ("body_db", body)):
        out[name] = np.clip(value - (np.median(value[own]) if own.any() else 0.0), -40, 40)


def _going_on(here: PartOnsets, own: NDArray[np.float64], out: dict[str, NDArray[np.float64]]) -> None:
    """How far each candidate stands over what the part's own strokes let ring there, and over everything of
    the 100 ms before.
    """
    band_envelope, time_s = here.candidates.band_envelope, here.candidates.time_s
    for name, table in (
        ("ringing", over_ringing(band_envelope, time_s, own)),
        ("past", over_past(band_envelope, time_s)),
    ):
        for column, region in enumerate(_REGIONS):
            out[f"over_{name}_{region}_db"] = table[:, column]
        # What is new both rises and stands over it, in one region at least.
        rises = np.stack([out[f"rise_{region}_db"] for region in _REGIONS], axis=1)
        out[f"over_{name}_db"] = np.minimum(table, rises).max(axis=1)
    out["echo_share"] = echo_share(time_s, here.level_db, own)


def _neighbours(here: PartOnsets, out: dict[str, NDArray[np.float64]]) -> None:
    """How far away and how much louder the candidates just before and after are."""
    time, level, count = here.candidates.time_s, here.level_db, len(here.level_db)
    for name in ("since_last_ms", "till_next_ms", "since_louder_ms"):
        out[name][:] = 200.0
    for name in ("last_over_db", "next_over_db", "louder_over_db"):
        out[name][:] = -30.0
    if count < 2:
        return
    gap = np.minimum(1000 * np.diff(time), 200.0)
    out["since_last_ms"][1:], out["till_next_ms"][:-1] = gap, gap
    out["last_over_db"][1:] = np.clip(level[:-1] - level[1:], -30, 40)
    out["next_over_db"][:-1] = np.clip(level[1:] - level[:-1], -30, 40)
    for back in range(1, min(8, count)):
        away = 1000 * (time[back:] - time[:-back])
        over = np.where(away < 100, level[:-back] - level[back:], -30.0)
        more = over > out["louder_over_db"][back:]
        out["louder_over_db"][back:][more] = np.clip(over[more], -30, 40)
        out["since_louder_ms"][back:][more] = away[more]
