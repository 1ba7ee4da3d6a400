"""All microphones of a kit at once: who spills into whom, and what speaks for each candidate of each part.

Twice: a first pass by what is loud and arrives first teaches the spill; what that pass believes teaches it
again, better.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nubrak.core.decide.evidence import Evidence, evidence_of
from nubrak.core.decide.features import FEATURES
from nubrak.core.decide.own_sounds import sounds_own
from nubrak.core.decide.stroke_probability import Taught, calibrated, stroke_probability
from nubrak.core.spill import Leak, PartOnsets, learn_all, loud_first, sustain_ratio

_SURE = 0.7  # a stroke that teaches leaks and ringing must be one more likely than not, with room to spare
_SWELLS_DB = 2.0  # less than this over its own ringing is no new stroke of a drum
_SWELL_ODDS = 4.0  # how many times rarer a stroke is there
# Where a cymbal's highs do not rise, and it is like nothing that the source repeats, no stick fell: its wash
# swells.
_STICK_DB, _LIKE_NOTHING, _WASH_ODDS = 1.5, 0.1, 100.0
# What follows a louder stroke sooner than it could be struck again, and follows most strokes just so, is part
# of their sound: how much all of them following speaks against a stroke.
_AGAIN_MS, _ECHO_NATS = 60.0, 6.0
_LASTS_DB, _GOES_DB, _HOLDS_DB = (
    6.5,
    5.0,
    3.0,
)  # how a crash stands over what was before, and over its own beginning, half a second later
_LASTING_NATS, _FALLING_NATS = 2.0, 3.0  # how much it speaks for a crash to last, and against it to fall
_WIDEST_SPAN_DB = 50.0  # from the loudest usual stroke to the softest (common practice: 40 dB)


@dataclass(frozen=True)
class MultiMicrophoneEvidence:
    """What the microphones of a session know together: per part its evidence and the probability (n,) that
    each candidate is a stroke of its own, and the leak of every pair of parts (from, to) that could be told.
    """

    heard: dict[str, PartOnsets]
    leaks: dict[tuple[str, str], Leak]
    first: dict[str, NDArray[np.float64]]
    evidence: dict[str, Evidence]
    stroke_probability: dict[str, NDArray[np.float64]]


def weigh(
    heard: dict[str, PartOnsets], only: dict[str, frozenset[str] | None] | None = None
) -> MultiMicrophoneEvidence:
    """Learn the spill and weigh the evidence for every part. ``only`` names, per part, the parts believed to
    leak into it.
    """
    only = only or {}
    own = {key: strokes.astype(np.float64) for key, strokes in loud_first(heard).items()}
    leaks = leaks_by(heard, own)
    first = {
        key: stroke_probability(
            evidence_of(key, heard, leaks, own, only.get(key)).features, material=Taught.KIT_BEFORE_SPILL
        )
        for key in heard
    }
    # Where the second pass learns nothing of a pair, what the first learnt stands.
    leaks = leaks | leaks_by(heard, first)
    evidence = {key: evidence_of(key, heard, leaks, first, only.get(key)) for key in heard}
    return MultiMicrophoneEvidence(
        heard, leaks, first, evidence, {key: _believed(one, heard[key]) for key, one in evidence.items()}
    )


def _believed(evidence: Evidence, here: PartOnsets) -> NDArray[np.float64]:
    """The stroke probability of each candidate, (n,). What lies far under anything a player does is
    noise, however lonely it is.
    """
    stroke_probabilities = calibrated(stroke_probability(evidence.features, material=Taught.KIT), here.piece)
    if here.kind == "overall":
        stroke_probabilities = _as_a_crash(stroke_probabilities, here)
    under, low, mid, high, drum, kick, cymbal, like_own = (
        evidence.features[:, FEATURES.index(name)]
        for name in (
            "under_usual_db",
            "rise_low_db",
            "rise_mid_db",
            "rise_high_db",
            "drum",
            "kick",
            "cymbal",
            "similarity_own",
        )
    )
    # Where neither body nor attack of a drum rises, it must be surer: a ringing that swells is the likeliest
    # mistake.
    swells = (np.maximum(low, mid) < _SWELLS_DB) & (drum + kick > 0)
    stroke_probabilities = _times_odds(stroke_probabilities, np.where(swells, 1.0 / _SWELL_ODDS, 1.0))
    wash = (cymbal > 0) & (high < _STICK_DB) & (like_own < _LIKE_NOTHING)
    stroke_probabilities = _times_odds(stroke_probabilities, np.where(wash, 1.0 / _WASH_ODDS, 1.0))
    share, since_louder_ms = (
        evidence.features[:, FEATURES.index(name)] for name in ("echo_share", "since_louder_ms")
    )
    echoes = np.where(since_louder_ms < _AGAIN_MS, np.exp(-_ECHO_NATS * share), 1.0)
    stroke_probabilities = _times_odds(stroke_probabilities, echoes)
    return np.where(under < -_WIDEST_SPAN_DB, np.minimum(stroke_probabilities, 0.01), stroke_probabilities)


def _times_odds(
    stroke_probabilities: NDArray[np.float64], factor: NDArray[np.float64]
) -> NDArray[np.float64]:
    odds = stroke_probabilities * factor
    return np.asarray(odds / (odds + 1.0 - stroke_probabilities))


def _as_a_crash(stroke_probabilities: NDArray[np.float64], here: PartOnsets) -> NDArray[np.float64]:
    """The probability that each candidate, (n,), heard from above is a crash: it lasts, and nothing else in
    a kit does.
    """
    over, holds = sustain_ratio(here.candidates.band_envelope, here.candidates.time_s)
    log_odds = np.log(np.maximum(stroke_probabilities, 1e-9) / np.maximum(1.0 - stroke_probabilities, 1e-9))
    lasts, falls = (over > _LASTS_DB) & (holds > -_HOLDS_DB), (over < _GOES_DB) | (holds < -2 * _HOLDS_DB)
    log_odds = log_odds + _LASTING_NATS * lasts - _FALLING_NATS * falls
    return np.asarray(1.0 / (1.0 + np.exp(-log_odds)))


def leaks_by(
    heard: dict[str, PartOnsets], own: dict[str, NDArray[np.float64]]
) -> dict[tuple[str, str], Leak]:
    """The leak of every pair of parts, by how likely (n,) each candidate of each part is known to be a stroke
    of its own.
    """
    return learn_all(
        heard,
        {key: stroke_probabilities > _SURE for key, stroke_probabilities in own.items()},
        {key: sounds_own(here, own[key]) for key, here in heard.items()},
    )


def weigh_again(
    kit: MultiMicrophoneEvidence, key: str, here: PartOnsets, only: frozenset[str] | None
) -> tuple[Evidence, NDArray[np.float64]]:
    """One part anew, heard in another band or with other leaks named; what the others are believed to be
    stands.
    """
    heard = kit.heard | {key: here}
    evidence = evidence_of(key, heard, kit.leaks, kit.first, only)
    return evidence, _believed(evidence, here)
