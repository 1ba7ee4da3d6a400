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

from nubrak.core.decide.colour import template, unlike_own_and_spill
from nubrak.core.decide.features import FEATURES
from nubrak.core.decide.own_sounds import against_own_sounds
from nubrak.core.find import rise_in_band, whole_power_of
from nubrak.core.signal import power_to_db, strongest_within
from nubrak.core.spill import (
    NEVER_DB,
    SPREAD_REGIONS,
    Leak,
    PartOnsets,
    echo_share,
    in_step_share,
    over_past,
    over_ringing,
    predict,
    usual_db,
)

_OWN_BANDS = 6  # third octaves, two octaves: about as wide as what tells a piece from others
_NOT_OWN, _FEW = 0.3, 8  # candidates that are surely another's, and how many of them tell something
_REGIONS = dict(zip(("low", "mid", "high"), SPREAD_REGIONS, strict=True))


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
    out["unlike_own_db"], out["unlike_spill_db"], share = unlike_own_and_spill(
        here, colour, sure.power, sure.source >= 0
    )
    out["own_share_db"] = np.clip(share, -30, 0)
    out["own_part_under_usual_db"] = np.clip(here.level_db + share - usual[key], -60, 12)
    _neighbours(here, out)
    _bands(here, own[key] > 0.5, sure.power + sure.later, out)
    for column, region in enumerate(_REGIONS):
        over = out[f"over_spill_{region}_db"] / sure.spread_db[:, column]
        out[f"over_spill_{region}_sigma"] = np.where(sure.source >= 0, np.clip(over, -10, 20), 20)
    _left(here, own[key], known, out)
    _going_on(here, own[key], out)
    attack_s = against_own_sounds(here, own[key], out)
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
    heard_by, unheard, in_step = np.zeros(count), np.full(count, 10.0), np.zeros(count)
    others = [k for k in heard if k != key and not heard[k].sources & here.sources and len(heard[k].level_db)]
    for other in others:
        there = heard[other]
        their_s = there.candidates.time_s
        in_step = np.maximum(in_step, in_step_share(here, there, own[other] > 0.5))
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
    out["in_step_share"] = in_step
    out["unheard_elsewhere_db"] = np.clip(unheard, -30, 10)


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


def _left(
    here: PartOnsets, own: NDArray[np.float64], spilt: NDArray[np.bool_], out: dict[str, NDArray[np.float64]]
) -> None:
    """How much of each candidate is left where what other microphones explain of it was taken off, and how
    much usually is of what is theirs.
    """
    whole, left = whole_power_of(here.candidates), here.candidates.attack_power
    regions = {f"left_{name}_db": slice(*region) for name, region in _REGIONS.items()}
    for name, bands in ({"left_db": here.inside} | regions).items():
        before, after = (power_to_db(p[:, bands].sum(axis=1, dtype=np.float64)) for p in (whole, left))
        out[name] = np.clip(after - before, -30.0, 3.0)
    theirs = out["left_db"][spilt & (own < _NOT_OWN)]
    out["usually_left_db"][:] = np.median(theirs) if len(theirs) >= _FEW else 0.0


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
